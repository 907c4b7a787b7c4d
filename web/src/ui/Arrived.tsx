import { useEffect, useRef } from 'react';
import { useLocation, useNavigationType } from 'react-router';

/** A new screen begins at its top, and the keyboard at its name; going back leaves the scroll to the browser. */
export function Arrived() {
	const { pathname } = useLocation();
	const how = useNavigationType();
	const before = useRef(pathname);
	useEffect(() => {
		if (before.current === pathname) return;
		before.current = pathname;
		if (how !== 'POP') window.scrollTo(0, 0);
		let tries = 60; // frames, until the screen's data are there
		let frame = 0;
		const look = () => {
			const name = document.querySelector('h1');
			const free = !document.activeElement || document.activeElement === document.body;
			if (name && free) {
				name.tabIndex = -1;
				name.focus({ preventScroll: true });
			} else if (free && tries-- > 0) frame = requestAnimationFrame(look);
		};
		frame = requestAnimationFrame(look);
		return () => cancelAnimationFrame(frame);
	}, [pathname, how]);
	return null;
}

/** Where what is next stands, on any screen: what holds it is marked. */
const nextMove = '[data-next] :is(a, button:enabled), main h2, main, h1';

function toNext() {
	const seen = [...document.querySelectorAll<HTMLElement>(nextMove)].find((e) => e.offsetParent !== null);
	if (!seen) return;
	if (!seen.matches('a, button')) seen.tabIndex = -1;
	seen.focus({ preventScroll: seen.matches('main, h1, h2') });
}

/** What was pressed may be gone with what it did: the keyboard is then at what comes next, never nowhere. */
export function FocusKeeper() {
	useEffect(() => {
		// The answer may take a while, and the button that was pressed may be shut before it goes.
		const pressed = (e: MouseEvent) => {
			const was = (e.target as HTMLElement).closest<HTMLElement>('button, a, input, summary');
			if (!was) return;
			for (const ms of [100, 400, 1200, 2500])
				setTimeout(() => {
					const at = document.activeElement;
					if (!was.isConnected && (at === null || at === document.body)) toNext();
				}, ms);
		};
		document.addEventListener('click', pressed, true);
		return () => document.removeEventListener('click', pressed, true);
	}, []);
	return null;
}

/** Past the bars, to what is next. */
export function SkipLink() {
	return (
		<button
			type="button"
			className="sr-only focus:not-sr-only focus:fixed focus:top-2 focus:left-2 focus:z-40 focus:bg-ink focus:px-4 focus:py-3 focus:font-bold focus:text-paper"
			onClick={toNext}
		>
			To the next move
		</button>
	);
}

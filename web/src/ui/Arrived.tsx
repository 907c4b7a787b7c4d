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

/** Past the bars, to what is next. */
export function SkipLink() {
	return (
		<button
			type="button"
			className="sr-only focus:not-sr-only focus:fixed focus:top-2 focus:left-2 focus:z-40 focus:bg-ink focus:px-4 focus:py-3 focus:font-bold focus:text-paper"
			onClick={() => {
				const next = document.querySelector<HTMLElement>(
					'[aria-label="Next move"] a, [aria-label="Next move"] button, [aria-label="Do now"] button, [aria-label="Do now"] a, [data-testid="next"] button, main',
				);
				if (!next) return;
				if (next.tagName === 'MAIN') next.tabIndex = -1;
				next.focus();
			}}
		>
			To the next move
		</button>
	);
}

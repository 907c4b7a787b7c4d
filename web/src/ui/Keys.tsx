import { useState } from 'react';
import { useLocation } from 'react-router';
import { useKeyboard } from '../calls/keys';
import { Shortcuts } from '../calls/Shortcuts';

/** What on the screen answers to a key by its own mark. */
function marked(): { keys: string; element: HTMLElement }[] {
	return [...document.querySelectorAll<HTMLElement>('[aria-keyshortcuts]')]
		.filter((e) => e.checkVisibility({ visibilityProperty: true }) && !e.closest('[inert], [aria-hidden="true"]'))
		.map((element) => ({ keys: element.getAttribute('aria-keyshortcuts') ?? '', element }));
}

/** The screen of a call has keys of its own, for the pad. */
const ofItsOwn = /^\/calls\/\d+\/?$/;

/** Every screen answers the keys that its buttons are marked with, and lists them on a question mark. */
export function Keys() {
	const { pathname } = useLocation();
	const [rows, setRows] = useState<[string, string][] | null>(null);
	useKeyboard((key) => {
		if (ofItsOwn.test(pathname)) return false;
		if (key === '?') {
			const seen = new Map(
				marked().map(({ keys, element }) => [keys, (element.ariaLabel ?? element.textContent).trim()] as const),
			);
			setRows([...seen, ['?', 'this page']]);
			return true;
		}
		const one = marked().find(({ keys, element }) => keys === key && !element.matches(':disabled'));
		one?.element.click();
		return one !== undefined;
	});
	return <Shortcuts rows={rows ?? []} open={rows !== null} setOpen={(open) => !open && setRows(null)} />;
}

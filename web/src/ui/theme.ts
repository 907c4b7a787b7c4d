import { useSyncExternalStore } from 'react';

export type Theme = 'light' | 'dark';

const key = 'elvat.theme';
const dark = window.matchMedia('(prefers-color-scheme: dark)');
const listeners = new Set<() => void>();

function chosen(): Theme | null {
	const kept = localStorage.getItem(key);
	return kept === 'light' || kept === 'dark' ? kept : null;
}

function current(): Theme {
	return chosen() ?? (dark.matches ? 'dark' : 'light');
}

function apply() {
	document.documentElement.dataset.theme = current();
	for (const tell of listeners) tell();
}

/** Shows the page in the theme chosen, or in the system's where none was. */
export function followTheme() {
	dark.addEventListener('change', apply);
	apply();
}

export function useTheme(): [Theme, () => void] {
	const theme = useSyncExternalStore((tell) => {
		listeners.add(tell);
		return () => listeners.delete(tell);
	}, current);
	return [
		theme,
		() => {
			localStorage.setItem(key, theme === 'dark' ? 'light' : 'dark');
			apply();
		},
	];
}

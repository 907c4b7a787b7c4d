import { useLayoutEffect } from 'react';

/** Answers single keys, except while something is being typed or a dialog is open. */
export function useKeyboard(on: (key: string) => boolean) {
	// Before the next key: what is on the screen answers it.
	useLayoutEffect(() => {
		const listen = (e: KeyboardEvent) => {
			const at = e.target as HTMLElement;
			if (
				e.ctrlKey ||
				e.metaKey ||
				e.altKey ||
				at.closest('input:not([type=checkbox]), textarea, select, [role=dialog]')
			)
				return;
			// A button answers Enter itself.
			if (e.key === 'Enter' && at.closest('button, a')) return;
			if (on(e.key)) e.preventDefault();
		};
		window.addEventListener('keydown', listen);
		return () => window.removeEventListener('keydown', listen);
	});
}

import { useState } from 'react';

/**
 * A field that saves on Enter: what is typed is taken out of it at once, so that the next may be typed while that is on its
 * way; what was not taken comes back unless something else is typed by then.
 */
export function useTyped(): [string, (text: string) => void, (send: (text: string) => Promise<unknown>) => void] {
	const [text, set] = useState('');
	return [
		text,
		set,
		(send) => {
			const taken = text;
			set('');
			send(taken).catch(() => set((now) => now || taken));
		},
	];
}

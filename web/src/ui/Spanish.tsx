import { useSyncExternalStore } from 'react';
import type { Said } from '../api/client';
import { Button } from './Button';
import { useWords, type Words } from './language';

const place = 'elvat-spanish-beside';
const told = new Set<() => void>();
let here: string | null = null;

function read(): boolean {
	try {
		return (localStorage.getItem(place) ?? here) === 'yes';
	} catch {
		return here === 'yes';
	}
}

function set(on: boolean) {
	here = on ? 'yes' : 'no';
	try {
		localStorage.setItem(place, here);
	} catch {
		// It holds until the page is left.
	}
	for (const tell of told) tell();
}

function subscribe(tell: () => void) {
	told.add(tell);
	return () => {
		told.delete(tell);
	};
}

/**
 * A way to have the same in Spanish beside it, for reading out or for who reads it
 * better. Chosen in one place it holds in all, until it is put away.
 */
export function useSpanish(): [Words | undefined, React.ReactNode] {
	const shown = useSyncExternalStore(subscribe, read);
	const words = useWords('es', shown);
	return [
		shown ? words : undefined,
		<Button key="spanish" kind="quiet" lang="es" aria-pressed={shown} onClick={() => set(!shown)}>
			{shown ? 'sin español' : 'en español'}
		</Button>,
	];
}

/** The Spanish of what stands over it; nothing while nobody asked for it. */
export function Beside({ said, words, className }: { said: Said[]; words: Words | undefined; className?: string }) {
	if (!words || said.length === 0) return null;
	return (
		<span lang="es" className={`block italic ${className ?? ''}`}>
			{said.map(words.render).join(' ')}
		</span>
	);
}

/** Whose Spanish it is. */
export function Whose({ words }: { words: Words | undefined }) {
	if (!words?.note) return null;
	return <span className="text-soft">Spanish: machine-made, not reviewed.</span>;
}

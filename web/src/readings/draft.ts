import { useEffect, useState } from 'react';

/**
 * What is being typed or tapped, kept for as long as the tab lives, so that a
 * wrong swipe or a reload loses nothing.
 */
export function useDraft<T>(key: string, empty: T): [T, (next: T) => void, () => void] {
	const place = `elvat.draft.${key}`;
	const [draft, setDraft] = useState<T>(() => read(place, empty));
	// biome-ignore lint/correctness/useExhaustiveDependencies: another key is another draft
	useEffect(() => setDraft(read(place, empty)), [place]);
	const keep = (next: T) => {
		sessionStorage.setItem(place, JSON.stringify(next));
		setDraft(next);
	};
	const drop = () => {
		sessionStorage.removeItem(place);
		setDraft(empty);
	};
	return [draft, keep, drop];
}

function read<T>(place: string, empty: T): T {
	const kept = sessionStorage.getItem(place);
	if (!kept) return empty;
	try {
		return JSON.parse(kept) as T;
	} catch {
		return empty;
	}
}

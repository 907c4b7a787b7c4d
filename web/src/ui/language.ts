import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { body, client, type Said } from '../api/client';

const place = 'elvat-language';

/** The language somebody chose here, else the browser's. */
function first(): string {
	try {
		return localStorage.getItem(place) ?? navigator.language;
	} catch {
		return navigator.language;
	}
}

/** The language of this browser, and a way to choose another. */
export function useLanguage(): [string, (tag: string) => void] {
	const [tag, setTag] = useState(first);
	const choose = (next: string) => {
		try {
			localStorage.setItem(place, next);
		} catch {
			// It holds until the page is left.
		}
		setTag(next);
	};
	return [tag, choose];
}

export interface Words {
	tag: string;
	/** What who reads it is told, where nobody who speaks the language has reviewed it. */
	note?: string;
	say: (code: string, ...values: (string | number)[]) => string;
	/** What was said as codes. */
	render: (said: Said) => string;
}

/** The sentences of a language; undefined until they are there. */
export function useWords(language: string, wanted = true): Words | undefined {
	const words = useQuery({
		enabled: wanted,
		queryKey: ['words', language],
		queryFn: () => body(client.GET('/api/v1/words/{language}', { params: { path: { language } } })),
		staleTime: Number.POSITIVE_INFINITY,
	});
	if (!words.data) return undefined;
	const all = words.data.words;
	return {
		tag: words.data.tag,
		note: words.data.note,
		say: (code, ...values) => filled(all[code] ?? code, values),
		render: (said) => rendered(all, said),
	};
}

/** The sentence with its values: %[1]s is the first. */
export function filled(text: string, values: (string | number)[]): string {
	return text.replace(/%\[(\d)\]s/g, (_, n) => String(values[Number(n) - 1] ?? ''));
}

/** What was said as codes, in the sentences of a language. */
export function rendered(all: Record<string, string>, said: Said): string {
	if (!said.code) return said.text ?? '';
	const values = (said.values ?? []).map((v) => rendered(all, v));
	if (said.code !== 'list.and') return filled(all[said.code] ?? said.code, values);
	const last = values.pop() ?? '';
	return values.length === 0 ? last : filled(all['list.and'] ?? '', [values.join(', '), last]);
}

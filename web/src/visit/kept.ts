import { type DBSchema, type IDBPDatabase, openDB } from 'idb';
import { useCallback, useEffect, useRef, useState } from 'react';
import { asBytes, body, client, Refused, type Visit, type VisitAnswer } from '../api/client';
import { newID } from '../api/newID';

/** What the customer said or showed, on their own phone until the shop has it: a closed tab loses none of it. */
interface Kept {
	id: string;
	token: string;
	at: number;
	answer?: VisitAnswer;
	picture?: Blob;
}

interface Shelf extends DBSchema {
	kept: { key: string; value: Kept; indexes: { token: string } };
}

let shelf: Promise<IDBPDatabase<Shelf>> | undefined;
const open = () => {
	shelf ??= openDB<Shelf>('elvat-visit', 1, {
		upgrade: (db) => db.createObjectStore('kept', { keyPath: 'id' }).createIndex('token', 'token'),
	});
	return shelf;
};

const inOrder = (all: Kept[]) => all.sort((a, b) => a.at - b.at);

/** How soon what waits is tried again. */
const again = 4000;

function deliver({ id, token, answer, picture }: Kept): Promise<Visit> {
	const path = { token };
	if (picture)
		return body(
			client.POST('/api/v1/visits/{token}/pictures', { params: { path, query: { id } }, ...asBytes(picture) }),
		);
	if (answer) return body(client.POST('/api/v1/visits/{token}/answers', { params: { path }, body: { id, answer } }));
	throw new Error('neither an answer nor a picture');
}

interface Queue {
	say: (answer: VisitAnswer, then?: () => void) => void;
	show: (picture: Blob) => void;
	/** On its way just now. */
	busy: boolean;
	/** How many wait for a connection. */
	waiting: number;
	/** Something dangerous is among them. */
	danger: boolean;
	/** Why the shop did not take the last. */
	error: Error | null;
}

/** Keeps what is said under a link, and sends it in its order as soon as that can be. */
export function useKept(token: string, shown: (now: Visit) => void): Queue {
	const [waiting, setWaiting] = useState(0);
	const [danger, setDanger] = useState(false);
	const [busy, setBusy] = useState(false);
	const [error, setError] = useState<Error | null>(null);
	const unkept = useRef<Kept[]>([]); // where the browser keeps nothing
	const going = useRef<Promise<void>>(Promise.resolve());
	const done = useRef(new Map<string, () => void>());

	const all = useCallback(async () => {
		const kept = await open()
			.then((db) => db.getAllFromIndex('kept', 'token', token))
			.catch(() => []);
		return inOrder([...kept, ...unkept.current]);
	}, [token]);

	const send = useCallback(() => {
		going.current = going.current.then(async () => {
			for (let next = (await all())[0]; next; next = (await all())[0]) {
				setBusy(true);
				let gone = true;
				try {
					shown(await deliver(next));
					setError(null);
					done.current.get(next.id)?.();
				} catch (problem) {
					gone = problem instanceof Refused && problem.final;
					if (gone) setError(problem as Error);
				}
				if (!gone) break;
				done.current.delete(next.id);
				const { id } = next;
				unkept.current = unkept.current.filter((k) => k.id !== id);
				await open()
					.then((db) => db.delete('kept', id))
					.catch(() => {});
			}
			setBusy(false);
			const left = await all();
			setWaiting(left.length);
			setDanger(left.some(({ answer }) => answer?.kind === 'danger' && (answer.signs ?? []).length > 0));
		});
	}, [all, shown]);

	useEffect(() => {
		send();
		const timer = setInterval(() => void all().then((kept) => kept.length > 0 && send()), again);
		window.addEventListener('online', send);
		return () => {
			clearInterval(timer);
			window.removeEventListener('online', send);
		};
	}, [all, send]);

	const keep = async (what: Pick<Kept, 'answer' | 'picture'>, then?: () => void) => {
		const one: Kept = { ...what, id: newID(), token, at: performance.timeOrigin + performance.now() };
		if (then) done.current.set(one.id, then);
		setBusy(true);
		await open()
			.then((db) => db.put('kept', one))
			.catch(() => unkept.current.push(one));
		send();
	};
	return {
		say: (answer, then) => void keep({ answer }, then),
		show: (picture) => void keep({ picture }),
		busy,
		waiting,
		danger,
		error,
	};
}

/** A field that is there again when the page is opened again. */
export function useDraft<T>(token: string, name: string, empty: T): [T, (value: T) => void] {
	const at = `elvat-visit ${token} ${name}`;
	const [value, setValue] = useState<T>(() => {
		try {
			return JSON.parse(localStorage.getItem(at) ?? '') as T;
		} catch {
			return empty;
		}
	});
	return [
		value,
		(next) => {
			setValue(next);
			try {
				if (JSON.stringify(next) === JSON.stringify(empty)) localStorage.removeItem(at);
				else localStorage.setItem(at, JSON.stringify(next));
			} catch {} // a browser that keeps nothing
		},
	];
}

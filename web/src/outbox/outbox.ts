import { type DBSchema, type IDBPDatabase, openDB } from 'idb';
import { asBytes, body, type Call, client, type Entry, type Reading, Refused, type Work } from '../api/client';
import { answering } from '../phone/phone';

/** What is entered waits here until the server has acknowledged it: a closed tab or a dead server loses none of it. */
export type Kept =
	| { kind: 'reading'; reading: Reading }
	| { kind: 'entry'; entry: Entry }
	| { kind: 'picture'; picture: Blob; phase: string; box?: string };

export type Waiting = Kept & {
	/** Made by this browser: the server enters it once, however often it is sent. */
	id: string;
	call: number;
	at: number;
	/** Who entered it, where people sign in: it goes out for nobody else. */
	person?: string;
	/** Why the server will not take it; it stays until somebody lets go of it. */
	problem?: string;
};

interface Shelf extends DBSchema {
	waiting: { key: string; value: Waiting; indexes: { at: number } };
}

let shelf: Promise<IDBPDatabase<Shelf>> | undefined;

function open(): Promise<IDBPDatabase<Shelf>> {
	shelf ??= openDB<Shelf>('elvat', 1, {
		upgrade: (db) => db.createObjectStore('waiting', { keyPath: 'id' }).createIndex('at', 'at'),
		terminated: () => {
			shelf = undefined;
		},
	});
	return shelf;
}

let who: string | undefined;

/** Who is signed in at this browser now; empty where nobody has to. */
export function worksAs(person: string): void {
	who = person;
	void tell();
}

/** Whether whoever is signed in entered it. */
export const own = (what: Waiting): boolean => what.person === undefined || what.person === who;

type Listener = (all: Waiting[]) => void;
const listeners = new Set<Listener>();

async function tell(): Promise<void> {
	const all = await waiting();
	for (const listener of listeners) listener(all);
}

/** Tells the listener what waits, now and whenever that changes. */
export function watch(listener: Listener): () => void {
	listeners.add(listener);
	void tell();
	return () => listeners.delete(listener);
}

async function waiting(): Promise<Waiting[]> {
	try {
		return await (await open()).getAllFromIndex('waiting', 'at');
	} catch {
		return []; // a browser that keeps nothing: entries are sent all the same
	}
}

/** Lets go of what the server will not take. */
export async function letGo(id: string): Promise<void> {
	await (await open()).delete('waiting', id);
	await tell();
}

export type Sent = { call: Call } | { work: Work };

const onTheWay = new Map<string, Promise<Sent>>();

/** Keeps the entry, then sends it. It is done when the server says so. */
export async function keepAndSend(entered: Waiting): Promise<Sent> {
	const what = { ...entered, person: entered.person ?? (who || undefined) };
	const going = onTheWay.get(what.id);
	if (going) return going;
	try {
		// The phone's own desk keeps what waits by itself.
		if (!answering()) {
			await (await open()).put('waiting', what);
			void tell();
		}
	} catch {
		// Without room to keep it, sending it is still worth while.
	}
	return send(what, true);
}

function send(what: Waiting, watched: boolean): Promise<Sent> {
	const going = onTheWay.get(what.id);
	if (going) return going;
	const sent = deliver(what)
		.then(async (answer) => {
			await letGo(what.id).catch(() => {});
			return answer;
		})
		.catch(async (error) => {
			// Whoever entered it just now sees why it was refused, and has it before them.
			if (error instanceof Refused && error.final) {
				if (watched) await letGo(what.id).catch(() => {});
				else await (await open()).put('waiting', { ...what, problem: error.message });
				void tell();
			}
			throw error;
		})
		.finally(() => onTheWay.delete(what.id));
	onTheWay.set(what.id, sent);
	return sent;
}

async function deliver(what: Waiting): Promise<Sent> {
	const path = { call: what.call };
	// Made here, and then: it may arrive hours later.
	const headers: Record<string, string> = {
		'Idempotency-Key': what.id,
		'Elvat-Made-At': new Date(what.at).toISOString(),
	};
	// Another tab may have signed somebody else in: the server takes it for them only.
	if (what.person) headers['Elvat-Person'] = encodeURIComponent(what.person);
	switch (what.kind) {
		case 'reading': {
			const reading = { id: what.id, reading: { ...what.reading } };
			return {
				call: await body(client.POST('/api/v1/calls/{call}/readings', { params: { path }, headers, body: reading })),
			};
		}
		case 'entry': {
			const entry = { id: what.id, entry: what.entry };
			return {
				work: await body(client.POST('/api/v1/calls/{call}/journal', { params: { path }, headers, body: entry })),
			};
		}
		case 'picture': {
			const query = { id: what.id, phase: what.phase, box: what.box };
			return {
				work: await body(
					client.POST('/api/v1/calls/{call}/pictures', {
						params: { path, query },
						...asBytes(what.picture, headers),
					}),
				),
			};
		}
	}
}

/** Sends what waits from before, in the order of entry; true where something went through. */
export async function sendAll(done: (call: number) => void): Promise<void> {
	for (const what of await waiting()) {
		if (what.problem || onTheWay.has(what.id) || !own(what)) continue;
		try {
			await send(what, false);
			done(what.call);
		} catch (error) {
			if (!(error instanceof Refused && error.final)) return; // the server is away: later
		}
	}
}

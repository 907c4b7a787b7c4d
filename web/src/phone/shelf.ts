import { type DBSchema, type IDBPDatabase, openDB } from 'idb';

/** A picture taken here: its bytes until the shop has them, a small one after that. */
export interface Picture {
	id: string;
	call: number;
	box?: string;
	phase: string;
	madeAt: string;
	bytes: Blob;
	/** The shop has it. */
	sent?: boolean;
}

/** What lies on the phone outlives the page here: calls as the shop has them, and what the shop lacks. */
interface Shelf extends DBSchema {
	calls: { key: string; value: string };
	heads: { key: string; value: string };
	rest: { key: 'shared' | 'waiting' | 'who' | 'synced' | 'numbers' | 'decisions' | 'said'; value: string };
	answers: { key: string; value: string };
	pictures: { key: string; value: Picture };
}

const stores = ['calls', 'heads', 'rest', 'answers', 'pictures'] as const;

let shelf: Promise<IDBPDatabase<Shelf>> | undefined;

export function open(): Promise<IDBPDatabase<Shelf>> {
	shelf ??= openDB<Shelf>('elvat-phone', 2, {
		upgrade: (db, from, _, all) => {
			for (const name of stores) if (!db.objectStoreNames.contains(name)) db.createObjectStore(name);
			// Calls of the first version have no head: both sides are held against each other anew.
			if (from === 1) {
				void all.objectStore('calls').clear();
				void all.objectStore('rest').delete('synced');
			}
		},
		terminated: () => {
			shelf = undefined;
		},
	});
	return shelf;
}

/** Everything goes: whoever signs out leaves nothing of the shop behind. */
export async function wipe(): Promise<void> {
	const db = await open();
	const all = db.transaction(stores, 'readwrite');
	await Promise.all(stores.map((name) => all.objectStore(name).clear()));
	await all.done;
}

import { type DBSchema, type IDBPDatabase, openDB } from 'idb';
import type { components } from '../api/schema.gen';

/** What lies on the phone outlives the page here: calls as the shop has them, and what the shop lacks. */
interface Shelf extends DBSchema {
	calls: { key: string; value: string };
	rest: { key: 'shared' | 'waiting' | 'who' | 'synced'; value: string };
	answers: { key: string; value: string };
}

let shelf: Promise<IDBPDatabase<Shelf>> | undefined;

export function open(): Promise<IDBPDatabase<Shelf>> {
	shelf ??= openDB<Shelf>('elvat-phone', 1, {
		upgrade: (db) => {
			db.createObjectStore('calls');
			db.createObjectStore('rest');
			db.createObjectStore('answers');
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
	const all = db.transaction(['calls', 'rest', 'answers'], 'readwrite');
	await Promise.all([
		all.objectStore('calls').clear(),
		all.objectStore('rest').clear(),
		all.objectStore('answers').clear(),
	]);
	await all.done;
}

/** Puts away what the shop answered. */
export async function putAway(answer: components['schemas']['SyncAnswer'], waiting: string): Promise<void> {
	const db = await open();
	const all = db.transaction(['calls', 'rest'], 'readwrite');
	const calls = all.objectStore('calls');
	for (const call of answer.calls) void calls.put(JSON.stringify(call), String(call.id));
	for (const id of answer.gone) void calls.delete(String(id));
	void all.objectStore('rest').put(JSON.stringify(answer.shared), 'shared');
	void all.objectStore('rest').put(waiting, 'waiting');
	void all.objectStore('rest').put(new Date().toISOString(), 'synced');
	await all.done;
}

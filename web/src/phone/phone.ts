import type { components } from '../api/schema.gen';
import { open, wipe } from './shelf';
import type { Waiting, Wanted } from './worker';

/** What lies on the phone, as the screens see it. */
export interface Lying {
	/** What the shop does not have yet. */
	waiting: Waiting[];
	/** When both sides last held the same. */
	synced?: string;
	/** The last try reached the shop. */
	reached: boolean;
}

let lying: Lying = { waiting: [], reached: true };
const listeners = new Set<() => void>();

export const now = () => lying;
export function watch(listener: () => void): () => void {
	listeners.add(listener);
	return () => listeners.delete(listener);
}

function set(more: Partial<Lying>) {
	lying = { ...lying, ...more };
	for (const listener of listeners) listener();
}

/** Whether this browser can work without a signal: it keeps things, and its page came over a connection that it trusts. */
export const able = () =>
	typeof Worker !== 'undefined' &&
	typeof WebAssembly !== 'undefined' &&
	'indexedDB' in globalThis &&
	'locks' in navigator &&
	isSecureContext;

/** What waited, and when both sides last held the same, is known before anything is asked of the shop. */
export const known: Promise<void> = able()
	? open()
			.then((db) => Promise.all([db.get('rest', 'waiting'), db.get('rest', 'synced')]))
			.then(([waiting, synced]) => set({ waiting: waiting ? JSON.parse(waiting) : [], synced }))
			.catch(() => {}) // a browser that keeps nothing
	: Promise.resolve();

let worker: Worker | undefined;
let n = 0;
const asked = new Map<number, { done: (value: never) => void; failed: (error: Error) => void }>();

/** It could not start, as where its module cannot be fetched: who asks next starts it anew. */
function end(why = '') {
	worker?.terminate();
	worker = undefined;
	for (const one of asked.values()) one.failed(new Error(`The phone's own desk could not start. ${why}`));
	asked.clear();
}

function begun(): Worker {
	if (worker) return worker;
	worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
	worker.onmessage = ({ data }: MessageEvent<{ n: number; value?: never; error?: string; dead?: boolean }>) => {
		const one = asked.get(data.n);
		asked.delete(data.n);
		if (data.error !== undefined) one?.failed(new Error(data.error));
		else one?.done(data.value as never);
		if (data.dead) end(data.error);
	};
	worker.onerror = (e) => end(e.message);
	return worker;
}

/** One tab leads: it alone has the module and writes down what waits. The others ask it. */
let leads = false;
const channel = typeof BroadcastChannel === 'undefined' ? undefined : new BroadcastChannel('elvat-phone');

interface Passed {
	from: string;
	wanted?: Wanted;
	value?: unknown;
	error?: string;
}

function lead(): Promise<never> {
	leads = true;
	channel?.addEventListener('message', ({ data }: MessageEvent<Passed>) => {
		if (!data.wanted) return;
		work(data.wanted).then(
			(value) => channel.postMessage({ from: data.from, value }),
			(error) => channel.postMessage({ from: data.from, error: String(error?.message ?? error) }),
		);
	});
	return new Promise(() => {}); // as long as the tab lives
}

let decided: Promise<void> | undefined;

/** Whether this tab leads is known. */
function decide(): Promise<void> {
	decided ??= new Promise((known) => {
		void navigator.locks.request('elvat-phone', { ifAvailable: true }, (lock) => {
			known();
			if (lock) return lead();
			// Once the tab that leads is closed, this one does.
			void navigator.locks.request('elvat-phone', lead);
			return undefined;
		});
	});
	return decided;
}

/** How long a tab waits for the one that leads. */
const patience = 20_000;

async function want<T>(wanted: Wanted): Promise<T> {
	await decide();
	if (leads || !channel) return work<T>(wanted);
	const from = crypto.randomUUID();
	return new Promise((done, failed) => {
		const late = setTimeout(() => settle(() => failed(new Error('The other tab does not answer.'))), patience);
		const heard = ({ data }: MessageEvent<Passed>) => {
			if (data.from !== from || data.wanted) return;
			settle(() => (data.error === undefined ? done(data.value as T) : failed(new Error(data.error))));
		};
		const settle = (how: () => void) => {
			clearTimeout(late);
			channel.removeEventListener('message', heard);
			how();
		};
		channel.addEventListener('message', heard);
		channel.postMessage({ from, wanted });
	});
}

/** Has the module do it. */
function work<T>(wanted: Wanted): Promise<T> {
	return new Promise((done, failed) => {
		n++;
		asked.set(n, { done: done as (value: never) => void, failed });
		begun().postMessage({ n, wanted });
	});
}

/** Who works here: what is done without a signal is done as that person. */
export async function begin(who: { device: string; person: string; role: string }): Promise<void> {
	if (!able()) return;
	const { waiting } = await want<{ waiting: Waiting[] }>({ do: 'begin', who });
	set({ waiting, synced: await (await open()).get('rest', 'synced') });
}

interface Answered {
	status: number;
	body: unknown;
	elsewhere?: boolean;
	waiting: Waiting[];
}

/** What the phone answers to a request of the contract; undefined where only the shop can. */
export async function ask(request: Request): Promise<Response | undefined> {
	if (!able()) return undefined;
	const url = new URL(request.url);
	const etag = /"(\d+)"/.exec(request.headers.get('If-Match') ?? '');
	const answer = await want<Answered>({
		do: 'ask',
		request: {
			method: request.method,
			path: url.pathname,
			command: request.headers.get('Idempotency-Key') ?? '',
			seen: etag ? Number(etag[1]) : 0,
			body: request.method === 'GET' ? '' : await request.clone().text(),
		},
	});
	set({ waiting: answer.waiting });
	if (answer.elsewhere) return undefined;
	return new Response(JSON.stringify(answer.body), {
		status: answer.status,
		headers: { 'Content-Type': answer.status < 400 ? 'application/json' : 'application/problem+json' },
	});
}

let syncing: Promise<boolean> | undefined;

/** Brings up what the shop lacks and down what the phone lacks; false where the shop cannot be reached. */
export function sync(device: string): Promise<boolean> {
	if (!able()) return Promise.resolve(true);
	syncing ??= syncOnce(device).finally(() => {
		syncing = undefined;
	});
	return syncing;
}

async function syncOnce(device: string): Promise<boolean> {
	const upward = await want<{ calls: object; commands: Waiting[] }>({ do: 'upward' });
	// What waits for a decision was sent, and is not sent again.
	const commands = upward.commands.filter((c) => !c.refused);
	let answer: components['schemas']['SyncAnswer'];
	try {
		const got = await fetch('/api/v1/sync', {
			method: 'POST',
			headers: {
				'Content-Type': 'application/json',
				'Elvat-Device': device,
				'Elvat-Sent-At': new Date().toISOString(),
			},
			body: JSON.stringify({ ...upward, commands }),
			signal: AbortSignal.timeout(30_000),
		});
		if (!got.ok) {
			set({ reached: got.status < 500 });
			return got.status < 500;
		}
		answer = await got.json();
	} catch {
		set({ reached: false });
		return false;
	}
	const { waiting } = await want<{ waiting: Waiting[] }>({ do: 'synced', answer });
	set({ waiting, synced: new Date().toISOString(), reached: true });
	return true;
}

/** Lets go of what the shop does not take, once somebody decided so. */
export async function forget(id: string): Promise<void> {
	set(await want<{ waiting: Waiting[] }>({ do: 'forget', id }));
}

/** Nothing of the shop stays on this phone. */
export async function leave(): Promise<void> {
	worker?.terminate();
	worker = undefined;
	await wipe();
	set({ waiting: [], synced: undefined });
}

/** Answers of the shop that stand still: who one is, the words of a language. */
const still = /^\/api\/v1\/(session|words\/[^/]+)$/;

export async function keepStill(request: Request, answer: Response): Promise<void> {
	const { pathname } = new URL(request.url);
	if (request.method !== 'GET' || !answer.ok || !still.test(pathname) || !('indexedDB' in globalThis)) return;
	const copy = answer.clone(); // before whoever asked reads it
	await (await open()).put('answers', await copy.text(), pathname);
}

export async function stillKnown(request: Request): Promise<Response | undefined> {
	const { pathname } = new URL(request.url);
	if (request.method !== 'GET' || !still.test(pathname) || !('indexedDB' in globalThis)) return undefined;
	const text = await (await open()).get('answers', pathname);
	return text === undefined ? undefined : new Response(text, { headers: { 'Content-Type': 'application/json' } });
}

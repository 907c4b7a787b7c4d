import { known as addresses } from '../api/addresses';
import type { components } from '../api/schema.gen';
import { open, type Picture, wipe } from './shelf';
import type { Answered, Lies, Synced, Wanted } from './worker';

/** What lies on the phone, as the screens see it. */
export interface Lying extends Lies {
	/** The last try reached the shop. */
	reached: boolean;
	/** The shop wants to know who this is before it takes anything. */
	signedOut: boolean;
	/** The application itself does not lie here: the browser refused, as where it does not trust the connection. */
	unkept?: boolean;
}

const nothing: Lies = { waiting: [], pictures: 0, untaken: [], decisions: [], numbers: {} };
let lying: Lying = { ...nothing, reached: true, signedOut: false };
const listeners = new Set<() => void>();

export const now = () => lying;

/** How much of what was done here the shop does not have. */
export const unsent = ({ waiting, pictures, untaken }: Lies) => waiting.length + pictures + untaken.length;
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

/** What waited, and when both sides last held the same, is known before anything is asked. The module starts meanwhile. */
export const known: Promise<void> = able()
	? open()
			.then(async (db) => {
				const [waiting, numbers, synced] = await Promise.all([
					db.get('rest', 'waiting'),
					db.get('rest', 'numbers'),
					db.get('rest', 'synced'),
				]);
				set({ waiting: waiting ? JSON.parse(waiting) : [], numbers: numbers ? JSON.parse(numbers) : {}, synced });
				if (synced) void decide().then(() => leads && begun());
			})
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
	/** Somebody signed out there. */
	left?: boolean;
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

/** Whether the phone's own desk has answered: from then on it answers all that it can. */
let answers = false;

/** Whether a screen is answered by the phone, which says itself when something has changed. */
export const answering = () => lying.synced !== undefined && answers;

/** Who works here: what is done without a signal is done as that person. */
export async function begin(who: { device: string; person: string; role: string }): Promise<void> {
	if (!able()) return;
	set(await want<Lies>({ do: 'begin', who }));
	answers = true;
}

const ofPictures = /^\/api\/v1\/calls\/(-?\d+)\/pictures$/;

/** What the phone answers to a request of the contract; undefined where only the shop can. */
export async function ask(request: Request): Promise<Response | undefined> {
	if (!able()) return undefined;
	const url = new URL(request.url);
	const etag = /"(\d+)"/.exec(request.headers.get('If-Match') ?? '');
	const command = request.headers.get('Idempotency-Key') ?? '';
	const call = request.method === 'POST' ? ofPictures.exec(url.pathname)?.[1] : undefined;
	let picture: Picture | undefined;
	if (call) {
		const { id, phase, box } = Object.fromEntries(url.searchParams);
		const madeAt = request.headers.get('Elvat-Made-At') ?? new Date().toISOString();
		picture = {
			id: id ?? '',
			phase: phase ?? '',
			box,
			call: Number(call),
			madeAt,
			bytes: await request.clone().blob(),
		};
	}
	const answer = await want<Answered>({
		do: 'ask',
		picture,
		request: {
			method: request.method,
			path: url.pathname + url.search,
			command,
			seen: etag ? Number(etag[1]) : 0,
			body: request.method === 'GET' || picture ? '' : await request.clone().text(),
		},
	});
	answers = true;
	if (answer.lies) {
		set(answer.lies);
		soon();
	}
	if (answer.status === 0) return undefined;
	return new Response(answer.body, {
		status: answer.status,
		headers: { 'Content-Type': answer.status < 400 ? 'application/json' : 'application/problem+json' },
	});
}

let device = '';
let changed = () => {};

/** How this browser calls itself, and what to do when the shop had something new. */
export function keepInStep(as: string, then: () => void): void {
	device = as;
	changed = then;
}

/** How long after something was done it goes up: what is done meanwhile goes with it. */
const pause = 700;
let later: ReturnType<typeof setTimeout> | undefined;

function soon() {
	clearTimeout(later);
	later = setTimeout(() => void sync(), pause);
}

let syncing: Promise<boolean> | undefined;

/** Brings up what the shop lacks and down what the phone lacks; false where the shop cannot be reached. */
export function sync(): Promise<boolean> {
	if (!able() || !device) return Promise.resolve(true);
	syncing ??= want<Synced>({ do: 'sync', device, addresses: addresses() })
		.then(async ({ status, changed: other, lies }) => {
			if (status === gone) {
				await leave();
				location.reload();
				return false;
			}
			set({ ...lies, reached: status !== 0 && status < 500, signedOut: status === 401 });
			if (other) changed();
			return status === 200;
		})
		.catch(() => false)
		.finally(() => {
			syncing = undefined;
		});
	return syncing;
}

/** The shop's answer to a device whose access was withdrawn: nothing of the shop stays here. */
const gone = 410;

/** Whether the browser keeps the application itself. */
export const keeps = (does: boolean) => set({ unkept: !does });

/** Nothing of the shop stays on this phone, nor in the other tabs. */
export async function leave(): Promise<void> {
	channel?.postMessage({ from: '', left: true } satisfies Passed);
	await clear();
}

async function clear(): Promise<void> {
	worker?.terminate();
	worker = undefined;
	answers = false;
	clearTimeout(later);
	await wipe();
	if ('caches' in globalThis) await caches.delete('elvat-pictures');
	set({ ...nothing, synced: undefined });
}

channel?.addEventListener('message', ({ data }: MessageEvent<Passed>) => {
	if (data.left) void clear().then(() => changed());
});

/** Lets go of a picture that the shop does not take. */
export async function drop(picture: string): Promise<void> {
	set(await want<Lies>({ do: 'drop', picture }));
}

/** Answers of the shop that stand still: who one is, the words of a language. */
const still = /^\/api\/v1\/(session|words\/[^/]+)$/;

export async function keepStill(request: Request, answer: Response): Promise<void> {
	const { pathname } = new URL(request.url);
	if (request.method !== 'GET' || !answer.ok || !still.test(pathname) || !('indexedDB' in globalThis)) return;
	const text = await answer.clone().text(); // before whoever asked reads it
	// Who was signed in last stays: a session that ended lets one go on.
	if (pathname.endsWith('/session') && nobody(JSON.parse(text))) return;
	await (await open()).put('answers', text, pathname);
}

type Session = components['schemas']['Session'];

const nobody = (session: Session) => session.required && !session.name;

/** Who works here: where the session has ended, and nobody signed out, whoever it was goes on. */
export async function goesOn(session: Session): Promise<Session> {
	if (!nobody(session) || lying.synced === undefined) return session;
	const before = await (await open()).get('answers', '/api/v1/session');
	return before === undefined ? session : JSON.parse(before);
}

export async function stillKnown(request: Request): Promise<Response | undefined> {
	const { pathname } = new URL(request.url);
	if (request.method !== 'GET' || !still.test(pathname) || !('indexedDB' in globalThis)) return undefined;
	const text = await (await open()).get('answers', pathname);
	return text === undefined ? undefined : new Response(text, { headers: { 'Content-Type': 'application/json' } });
}

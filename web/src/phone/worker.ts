/// <reference lib="webworker" />
import './wasm_exec.js';
import { know, reach } from '../api/addresses';
import { isFinal } from '../api/final';
import type { components } from '../api/schema.gen';
import { open, type Picture } from './shelf';

declare const Go: new () => { importObject: WebAssembly.Imports; run: (i: WebAssembly.Instance) => Promise<void> };
declare const elvat: (what: string, text: string) => string;

type Decision = components['schemas']['Decision'];
type SyncAnswer = components['schemas']['SyncAnswer'];

/** What the page wants of the phone. */
export type Wanted =
	| { do: 'begin'; who: { device: string; person: string; role: string } }
	| { do: 'ask'; request: Request; picture?: Picture }
	| { do: 'sync'; device: string; addresses: string[] }
	| { do: 'drop'; picture: string };

export interface Request {
	method: string;
	path: string;
	command: string;
	seen: number;
	body: string;
}

export interface Waiting {
	call: number;
	id: string;
	n?: number;
	madeAt: string;
	refused?: string;
}

/** What lies here, as the screens see it. */
export interface Lies {
	waiting: Waiting[];
	/** Pictures on their way to the shop. */
	pictures: number;
	/** Pictures that the shop does not take, and why; they are tried again at the next start. */
	untaken: { id: string; why: string }[];
	decisions: Decision[];
	/** What the shop calls the calls that were begun here. */
	numbers: Record<string, number>;
	synced?: string;
}

/** An answer of the phone's own desk; status 0: only the shop can tell. */
export interface Answered {
	status: number;
	body: string;
	lies?: Lies;
}

export interface Synced {
	/** 0: the shop was not reached. */
	status: number;
	/** Something is other than it was on the screens. */
	changed: boolean;
	lies: Lies;
}

function tell<T>(what: string, value: unknown): T {
	return told<T>(what, JSON.stringify(value ?? null));
}

function told<T>(what: string, text: string): T {
	const answer = JSON.parse(elvat(what, text));
	if (answer && typeof answer === 'object' && 'error' in answer) throw new Error(answer.error);
	return answer as T;
}

/** Something that was set here, as the request that sets it at the shop. */
interface Said {
	id: string;
	path: string;
	body: unknown;
}

interface Head {
	id: number;
	version: number;
	run: number;
	site: number;
	siteName: string;
	createdAt: string;
	summary?: unknown;
}

/** Calls that lie here, and those of them that the module has taken up. */
const heads = new Map<number, Head>();
const taken = new Set<number>();
let numbers: Record<string, number> = {};
let decisions: Decision[] = [];
let synced: string | undefined;
let pictures = 0;
const untaken = new Map<string, string>();

/** The module runs, with what lay on the phone when it was put away. Calls are opened when they are asked for. */
const ready = (async () => {
	const go = new Go();
	const db = await open();
	const [{ instance }, shared, who, waiting, lay, known, undecided, last, shots, said] = await Promise.all([
		WebAssembly.instantiateStreaming(fetch(new URL('./phone.wasm', import.meta.url)), go.importObject),
		db.get('rest', 'shared'),
		db.get('rest', 'who'),
		db.get('rest', 'waiting'),
		db.getAll('heads'),
		db.get('rest', 'numbers'),
		db.get('rest', 'decisions'),
		db.get('rest', 'synced'),
		db.getAll('pictures'),
		db.get('rest', 'said'),
	]);
	void go.run(instance);
	synced = last;
	pictures = shots.filter((p) => !p.sent).length;
	if (who) told('begin', who);
	if (shared) told('share', shared);
	if (said) told('say', said);
	const all = lay.map((text) => JSON.parse(text) as Head);
	for (const head of all) heads.set(head.id, head);
	tell('lay', all);
	if (known) {
		numbers = JSON.parse(known);
		tell('renumber', numbers);
	}
	if (undecided) decisions = JSON.parse(undecided);
	if (waiting) {
		const old = JSON.parse(waiting) as Waiting[];
		for (const w of old) await take(w.call);
		tell('restore', old);
	}
})();

/** Opens a call that lies here, unless it is open. */
async function take(call: number): Promise<void> {
	const id = numbers[call] ?? call;
	if (taken.has(id) || !heads.has(id)) return;
	const packed = await (await open()).get('calls', String(id));
	if (packed === undefined) return;
	told('take', packed);
	taken.add(id);
}

const bytes = (text: string) => btoa(String.fromCharCode(...new TextEncoder().encode(text)));

let kept = '[]';

/** What waits is written down before anybody is told that it was entered. */
async function lies(): Promise<Lies> {
	const waiting = tell<Waiting[]>('waiting', null);
	const text = JSON.stringify(waiting);
	if (text !== kept) {
		await (await open()).put('rest', text, 'waiting');
		kept = text;
	}
	return {
		...{ waiting, decisions, numbers, synced },
		pictures: pictures - untaken.size,
		untaken: [...untaken].map(([id, why]) => ({ id, why })),
	};
}

/** From this number on calls are drills. */
const firstDrill = 1_000_000_000;

const ofCall = /^\/api\/v1\/calls\/(-?\d+)/;

async function ask({ body, ...rest }: Request, picture?: Picture): Promise<Answered> {
	const call = ofCall.exec(rest.path)?.[1];
	if (call) await take(Number(call));
	// The list of drills is told from the drills themselves.
	if (rest.path.startsWith('/api/v1/drills')) for (const id of heads.keys()) if (id > firstDrill) await take(id);
	// A new call on a known run starts from the last one there.
	const run = rest.method === 'POST' && rest.path === '/api/v1/calls' ? JSON.parse(body).run : undefined;
	if (run) for (const head of heads.values()) if (head.run === run) await take(head.id);
	if (picture) {
		// Its bytes are safe before it is on the record.
		await (await open()).put('pictures', picture, picture.id);
		pictures++;
	}
	const text = elvat('ask', JSON.stringify({ ...rest, body: body ? bytes(body) : undefined }));
	const end = text.indexOf('\n');
	const answer: Answered = { status: Number(text.slice(0, end)), body: text.slice(end + 1) };
	if (picture && (answer.status === 0 || answer.status >= 400)) {
		await (await open()).delete('pictures', picture.id);
		pictures--;
	}
	if (rest.method === 'PUT' && ofSetting.test(rest.path)) await keepSaid();
	if (rest.method !== 'GET') answer.lies = await lies();
	return answer;
}

/** What is set for the whole shop, and may be set here. */
const ofSetting = /^\/api\/v1\/(lamps|lights)$/;

async function keepSaid(): Promise<void> {
	await (await open()).put('rest', JSON.stringify(tell('said', null)), 'said');
}

/** Has the shop set what was set here; the status of what it did not answer well. */
async function sendSaid(device: string): Promise<number> {
	for (const { id, path, body } of await queued(async () => tell<Said[]>('said', null))) {
		const answer = await reach(path, {
			method: 'PUT',
			headers: { ...sent(device, 'application/json'), 'Idempotency-Key': id },
			body: JSON.stringify(body),
			signal: AbortSignal.timeout(patience),
		}).catch(() => undefined);
		if (!answer || (!answer.ok && !isFinal(answer.status))) return answer?.status ?? 0;
		await queued(async () => {
			tell('heard', id);
			await keepSaid();
		});
	}
	return 200;
}

/** How much goes up at once, and how long the shop may take for it. */
const batch = 200;
const patience = 30_000;

/** Brings up what the shop lacks and down what the phone lacks, then pictures: one is sent again if it did not arrive. */
async function sync(device: string): Promise<Synced> {
	let changed = false;
	const said = await sendSaid(device);
	if (said !== 200) return { status: said, changed, lies: await queued(lies) };
	for (let more = true; more; ) {
		const upward = await queued(async () => {
			const commands = tell<Waiting[]>('upward', null).slice(0, batch);
			return { calls: tell<object>('versions', null), commands };
		});
		const answer = await reach('/api/v1/sync', {
			method: 'POST',
			headers: sent(device, 'application/json'),
			body: JSON.stringify(upward),
			signal: AbortSignal.timeout(patience),
		}).catch(() => undefined);
		if (!answer?.ok) return { status: answer?.status ?? 0, changed, lies: await queued(lies) };
		const down = (await answer.json()) as SyncAnswer;
		changed = (await queued(() => putAway(down))) || changed;
		more = upward.commands.length === batch;
	}
	await sendPictures(device);
	return { status: 200, changed, lies: await queued(lies) };
}

const sent = (device: string, type: string) => ({
	'Content-Type': type,
	'Elvat-Device': device,
	'Elvat-Sent-At': new Date().toISOString(),
});

let shared = '';

/** Puts away what the shop answered; true where the screens show something else now. */
async function putAway(down: SyncAnswer): Promise<boolean> {
	const begun = down.results.map((r) => r.call ?? 0);
	const opened = new Set([...taken, ...begun]);
	const calls = down.calls as unknown as (Head & { answer?: { summary?: unknown } })[];
	const lay = calls.map(({ answer, id, version, run, site, siteName, createdAt }) => ({
		...{ id, version, run, site, siteName, createdAt },
		summary: answer?.summary,
	}));
	for (const head of lay) heads.set(head.id, head);
	tell('lay', lay);
	tell('synced', { ...down, calls: calls.filter((c) => opened.has(c.id)) });
	for (const c of calls) if (opened.has(c.id)) taken.add(c.id);
	for (const id of down.gone) {
		heads.delete(id);
		taken.delete(id);
	}
	const before = JSON.stringify([numbers, decisions]);
	numbers = tell('numbers', null);
	decisions = down.decisions;
	synced = new Date().toISOString();
	const nowShared = JSON.stringify(down.shared);
	const other =
		calls.length + down.gone.length > 0 || nowShared !== shared || before !== JSON.stringify([numbers, decisions]);
	shared = nowShared;
	const db = await open();
	const all = db.transaction(['calls', 'heads', 'rest'], 'readwrite');
	const rest = all.objectStore('rest');
	if (other) {
		for (const call of calls) void all.objectStore('calls').put(JSON.stringify(call), String(call.id));
		for (const head of lay) void all.objectStore('heads').put(JSON.stringify(head), String(head.id));
		for (const id of down.gone) {
			void all.objectStore('calls').delete(String(id));
			void all.objectStore('heads').delete(String(id));
		}
		void rest.put(nowShared, 'shared');
		void rest.put(JSON.stringify(numbers), 'numbers');
		void rest.put(JSON.stringify(decisions), 'decisions');
	}
	void rest.put(synced, 'synced');
	kept = JSON.stringify(tell('waiting', null));
	void rest.put(kept, 'waiting');
	await all.done;
	await clearPictures(down.gone);
	return other;
}

/** Lets go of a picture that the shop does not take. */
async function drop(picture: string): Promise<Lies> {
	if (untaken.delete(picture)) {
		await (await open()).delete('pictures', picture);
		pictures--;
	}
	return lies();
}

/** Pictures of calls that lie here no more go too, but for what the shop lacks. */
async function clearPictures(gone: number[]): Promise<void> {
	if (gone.length === 0) return;
	const db = await open();
	for (const p of await db.getAll('pictures')) if (p.sent && gone.includes(p.call)) await db.delete('pictures', p.id);
}

async function sendPictures(device: string): Promise<void> {
	const db = await open();
	for (const p of await db.getAll('pictures')) {
		const call = numbers[p.call] ?? p.call;
		if (p.sent || untaken.has(p.id) || call < 0) continue;
		if ((JSON.parse(kept) as Waiting[]).some((w) => w.id === p.id)) continue; // the shop does not know of it yet
		const query = new URLSearchParams({ id: p.id, phase: p.phase, ...(p.box && { box: p.box }) });
		const answer = await reach(`/api/v1/calls/${call}/pictures?${query}`, {
			method: 'POST',
			headers: { ...sent(device, 'application/octet-stream'), 'Idempotency-Key': p.id, 'Elvat-Made-At': p.madeAt },
			body: p.bytes,
			signal: AbortSignal.timeout(patience),
		}).catch(() => undefined);
		if (answer?.ok) {
			await db.put('pictures', { ...p, call, sent: true, bytes: await small(p.bytes) }, p.id);
			pictures--;
		} else if (answer && isFinal(answer.status)) {
			untaken.set(p.id, (await answer.json().catch(() => ({}))).detail ?? `the shop answered ${answer.status}`);
		} else return; // the rest waits too
	}
}

/** How wide a picture is of which the shop has the whole. */
const thumb = 480;

async function small(bytes: Blob): Promise<Blob> {
	try {
		const whole = await createImageBitmap(bytes);
		const scale = Math.min(1, thumb / whole.width);
		const canvas = new OffscreenCanvas(Math.round(whole.width * scale), Math.round(whole.height * scale));
		canvas.getContext('2d')?.drawImage(whole, 0, 0, canvas.width, canvas.height);
		return await canvas.convertToBlob({ type: 'image/jpeg', quality: 0.7 });
	} catch {
		return bytes; // as it is: it was taken, and is not to be lost
	}
}

/** One after the other: what is asked later sees what was done before. */
let last: Promise<unknown> = Promise.resolve();
let queue = 0;

function queued<T>(what: () => Promise<T>): Promise<T> {
	queue++;
	const done = last.then(what).finally(() => {
		queue--;
		if (queue === 0) setTimeout(idle);
	});
	last = done.catch(() => {});
	return done;
}

/** While nobody asks, engines are prepared for the calls that were opened. */
function idle() {
	if (queue > 0) return;
	last = last
		.then(() => {
			if (queue === 0 && tell<boolean>('idle', null)) setTimeout(idle);
		})
		.catch(() => {}); // who asks for it is told
}

/** Two tabs want it at once: it is done once. */
let syncing: Promise<Synced> | undefined;

async function answer(wanted: Wanted): Promise<unknown> {
	switch (wanted.do) {
		case 'begin':
			return queued(async () => {
				await (await open()).put('rest', JSON.stringify(wanted.who), 'who');
				tell('begin', wanted.who);
				return lies();
			});
		case 'ask':
			return queued(() => ask(wanted.request, wanted.picture));
		case 'sync':
			know(wanted.addresses);
			syncing ??= sync(wanted.device).finally(() => {
				syncing = undefined;
			});
			return syncing;
		case 'drop':
			return queued(() => drop(wanted.picture));
	}
}

self.onmessage = async ({ data }: MessageEvent<{ n: number; wanted: Wanted }>) => {
	try {
		await ready;
	} catch (error) {
		self.postMessage({ n: data.n, error: String(error), dead: true });
		return;
	}
	try {
		self.postMessage({ n: data.n, value: await answer(data.wanted) });
	} catch (error) {
		self.postMessage({ n: data.n, error: error instanceof Error ? error.message : String(error) });
	}
};

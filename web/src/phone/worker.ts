/// <reference lib="webworker" />
import './wasm_exec.js';
import type { components } from '../api/schema.gen';
import { open, putAway } from './shelf';

declare const Go: new () => { importObject: WebAssembly.Imports; run: (i: WebAssembly.Instance) => Promise<void> };
declare const elvat: (what: string, text: string) => string;

/** What the page wants of the phone. */
export type Wanted =
	| { do: 'begin'; who: { device: string; person: string; role: string } }
	| { do: 'ask'; request: { method: string; path: string; command: string; seen: number; body: string } }
	| { do: 'upward' }
	| { do: 'synced'; answer: components['schemas']['SyncAnswer'] }
	| { do: 'forget'; id: string };

export interface Waiting {
	call: number;
	id: string;
	madeAt: string;
	refused?: string;
}

function tell<T>(what: string, value: unknown): T {
	const answer = JSON.parse(elvat(what, JSON.stringify(value ?? null)));
	if (answer && typeof answer === 'object' && 'error' in answer) throw new Error(answer.error);
	return answer as T;
}

/** The module runs, with what lay on the phone when it was put away. */
const ready = (async () => {
	const go = new Go();
	const { instance } = await WebAssembly.instantiateStreaming(
		fetch(new URL('./phone.wasm', import.meta.url)),
		go.importObject,
	);
	void go.run(instance);
	const db = await open();
	const [shared, who, waiting, calls] = await Promise.all([
		db.get('rest', 'shared'),
		db.get('rest', 'who'),
		db.get('rest', 'waiting'),
		db.getAll('calls'),
	]);
	if (who) tell('begin', JSON.parse(who));
	if (shared) tell('share', JSON.parse(shared));
	for (const call of calls) tell('take', JSON.parse(call));
	if (waiting) tell('restore', JSON.parse(waiting));
})();

const bytes = (text: string) => btoa(String.fromCharCode(...new TextEncoder().encode(text)));

let kept = '';

/** What waits is written down before anybody is told that it was entered. */
async function keepWaiting(): Promise<Waiting[]> {
	const waiting = tell<Waiting[]>('waiting', null);
	const text = JSON.stringify(waiting);
	if (text !== kept) {
		await (await open()).put('rest', text, 'waiting');
		kept = text;
	}
	return waiting;
}

async function answer(wanted: Wanted): Promise<unknown> {
	switch (wanted.do) {
		case 'begin':
			await (await open()).put('rest', JSON.stringify(wanted.who), 'who');
			tell('begin', wanted.who);
			return { waiting: await keepWaiting() };
		case 'ask': {
			const { body, ...rest } = wanted.request;
			const got = tell<object>('ask', { ...rest, body: body ? bytes(body) : undefined });
			return { ...got, waiting: await keepWaiting() };
		}
		case 'upward':
			return { calls: tell('versions', null), commands: tell<Waiting[]>('waiting', null) };
		case 'synced': {
			tell('synced', wanted.answer);
			const waiting = tell<Waiting[]>('waiting', null);
			kept = JSON.stringify(waiting);
			await putAway(wanted.answer, kept);
			return { waiting };
		}
		case 'forget':
			tell('drop', wanted.id);
			return { waiting: await keepWaiting() };
	}
}

/** One after the other: what is asked later sees what was done before. */
let last: Promise<unknown> = Promise.resolve();
self.onmessage = ({ data }: MessageEvent<{ n: number; wanted: Wanted }>) => {
	last = last.then(async () => {
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
	});
};

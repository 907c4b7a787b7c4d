import 'fake-indexeddb/auto';
import { beforeEach, describe, expect, test } from 'vitest';
import { network } from '../test/network';
import { keepAndSend, letGo, own, sendAll, type Waiting, watch, worksAs } from './outbox';

const sent: { path: string; id: string | null; made: string | null }[] = [];
let answer: (path: string) => Response | Promise<Response>;

beforeEach(async () => {
	sent.length = 0;
	answer = () => Response.json({ version: 1 });
	network.mockImplementation(async (request) => {
		const path = new URL(request.url).pathname;
		sent.push({ path, id: request.headers.get('Idempotency-Key'), made: request.headers.get('Elvat-Made-At') });
		return answer(path);
	});
	for (const w of await waits()) await letGo(w.id);
});

/** What waits now. */
const waits = () =>
	new Promise<Waiting[]>((resolve) => {
		const stop = watch((all) => {
			resolve(all);
			setTimeout(() => stop());
		});
	});

let n = 0;
const reading = (at = Date.now()): Waiting => ({
	id: `reading-${++n}-test`,
	call: 3,
	at,
	kind: 'reading',
	reading: { at: 'R1', half: 'top', tool: 'lamp', glow: 'off' },
});

const away = () => Promise.reject(new TypeError('network'));
const refuses = () => Response.json({ title: 'No', detail: 'R1: no such device' }, { status: 422 });

describe('what is entered waits until the server has it', () => {
	test('sent, acknowledged, and gone from the shelf', async () => {
		const what = reading(Date.parse('2026-05-04T12:00:00Z'));
		await keepAndSend(what);
		expect(sent).toEqual([{ path: '/api/v1/calls/3/readings', id: what.id, made: '2026-05-04T12:00:00.000Z' }]);
		expect(await waits()).toEqual([]);
	});

	test('the server is away: it stays, and goes out later, once, under the same id', async () => {
		answer = away;
		const what = reading();
		await expect(keepAndSend(what)).rejects.toThrow('does not answer');
		expect((await waits()).map((w) => w.id)).toEqual([what.id]);
		answer = () => Response.json({ version: 1 });
		const done: number[] = [];
		await sendAll((call) => done.push(call));
		expect(done).toEqual([3]);
		expect(sent.map((s) => s.id)).toEqual([what.id, what.id]);
		expect(await waits()).toEqual([]);
		await sendAll(() => {});
		expect(sent).toHaveLength(2);
	});

	test('in the order in which it was entered, and no further than where the server is away', async () => {
		answer = away;
		const now = Date.now();
		const [late, early] = [reading(now + 5), reading(now)];
		await keepAndSend(late).catch(() => {});
		await keepAndSend(early).catch(() => {});
		sent.length = 0;
		await sendAll(() => {});
		expect(sent.map((s) => s.id)).toEqual([early.id]);
		answer = () => Response.json({ version: 1 });
		sent.length = 0;
		await sendAll(() => {});
		expect(sent.map((s) => s.id)).toEqual([early.id, late.id]);
	});

	test('refused while somebody looks on: they have it before them, and it does not wait', async () => {
		answer = refuses;
		await expect(keepAndSend(reading())).rejects.toThrow('no such device');
		expect(await waits()).toEqual([]);
	});

	test('refused later: it stays with the reason, keeps nothing else back, and is let go of by hand', async () => {
		answer = away;
		const now = Date.now();
		const [bad, good] = [reading(now), reading(now + 1)];
		await keepAndSend(bad).catch(() => {});
		await keepAndSend(good).catch(() => {});
		let first = true;
		answer = () => {
			const refused = first;
			first = false;
			return refused ? refuses() : Response.json({ version: 1 });
		};
		await sendAll(() => {});
		expect((await waits()).map((w) => [w.id, w.problem])).toEqual([[bad.id, 'R1: no such device']]);
		sent.length = 0;
		await sendAll(() => {});
		expect(sent).toEqual([]);
		await letGo(bad.id);
		expect(await waits()).toEqual([]);
	});

	test('asked for twice while it is on its way, it is sent once', async () => {
		const what = reading();
		await Promise.all([keepAndSend(what), keepAndSend(what)]);
		expect(sent).toHaveLength(1);
	});

	test('in a shared browser it goes out for who entered it, and waits while somebody else is signed in', async () => {
		worksAs('Ada');
		answer = away;
		const what = reading();
		await expect(keepAndSend(what)).rejects.toThrow('does not answer');
		answer = () => Response.json({ version: 1 });
		worksAs('Bo');
		await sendAll(() => {});
		expect(sent).toHaveLength(1);
		expect((await waits()).map((w) => [w.person, own(w)])).toEqual([['Ada', false]]);
		worksAs('Ada');
		await sendAll(() => {});
		expect(sent).toHaveLength(2);
		expect(await waits()).toEqual([]);
		worksAs('');
	});
});

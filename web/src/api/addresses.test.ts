import { afterEach, beforeEach, expect, test, vi } from 'vitest';

const own = location.origin;
const two = 'https://two.north.example';
const three = 'https://three.north.example';

/** What each machine answers: a status, or nothing at all; "hangs" takes connections and says nothing. */
let machines: Record<string, number | 'down' | 'hangs'>;
let asked: string[];

const answer = (base: string, signal?: AbortSignal | null) =>
	new Promise<Response>((done, failed) => {
		const is = machines[base];
		signal?.addEventListener('abort', () => failed(new DOMException('aborted', 'AbortError')));
		if (is === 'down') failed(new TypeError('Failed to fetch'));
		else if (is !== 'hangs') done(new Response(JSON.stringify({ answers: is === 200, ticket: 't' }), { status: is }));
	});

let shop: typeof import('./addresses');

beforeEach(async () => {
	vi.resetModules(); // where was asked last is kept with the page
	shop = await import('./addresses');
	asked = [];
	machines = { [own]: 200, [two]: 200, [three]: 200 };
	localStorage.clear();
	vi.useFakeTimers();
	vi.stubGlobal('fetch', (url: string, init: RequestInit = {}) => {
		const whole = new URL(url, own);
		asked.push(`${init.method ?? 'GET'} ${whole.href.replace(own, 'own')}`);
		return answer(whole.origin, init.signal);
	});
	shop.know([own, two, three]);
});

afterEach(async () => {
	machines = { [own]: 200, [two]: 200, [three]: 200 };
	vi.useRealTimers();
	vi.unstubAllGlobals();
});

const post = (id: string) => shop.reach('/api/v1/sync', { method: 'POST', headers: { 'Idempotency-Key': id } });

test.each([
	['one that is gone', 'down' as const],
	['one that reaches no majority', 503],
	['one that is another shop now', 421],
	['a proxy before nothing', 502],
])('%s is passed over, and the next asked from then on', async (_, is) => {
	machines[own] = is;
	expect((await post('a')).status).toBe(200);
	expect(shop.answers()).toBe(two);
	asked.length = 0;
	await post('b');
	expect(asked.filter((a) => a.startsWith('POST'))).toEqual([`POST ${two}/api/v1/sync`]);
});

test('what is refused is refused: no other machine is asked', async () => {
	machines[own] = 409;
	expect((await post('a')).status).toBe(409);
	expect(asked).toEqual(['POST own/api/v1/sync']);
});

test('one that hangs is left once it says nothing of its health either', async () => {
	machines[own] = 'hangs';
	const late = post('a');
	await vi.advanceTimersByTimeAsync(10_000);
	expect((await late).status).toBe(200);
	expect(shop.answers()).toBe(two);
});

test('where none answers, it says so, and the own is asked first again', async () => {
	machines = { [own]: 'down', [two]: 'down', [three]: 503 };
	expect((await post('a')).status).toBe(503);
	machines = { [own]: 'down', [two]: 'down', [three]: 'down' };
	await expect(post('b')).rejects.toThrow('Failed to fetch');
});

test('once the own address answers again, it is asked again', async () => {
	machines[own] = 'down';
	await post('a');
	machines[own] = 200;
	await vi.advanceTimersByTimeAsync(60_000);
	await post('b');
	await vi.advanceTimersByTimeAsync(10);
	expect(shop.answers()).toBe('');
});

test('a session is carried to the others once, ahead of need', async () => {
	await shop.carry('Ada');
	expect(asked.filter((a) => a.includes('carried'))).toEqual([
		`POST ${two}/api/v1/session/carried`,
		`POST ${three}/api/v1/session/carried`,
	]);
	asked.length = 0;
	await shop.carry('Ada');
	expect(asked).toEqual([]);
	machines[two] = 'down';
	localStorage.clear();
	await shop.carry('Ada');
	await shop.carry('Ada');
	expect(asked.filter((a) => a.includes('two')).length).toBe(2); // tried again
	expect(asked.filter((a) => a.includes('three')).length).toBe(1);
});

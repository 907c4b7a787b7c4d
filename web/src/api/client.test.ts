import { beforeEach, describe, expect, test, vi } from 'vitest';
import { network } from '../test/network';
import { body, client, noted, onSignIn, Refused } from './client';

/** Requests as they left, and what is answered. */
const sent: Request[] = [];
let answer: () => Response | Promise<Response> = () => Response.json({});

beforeEach(() => {
	sent.length = 0;
	answer = () => Response.json({});
	network.mockImplementation(async (request) => {
		sent.push(request);
		return answer();
	});
});

const at = (call: number) => ({ params: { path: { call } } });
const key = (i: number) => sent[i]?.headers.get('Idempotency-Key');

describe('what goes with a request', () => {
	test('a change has an id of its own, and when it was made and sent', async () => {
		await body(client.POST('/api/v1/calls/{call}/undo', at(3)));
		await body(client.POST('/api/v1/calls/{call}/undo', at(3)));
		expect(key(0)).toMatch(/^.{8,64}$/);
		expect(key(1)).not.toBe(key(0));
		for (const name of ['Elvat-Made-At', 'Elvat-Sent-At']) {
			expect(Date.parse(sent[0]?.headers.get(name) ?? '')).toBeGreaterThan(Date.now() - 60_000);
		}
		expect(sent[0]?.headers.get('Elvat-Device')).toBe(sent[1]?.headers.get('Elvat-Device'));
	});

	test('one that was never answered is the same when it is asked again', async () => {
		answer = () => Promise.reject(new TypeError('network'));
		await expect(body(client.POST('/api/v1/calls/{call}/redo', at(4)))).rejects.toThrow('does not answer');
		answer = () => Response.json({});
		await body(client.POST('/api/v1/calls/{call}/redo', at(4)));
		expect(key(1)).toBe(key(0));
		await body(client.POST('/api/v1/calls/{call}/redo', at(4)));
		expect(key(2)).not.toBe(key(0));
	});

	test('an answer without its body is no answer: the same is asked again', async () => {
		for (const cut of [
			() => new Response(null, { status: 200 }),
			() => new Response('', { status: 201, headers: { 'Content-Type': 'application/json' } }),
			() =>
				new Response(new ReadableStream({ start: (body) => body.error(new TypeError('cut off')) }), { status: 200 }),
		]) {
			sent.length = 0;
			answer = cut;
			const error = await body(client.POST('/api/v1/calls/{call}/undo', at(6))).catch((e: Error) => e);
			expect(error).not.toBeInstanceOf(Refused);
			expect((error as Error).message).toContain('Nothing is lost');
			answer = () => Response.json({});
			await body(client.POST('/api/v1/calls/{call}/undo', at(6)));
			expect(key(1)).toBe(key(0));
		}
	});

	test('looking needs none of it', async () => {
		await body(client.GET('/api/v1/calls/{call}', at(3)));
		expect(key(0)).toBeNull();
		expect(sent[0]?.headers.get('If-Match')).toBeNull();
	});

	test('the version that was on the screen: of the call, of its work, of a box', async () => {
		noted('call 5', { version: 11 });
		noted('work 5', { version: 12 });
		noted('box 5 B2', { version: 13 });
		await body(client.PUT('/api/v1/calls/{call}/breaker', { ...at(5), body: { label: '9', amps: 20 } }));
		await body(
			client.POST('/api/v1/calls/{call}/journal', { ...at(5), body: { id: 'entry-0001', entry: { kind: 'note' } } }),
		);
		await body(
			client.PUT('/api/v1/calls/{call}/boxes/{box}/steps', {
				params: { path: { call: 5, box: 'B2' } },
				body: { done: [] },
			}),
		);
		await body(client.POST('/api/v1/calls/{call}/undo', at(6)));
		expect(sent.map((r) => r.headers.get('If-Match'))).toEqual(['"11"', '"12"', '"13"', null]);
	});
});

describe('what comes back', () => {
	test.each([
		[422, true],
		[409, true],
		[404, true],
		[401, false],
		[429, false],
		[500, false],
	])('%i is final: %s', async (status, final) => {
		const asked = vi.fn();
		onSignIn(asked);
		answer = () => Response.json({ title: 'No', detail: 'B9: not on the run' }, { status });
		const error = await body(client.GET('/api/v1/calls/{call}', at(3))).catch((e) => e);
		expect(error).toBeInstanceOf(Refused);
		expect(error.message).toBe('B9: not on the run');
		expect(error.final).toBe(final);
		expect(asked).toHaveBeenCalledTimes(status === 401 ? 1 : 0);
	});
});

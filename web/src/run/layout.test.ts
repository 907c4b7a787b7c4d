import { describe, expect, test } from 'vitest';
import type { Stop } from '../api/client';
import { layOut } from './layout';

/** A run as pairs of box and what feeds it. */
const run = (...feeds: [string, string][]) => feeds.map(([box, from]) => ({ box, from }) as Stop);

const places = (stops: Stop[]) =>
	Object.fromEntries(layOut(stops).placed.map((p) => [p.stop.box, `${p.column}/${p.row}`]));

describe('a run is laid out like a line of stations', () => {
	test.each([
		['nothing yet', run(), {}, 0, 1],
		['one', run(['B1', 'panel']), { B1: '1/0' }, 1, 1],
		['in line', run(['B1', 'panel'], ['B2', 'B1'], ['B3', 'B2']), { B1: '1/0', B2: '2/0', B3: '3/0' }, 3, 1],
		[
			'the longest way on goes straight',
			run(['B1', 'panel'], ['B2', 'B1'], ['B3', 'B1'], ['B4', 'B3']),
			{ B1: '1/0', B2: '2/1', B3: '2/0', B4: '3/0' },
			3,
			2,
		],
		[
			'two branches take rows of their own',
			run(['B1', 'panel'], ['B2', 'B1'], ['B3', 'B1'], ['B4', 'B1'], ['B5', 'B2'], ['B6', 'B3']),
			{ B1: '1/0', B2: '2/0', B5: '3/0', B3: '2/1', B6: '3/1', B4: '2/2' },
			3,
			3,
		],
		['two ways from the panel', run(['B1', 'panel'], ['B2', 'panel']), { B1: '1/0', B2: '1/1' }, 1, 2],
	])('%s', (_, stops, want, columns, rows) => {
		expect(places(stops)).toEqual(want);
		const out = layOut(stops);
		expect([out.columns, out.rows]).toEqual([columns, rows]);
	});

	test('no two stand on one another, and each right of what feeds it, however it branches', () => {
		let seed = 7;
		const random = (n: number) => {
			seed = (seed * 1103515245 + 12345) % 2 ** 31;
			return seed % n;
		};
		for (let round = 0; round < 300; round++) {
			const stops: Stop[] = [];
			for (let i = 1; i <= 1 + random(26); i++) {
				const from = random(i);
				stops.push({ box: `B${i}`, from: from === 0 ? 'panel' : `B${from}` } as Stop);
			}
			const { placed } = layOut(stops);
			expect(placed).toHaveLength(stops.length);
			const taken = new Set(placed.map((p) => `${p.column}/${p.row}`));
			expect(taken.size).toBe(stops.length);
			for (const p of placed) expect(p.column).toBe(p.fromColumn + 1);
		}
	});
});

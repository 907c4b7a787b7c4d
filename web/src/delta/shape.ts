import type { Delta } from '../api/client';

/** The three sides of a delta and the corners each lies between. */
export const sides = [
	{ key: 'hotNeutral', words: 'hot to neutral', ends: ['H', 'N'] },
	{ key: 'hotGround', words: 'hot to ground', ends: ['H', 'G'] },
	{ key: 'neutralGround', words: 'neutral to ground', ends: ['N', 'G'] },
] as const;

export type SideKey = (typeof sides)[number]['key'];
export type Corner = 'H' | 'N' | 'G';

export const corners = [
	{ key: 'hot', letter: 'H', words: 'hot slot' },
	{ key: 'neutral', letter: 'N', words: 'neutral slot' },
	{ key: 'ground', letter: 'G', words: 'ground slot' },
] as const;

export type CornerKey = (typeof corners)[number]['key'];

export type Place = readonly [number, number];

/** Where the corners are for a delta of radius r about a centre. */
export function cornersOf(cx: number, cy: number, r: number): Record<Corner, Place> {
	return { H: [cx, cy - r], N: [cx - 0.98 * r, cy + 0.72 * r], G: [cx + 0.98 * r, cy + 0.72 * r] };
}

/** The line between two places, shortened by a gap at either end. */
export function between(a: Place, b: Place, gap: number): [Place, Place] {
	const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
	const ux = ((b[0] - a[0]) / length) * gap;
	const uy = ((b[1] - a[1]) / length) * gap;
	return [
		[a[0] + ux, a[1] + uy],
		[b[0] - ux, b[1] - uy],
	];
}

/** A wave along the line, for over-voltage. */
export function wave([x1, y1]: Place, [x2, y2]: Place, high: number): string {
	const length = Math.hypot(x2 - x1, y2 - y1);
	const humps = Math.max(3, Math.round(length / (high * 3)));
	const [nx, ny] = [-(y2 - y1) / length, (x2 - x1) / length];
	let d = `M${x1} ${y1}`;
	for (let i = 0; i < humps; i++) {
		const t = (i + 0.5) / humps;
		const up = i % 2 ? high : -high;
		d += ` Q${x1 + (x2 - x1) * t + nx * up * 2} ${y1 + (y2 - y1) * t + ny * up * 2} ${x1 + ((x2 - x1) * (i + 1)) / humps} ${y1 + ((y2 - y1) * (i + 1)) / humps}`;
	}
	return d;
}

const sideWords = { line: 'line voltage', ghost: 'some voltage', none: 'nothing', over: 'over-voltage' };

/** The delta in words, for those who do not see it. */
export function describe(delta: Delta | undefined): string {
	if (!delta) return 'not read';
	const parts = sides.flatMap((s) => {
		const is = delta[s.key];
		return is ? [`${s.words} ${sideWords[is]}`] : [];
	});
	if (delta.live?.length) parts.push(`sensor or long lead finds ${delta.live.join(' and ')} live`);
	return parts.length ? parts.join(', ') : 'not read';
}

import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Box, Landing } from '../../web/src/api/client';
import { type Drawn, faceOf, layOut } from '../../web/src/box/layout';
import { expect, test } from '../server';

const root = join(import.meta.dirname, '..', '..');

/** A box of so many cables, as the command plans it. */
function planned(cables: number, device: object, more: object = {}): { box: Box; wiring: Landing[] } {
	const box = {
		format: 'elvat-box/1',
		id: 'B1',
		breaker: { amps: 20 },
		box: { volumeIn3: 30 },
		cables: Array.from({ length: cables }, (_, i) => ({
			id: `W${i + 1}`,
			role: i === 0 ? 'line' : 'outgoing',
			awg: 12,
			conductors: ['hot', 'neutral', 'ground'],
			protect: i % 2 ? 'yes' : 'no',
			...(i === 2 ? { fromSheathIn: 4 } : {}),
		})),
		device: { id: 'D1', amps: 20, ...device },
		...more,
	};
	const plan = JSON.parse(execFileSync(join(root, 'bin', 'elvat'), ['makeup', '-'], { input: JSON.stringify(box) }).toString());
	return { box: box as unknown as Box, wiring: plan.wiring };
}

interface Piece {
	wire: string;
	x1: number;
	y1: number;
	x2: number;
	y2: number;
}

/** The straight pieces of every wire. */
function pieces(d: Drawn): Piece[] {
	return d.wires.flatMap((w) => {
		const numbers = [...w.path.matchAll(/[MLQ]|-?[\d.]+/g)].map((m) => m[0]);
		const out: Piece[] = [];
		let at = [0, 0];
		for (let i = 0; i < numbers.length; ) {
			const kind = numbers[i];
			const n = kind === 'Q' ? 4 : 2;
			const to = numbers.slice(i + n - 1, i + n + 1).map(Number);
			if (kind === 'L') out.push({ wire: w.key, x1: at[0] ?? 0, y1: at[1] ?? 0, x2: to[0] ?? 0, y2: to[1] ?? 0 });
			at = to;
			i += n + 1;
		}
		return out;
	});
}

/** How far two pieces run on one another. */
function shared(a: Piece, b: Piece): number {
	const along = (p: 'x' | 'y', q: 'x' | 'y') => {
		const flat = (s: Piece) => Math.abs(s[`${q}1`] - s[`${q}2`]) < 0.5;
		if (!flat(a) || !flat(b) || Math.abs(a[`${q}1`] - b[`${q}1`]) > 7) return 0;
		const [lo, hi] = [
			Math.max(Math.min(a[`${p}1`], a[`${p}2`]), Math.min(b[`${p}1`], b[`${p}2`])),
			Math.min(Math.max(a[`${p}1`], a[`${p}2`]), Math.max(b[`${p}1`], b[`${p}2`])),
		];
		return Math.max(0, hi - lo);
	};
	return Math.max(along('x', 'y'), along('y', 'x'));
}

const boxes = [
	{ name: 'one cable', cables: 1, device: { kind: 'receptacle', terminals: 'screw' } },
	{ name: 'two cables through', cables: 2, device: { kind: 'receptacle', terminals: 'screw' } },
	{ name: 'three cables, jumpers', cables: 3, device: { kind: 'receptacle', terminals: 'screw' } },
	{ name: 'three cables on a GFCI', cables: 3, device: { kind: 'gfci', terminals: 'clamp' } },
	{ name: 'five cables on a GFCI', cables: 5, device: { kind: 'gfci', terminals: 'clamp' } },
	{ name: 'LINE above', cables: 3, device: { kind: 'gfci', terminals: 'clamp', lineAt: 'top' } },
	{ name: 'a metal box', cables: 3, device: { kind: 'receptacle' }, more: { box: { material: 'metal', size: '4 square x 2 1/8' } } },
	{ name: 'two devices', cables: 2, device: { kind: 'receptacle' }, more: { others: [{ id: 'D2', kind: 'receptacle', amps: 15 }] } },
];

for (const { name, cables, device, more } of boxes) {
	test(`drawing ${name}: every wire is there, none lies on another or behind a device`, () => {
		const { box, wiring } = planned(cables, device, more);
		const others = (more as { others?: { id: string; kind: 'receptacle'; amps: number }[] } | undefined)?.others ?? [];
		const faces = [{ id: 'D1', amps: 20, ...device } as never, ...others].map((v: { id: string }) => faceOf(v as never, v.id));
		const d = layOut(box, faces, wiring);
		expect(d.wires.map((w) => w.key).sort()).toEqual(wiring.map(([a, b]) => `${a} ${b}`).sort());
		const all = pieces(d);
		const problems: string[] = [];
		for (const [i, a] of all.entries()) {
			for (const b of all.slice(i + 1)) {
				if (a.wire !== b.wire && shared(a, b) > 14) problems.push(`${a.wire} lies on ${b.wire}`);
			}
			for (const v of d.devices) {
				const inside = (x: number, y: number) => Math.abs(x - v.x) < v.width / 2 - 2 && y > v.y + 2 && y < v.y + v.height - 2;
				if (inside((a.x1 + a.x2) / 2, (a.y1 + a.y2) / 2)) problems.push(`${a.wire} runs behind ${v.id}`);
			}
			for (const [x, y] of [
				[a.x1, a.y1],
				[a.x2, a.y2],
			] as const) {
				if (x < 22 || x > d.width - 22 || y > d.height) problems.push(`${a.wire} leaves the box`);
			}
		}
		expect(problems).toEqual([]);
	});
}

test('the demo boxes are drawn in the colours that were recorded', () => {
	for (const [call, id] of [
		['bindery', 'B3'],
		['darkroom', 'B3'],
		['porch', 'B2'],
	]) {
		const box: Box = JSON.parse(readFileSync(join(root, 'internal', 'demo', 'boxes', `${call}-${id}.json`), 'utf8'));
		const landings = box.existing?.wiring ?? [];
		const d = layOut(box, box.existing ? [faceOf(box.existing, box.existing.id ?? 'old')] : [], landings);
		for (const w of d.wires.filter((wire) => wire.from.includes('@'))) {
			const [cable, rest] = w.from.split('@');
			const k = rest?.split('.')[1] ?? '';
			expect(w.colour).toBe(box.cables.find((c) => c.id === cable)?.insulation?.[k]);
		}
		expect(d.pin(box.id)).toBeDefined();
		expect(d.pin('nowhere')).toBeUndefined();
	}
});

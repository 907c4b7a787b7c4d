import type { Box, Chosen, Existing, Landing } from '../api/client';

/** A place in the drawing. */
export interface At {
	x: number;
	y: number;
}

/** A wire as drawn: from one point of the box to another, round what is in the way. */
export interface Wire {
	key: string;
	from: string;
	to: string;
	path: string;
	colour: string;
	jumper: boolean;
}

export interface DeviceShape extends At {
	id: string;
	gfci: boolean;
	toggle: boolean;
	twoSlot: boolean;
	width: number;
	height: number;
	/** LINE stands above LOAD. */
	lineAbove: boolean;
	brokenHot: boolean;
	brokenNeutral: boolean;
}

export interface SpliceShape extends At {
	name: string;
	width: number;
	ports: number;
	cap: boolean;
	words: string;
}

export interface SheathShape extends At {
	id: string;
	ends: { point: string; x: number }[];
}

export interface Drawn {
	width: number;
	height: number;
	top: number;
	sheaths: SheathShape[];
	devices: DeviceShape[];
	splices: SpliceShape[];
	terminals: Map<string, At & { kind: Kind }>;
	wires: Wire[];
	screw?: At;
	/** Where a finding about the point, cable, device or box is pinned. */
	pin: (name: string) => (At & { back?: boolean }) | undefined;
}

type Kind = 'hot' | 'hot2' | 'neutral' | 'ground';

/** The device as it is drawn, whether it is there or is to go in. */
export interface Face {
	id: string;
	gfci: boolean;
	/** A wall switch. */
	toggle: boolean;
	twoSlot: boolean;
	lineAbove: boolean;
	brokenHot: boolean;
	brokenNeutral: boolean;
}

export function faceOf(v: Chosen | Existing, id: string): Face {
	return {
		id,
		gfci: v.kind === 'gfci',
		toggle: false,
		twoSlot: v.slots === 2,
		lineAbove: 'lineAt' in v && v.lineAt === 'top',
		brokenHot: v.tab?.hot === 'removed',
		brokenNeutral: v.tab?.neutral === 'removed',
	};
}

/** A switch beside the device. */
export function faceOfSwitch(id: string): Face {
	return { id, gfci: false, toggle: true, twoSlot: false, lineAbove: false, brokenHot: false, brokenNeutral: false };
}

const order: Kind[] = ['neutral', 'ground', 'hot2', 'hot'];
const usual: Record<Kind, string> = { hot: 'black', hot2: 'red', neutral: 'white', ground: 'bare' };

const boxLeft = 30;
const top = 96;
const sheathBottom = top + 44;
const lane = 15;
const track = 14;
const deviceWidth = 168;
const deviceHeight = 214;
const port = 24;

/** Which of its ends a landing names first, so that cables come before what they land on. */
function turned([a, b]: Landing): Landing {
	return b?.includes('@') ? ([b, a] as Landing) : ([a, b] as Landing);
}

/**
 * Lays the box out as it is seen from the front: cables come in at the top,
 * neutrals go left to the silver side, hots right to the brass side, grounds down
 * to the green screw. Each wire has a lane and a track of its own, so that none
 * lies on another.
 */
export function layOut(box: Box, faces: Face[], landings: Landing[]): Drawn {
	const pairs = landings.map(turned);
	const kinds = kindsOf(box, pairs);
	const width = widthOf(box, pairs, kinds, faces.length);
	const sheaths = sheathsOf(box, width);
	const endX = new Map(sheaths.flatMap((s) => s.ends.map((e) => [e.point, e.x] as const)));

	const lanes = pairs.filter(([a]) => a?.includes('@')).length + 1;
	const middle = sheathBottom + 26 + lanes * lane;
	const zones = zonesOf(pairs, kinds, endX, faces.length);

	const devices = faces.map((f, i) => ({
		...f,
		x: zones.device + deviceWidth / 2,
		y: middle + 26 + i * (deviceHeight + 58),
		width: deviceWidth,
		height: deviceHeight,
	}));
	const terminals = terminalsOf(devices);
	const lowest = Math.max(middle + 150 + 46 * (zones.deepest - 1), ...devices.map((d) => d.y + d.height + 56));
	const splices = zones.splices.map((s) => ({ ...s, y: s.ground ? lowest - 46 : middle + 30 + s.row * 46 }));
	const hasScrew = pairs.some((p) => p.some((name) => name.endsWith('.box')));
	const screw = hasScrew ? { x: boxLeft + 26, y: lowest - 20 } : undefined;
	if (screw) terminals.set(`${box.id}.box`, { ...screw, kind: 'ground' });

	const wires = route({ box, pairs, kinds, endX, splices, terminals, devices, lowest });
	const spliceAt = new Map(splices.map((s) => [s.name, s]));
	const pin: Drawn['pin'] = (name) => {
		if (name === box.id) return { x: width - boxLeft - 22, y: lowest - 16, back: true };
		const sheath = sheaths.find((s) => s.id === name);
		if (sheath) return { x: sheath.x + 44, y: top + 12 };
		const x = endX.get(name);
		if (x !== undefined) return { x, y: sheathBottom + 12 };
		const device = devices.find((d) => d.id === name);
		if (device) return { x: device.x + device.width / 2 - 16, y: device.y + 18 };
		const splice = spliceAt.get(name);
		return splice ? { x: splice.x + splice.width / 2, y: splice.y } : terminals.get(name);
	};
	return { width, height: lowest + 20, top, sheaths, devices, splices, terminals, wires, screw, pin };
}

function sheathsOf(box: Box, width: number): SheathShape[] {
	const n = Math.max(1, box.cables.length);
	const step = (width - 2 * boxLeft) / n;
	return box.cables.map((c, i) => {
		const x = boxLeft + step * (i + 0.5);
		const ks = order.filter((k) => c.conductors.includes(k));
		return {
			id: c.id,
			x,
			y: top,
			ends: ks.map((k, j) => ({ point: `${c.id}@${box.id}.${k}`, x: x + (j - (ks.length - 1) / 2) * 19 })),
		};
	});
}

/** What each point carries, followed from the ends of the cables. */
function kindsOf(box: Box, pairs: Landing[]): Map<string, Kind> {
	const kinds = new Map<string, Kind>();
	for (const c of box.cables) for (const k of c.conductors) kinds.set(`${c.id}@${box.id}.${k}`, k);
	for (let round = 0; round < pairs.length; round++) {
		for (const [a, b] of pairs as [string, string][]) {
			const k = kinds.get(a) ?? kinds.get(b);
			for (const name of [a, b]) if (k && !kinds.has(name)) kinds.set(name, terminalKind(name) ?? k);
		}
	}
	return kinds;
}

function terminalKind(name: string): Kind | undefined {
	if (name.endsWith('.ground') || name.endsWith('.box')) return 'ground';
	if (name.includes('.neutral')) return 'neutral';
	return name.includes('.hot') ? 'hot' : undefined;
}

function terminalsOf(devices: DeviceShape[]): Map<string, At & { kind: Kind }> {
	const all = new Map<string, At & { kind: Kind }>();
	for (const d of devices) {
		const [up, down] = [d.y + 46, d.y + d.height - 46];
		const first = d.gfci ? (d.lineAbove ? up : down) : up;
		const second = first === up ? down : up;
		const name = (k: string, one: boolean) =>
			d.gfci ? `${d.id}.${one ? 'line' : 'load'}.${k}` : `${d.id}.${k}.${one ? 1 : 2}`;
		for (const [one, y] of [
			[true, first],
			[false, second],
		] as const) {
			if (!d.toggle) all.set(name('neutral', one), { x: d.x - d.width / 2, y, kind: 'neutral' });
			all.set(name('hot', one), { x: d.x + d.width / 2, y, kind: 'hot' });
		}
		all.set(`${d.id}.ground`, { x: d.x - 40, y: d.y + d.height, kind: 'ground' });
	}
	return all;
}

interface Zoned extends SpliceShape {
	ground: boolean;
	row: number;
}

/**
 * Which splice stands where: neutrals from the left edge inward, grounds between
 * them and the device, hots from the right edge inward; each a step lower than
 * the one further out, and beside it, so that no wire passes behind another's splice.
 */
function zonesOf(pairs: Landing[], kinds: Map<string, Kind>, endX: Map<string, number>, devices: number) {
	const members = new Map<string, string[]>();
	for (const [a, b] of pairs as [string, string][]) {
		for (const [name, other] of [
			[a, b],
			[b, a],
		] as const) {
			if (name.startsWith('splice:')) members.set(name, [...(members.get(name) ?? []), other]);
		}
	}
	const shapes = [...members].map(([name, of]) => {
		const k = kinds.get(name) ?? 'ground';
		const ports = of.filter((m) => endX.has(m)).length;
		const cap = of.length === 1;
		const words = wordsOf(name, cap);
		const width = Math.max(words.length * 9.5 + 18, port * ports + 18);
		return { name, kind: k, width, ports, cap, words };
	});
	const on = (k: 'left' | 'ground' | 'right') =>
		shapes.filter((s) => (s.kind === 'ground' ? 'ground' : s.kind === 'neutral' ? 'left' : 'right') === k);
	const tracksOf = (side: 'neutral' | 'hot') =>
		pairs.flat().filter((name) => !name?.includes('@') && terminalKind(name ?? '') === side).length;
	const splices: Zoned[] = [];
	const screw = pairs.some((p) => p.some((name) => name.endsWith('.box')));
	let x = boxLeft + (screw ? 62 : 16);
	for (const [row, s] of on('left').entries()) {
		splices.push({ ...s, x: x + s.width / 2, y: 0, ground: false, row });
		x += s.width + gap;
	}
	for (const s of on('ground')) {
		splices.push({ ...s, x: x + s.width / 2, y: 0, ground: true, row: 0 });
		x += s.width + gap;
	}
	const device = Math.max(x, boxLeft + 60) + (tracksOf('neutral') + devices + 1) * track + 50;
	x = device + deviceWidth + (tracksOf('hot') + 1) * track + 72;
	const hots = on('right').reverse();
	for (const [i, s] of hots.entries()) {
		splices.push({ ...s, x: x + s.width / 2, y: 0, ground: false, row: hots.length - 1 - i });
		x += s.width + gap;
	}
	const deepest = Math.max(1, on('left').length, hots.length);
	return { splices, device, width: Math.max(x + boxLeft, device + deviceWidth + 120), deepest };
}

const gap = 14;

/** Wide enough for what is in it, and for the names over the cables. */
function widthOf(box: Box, pairs: Landing[], kinds: Map<string, Kind>, devices: number): number {
	const ends = new Map(box.cables.flatMap((c) => c.conductors.map((k) => [`${c.id}@${box.id}.${k}`, 0] as const)));
	return Math.max(640, box.cables.length * 190, zonesOf(pairs, kinds, ends, devices).width);
}

function wordsOf(name: string, cap: boolean): string {
	if (cap) return 'capped';
	const n = name.slice('splice:'.length);
	const known: Record<string, string> = {
		ground: 'grounds',
		hot2: 'second hot',
		'load-hot': 'hot, LOAD',
		'load-neutral': 'neutral, LOAD',
	};
	return known[n] ?? (n.includes('-') ? 'longer' : n);
}

interface Scene {
	box: Box;
	pairs: Landing[];
	kinds: Map<string, Kind>;
	endX: Map<string, number>;
	splices: SpliceShape[];
	terminals: Map<string, At & { kind: Kind }>;
	devices: DeviceShape[];
	lowest: number;
}

interface Run {
	from: string;
	to: string;
	sx: number;
	tx: number;
	tail: At[];
}

function route(s: Scene): Wire[] {
	const spliceAt = new Map(s.splices.map((x) => [x.name, x]));
	const used = new Map<string, number>(); // ports of a splice that are taken
	const edge = s.devices[0] ?? { x: 300, width: deviceWidth };
	const tracks = { left: edge.x - edge.width / 2 - 18, right: edge.x + edge.width / 2 + 18 };
	const sources = [...s.endX.values()];
	/** The next track outward that no wire comes down from the top on. */
	const trackX = (side: 'left' | 'right') => {
		const out = side === 'left' ? -1 : 1;
		tracks[side] += out * track;
		while (sources.some((x) => Math.abs(x - tracks[side]) < 9)) tracks[side] += out * 3;
		return tracks[side];
	};
	/** A port of a splice, a little aside where another wire comes down just there. */
	const besides = (x: number, own: number) => {
		const near = sources.find((other) => other !== own && Math.abs(other - x) < 9);
		return near === undefined ? x : x < near ? near - 9 : near + 9;
	};

	// Terminals get their tracks from the top down, so that inner tracks end first.
	const onTerminal = new Map<string, number>();
	const byHeight = s.pairs
		.flatMap(([a, b]) => [
			[b, a],
			[a, b],
		])
		.filter(([t]) => t !== undefined && s.terminals.has(t) && !t.endsWith('.ground') && !t.endsWith('.box'))
		.sort(([a], [b]) => (s.terminals.get(a ?? '')?.y ?? 0) - (s.terminals.get(b ?? '')?.y ?? 0));
	for (const [t, other] of byHeight as [string, string][]) {
		onTerminal.set(`${t} ${other}`, trackX(s.terminals.get(t)?.kind === 'neutral' ? 'left' : 'right'));
	}

	/** The way into a terminal from above: down its track and in from the side. */
	const into = (t: string, other: string): { x: number; tail: At[] } | undefined => {
		const at = s.terminals.get(t);
		if (!at) return undefined;
		if (t.endsWith('.box')) return { x: at.x, tail: [at] };
		if (at.kind === 'ground') {
			const x = trackX('left');
			return { x, tail: [{ x, y: at.y + 26 }, { x: at.x, y: at.y + 26 }, at] };
		}
		const x = onTerminal.get(`${t} ${other}`) ?? trackX(at.kind === 'neutral' ? 'left' : 'right');
		return { x, tail: [{ x, y: at.y }, at] };
	};

	const runs: Run[] = [];
	const wires: Wire[] = [];
	const add = (from: string, to: string, points: At[], jumper: boolean) =>
		wires.push({
			key: `${from} ${to}`,
			from,
			to,
			path: rounded(points),
			colour: colourOf(s, from, to),
			jumper,
		});
	const cablesFirst = [...s.pairs].sort((a, b) => (s.endX.get(a[0] ?? '') ?? 1e9) - (s.endX.get(b[0] ?? '') ?? 1e9));
	for (const [a, b] of cablesFirst as [string, string][]) {
		const sx = s.endX.get(a);
		if (sx === undefined) continue;
		const splice = spliceAt.get(b);
		if (splice) {
			const i = used.get(b) ?? 0;
			used.set(b, i + 1);
			const tx = besides(splice.x + (i - (splice.ports - 1) / 2) * port, sx);
			runs.push({ from: a, to: b, sx, tx, tail: [{ x: tx, y: splice.y - 18 }] });
			continue;
		}
		const way = into(b, a);
		if (way) runs.push({ from: a, to: b, sx, tx: way.x, tail: way.tail });
	}
	for (const [i, r] of inLanes(runs).entries()) {
		const y = sheathBottom + 24 + i * lane;
		add(r.from, r.to, [{ x: r.sx, y: sheathBottom - 6 }, { x: r.sx, y }, { x: r.tx, y }, ...r.tail], false);
	}

	const jumpersFrom = new Map<string, number>();
	for (const [a, b] of s.pairs as [string, string][]) {
		if (s.endX.has(a)) continue;
		const from = spliceAt.get(a) ?? spliceAt.get(b);
		const target = spliceAt.has(a) ? b : a;
		if (!from) {
			between(a, b);
			continue;
		}
		const n = jumpersFrom.get(from.name) ?? 0;
		jumpersFrom.set(from.name, n + 1);
		const y = from.y - 8 + n * 10;
		const at = s.terminals.get(target);
		if (!at) continue;
		if (target.endsWith('.box')) {
			const x = from.x - from.width / 2;
			add(from.name, target, [{ x, y: from.y }, { x: at.x, y: from.y }, at], true);
			continue;
		}
		const left = from.x < at.x;
		const x0 = from.x + ((left ? 1 : -1) * from.width) / 2;
		if (at.kind === 'ground') {
			const yy = at.y + 20 + (s.devices.length > 1 ? n * 4 : 0);
			const x1 = x0 + 18 + n * track;
			add(from.name, target, [{ x: x0, y }, { x: x1, y }, { x: x1, y: yy }, { x: at.x, y: yy }, at], true);
			continue;
		}
		const x = onTerminal.get(`${target} ${from.name}`) ?? trackX(left ? 'left' : 'right');
		add(from.name, target, [{ x: x0, y }, { x, y }, { x, y: at.y }, at], true);
	}

	/** A jumper between two terminals of the box. */
	function between(a: string, b: string) {
		const [p, q] = [s.terminals.get(a), s.terminals.get(b)];
		if (!p || !q) return;
		if (b.endsWith('.box') || a.endsWith('.box')) {
			const [from, screw] = b.endsWith('.box') ? [p, q] : [q, p];
			add(a, b, [from, { x: from.x, y: from.y + 26 }, { x: screw.x, y: from.y + 26 }, screw], true);
			return;
		}
		const x = onTerminal.get(`${a} ${b}`) ?? trackX(p.kind === 'neutral' ? 'left' : 'right');
		add(a, b, [p, { x, y: p.y }, { x, y: q.y }, q], true);
	}
	return wires;
}

/** Lanes from the top: those that would cross fewest others first. */
function inLanes(runs: Run[]): Run[] {
	const right = runs.filter((r) => r.tx >= r.sx).sort((a, b) => b.sx - a.sx);
	const left = runs.filter((r) => r.tx < r.sx).sort((a, b) => a.sx - b.sx);
	return [...right, ...left];
}

function colourOf(s: Scene, from: string, to: string): string {
	for (const name of [from, to]) {
		if (!name.includes('@')) continue;
		const [id, rest] = name.split('@');
		const k = rest?.split('.')[1] as Kind;
		return s.box.cables.find((c) => c.id === id)?.insulation?.[k] || usual[k];
	}
	const k = s.kinds.get(from) ?? s.kinds.get(to) ?? 'ground';
	return k === 'ground' && !from.endsWith('.box') && !to.endsWith('.box') ? 'green' : usual[k];
}

/** A path through the points with small round corners. */
function rounded(points: At[]): string {
	const p = points.filter((q, i) => i === 0 || q.x !== points[i - 1]?.x || q.y !== points[i - 1]?.y);
	let d = `M${p[0]?.x} ${p[0]?.y}`;
	for (let i = 1; i < p.length; i++) {
		const [a, b, c] = [p[i - 1], p[i], p[i + 1]];
		if (!a || !b) continue;
		if (!c) {
			d += `L${b.x} ${b.y}`;
			continue;
		}
		const r = Math.min(8, Math.hypot(b.x - a.x, b.y - a.y) / 2, Math.hypot(c.x - b.x, c.y - b.y) / 2);
		const before = towards(b, a, r);
		const after = towards(b, c, r);
		d += `L${before.x} ${before.y}Q${b.x} ${b.y} ${after.x} ${after.y}`;
	}
	return d;
}

function towards(from: At, to: At, by: number): At {
	const l = Math.hypot(to.x - from.x, to.y - from.y) || 1;
	return { x: from.x + ((to.x - from.x) / l) * by, y: from.y + ((to.y - from.y) / l) * by };
}

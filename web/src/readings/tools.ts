import type { Delta, Reading, Tool } from '../api/client';

export const tools: { tool: Tool; words: string; short: string }[] = [
	{ tool: 'plug', words: 'Plug tester', short: 'Plug' },
	{ tool: 'meter', words: 'Meter', short: 'Meter' },
	{ tool: 'sensor', words: 'Sensor', short: 'Sensor' },
	{ tool: 'lamp', words: 'Test lamp', short: 'Lamp' },
];

export type Lamps = NonNullable<Reading['lamps']>;
export type Volts = NonNullable<Reading['volts']>;
export type Slots = NonNullable<Reading['slots']>;
export type Glow = NonNullable<Reading['glow']>;
export type Level = NonNullable<Slots['hot']>;
export type Lit = NonNullable<Lamps['hotNeutral']>;

/** What an entry hands over: a reading without its place. */
export type Shown = Omit<Reading, 'at' | 'half'>;

const drawn = { lit: 'line', dark: 'none' } as const;

/** Lamps as they are drawn while they are entered. */
export function lampDelta(lamps: Lamps): Delta {
	return {
		hotNeutral: lamps.hotNeutral && drawn[lamps.hotNeutral],
		hotGround: lamps.hotGround && drawn[lamps.hotGround],
		neutralGround: lamps.neutralGround && drawn[lamps.neutralGround],
	};
}

export const glows: { glow: Glow; words: string; delta: Delta }[] = [
	{ glow: 'off', words: 'off', delta: { hotNeutral: 'none' } },
	{ glow: 'dim', words: 'dim', delta: { hotNeutral: 'ghost' } },
	{ glow: 'bright', words: 'bright', delta: { hotNeutral: 'line' } },
	{ glow: 'over', words: 'too bright', delta: { hotNeutral: 'over' } },
];

const volt = (v: number | undefined) => (v === undefined ? '·' : v.toFixed(v < 10 ? 1 : 0));

/** A reading in a line of words. */
export function inWords(r: Reading): string {
	switch (r.tool) {
		case 'plug':
			return `Plug tester: ${[r.lamps?.hotNeutral, r.lamps?.hotGround, r.lamps?.neutralGround].map((l) => l ?? '·').join(', ')}`;
		case 'meter': {
			const v = r.volts ?? {};
			const slots = `${volt(v.hotNeutral)} / ${volt(v.hotGround)} / ${volt(v.neutralGround)} V`;
			const lead = [v.hotEarth, v.neutralEarth, v.groundEarth];
			const toKnown = lead.some((x) => x !== undefined) ? `, to known ground ${lead.map(volt).join(' / ')} V` : '';
			return `Meter${r.mode === 'low-z' ? ', low-z' : ''}: ${slots}${toKnown}`;
		}
		case 'sensor':
			return `Sensor: ${[r.slots?.hot, r.slots?.neutral, r.slots?.ground].map((l) => l ?? '·').join(', ')}`;
		default:
			return `Test lamp: ${glows.find((g) => g.glow === r.glow)?.words ?? r.glow}`;
	}
}

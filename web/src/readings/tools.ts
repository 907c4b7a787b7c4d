import type { Delta, Reading, Tool } from '../api/client';

/** The testers as they are picked: one entry may serve several tools. */
export const tools: { tool: Tool; words: string; short: string; also?: Tool[] }[] = [
	{ tool: 'plug', words: 'Plug tester', short: 'Plug' },
	{ tool: 'meter', words: 'Meter', short: 'Meter' },
	{ tool: 'sensor', words: 'Sensor', short: 'Sensor' },
	{ tool: 'lamp', words: 'Test lamp', short: 'Lamp' },
	{ tool: 'plug-button', words: 'Buttons', short: 'Button', also: ['device-button', 'light'] },
	{ tool: 'analyzer', words: 'Load tester', short: 'Load' },
	{ tool: 'ohms', words: 'Opened box', short: 'Box', also: ['clamp'] },
];

/** Whether the picked tester is the one of that entry. */
export function serves(entry: (typeof tools)[number], tool: Tool): boolean {
	return entry.tool === tool || (entry.also?.includes(tool) ?? false);
}

export type Lamps = NonNullable<Reading['lamps']>;
export type Volts = Exclude<NonNullable<Reading['volts']>, number>;
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

export const answerWords = {
	'came-back': 'it came back',
	'no-change': 'no change',
	'will-not-hold': 'will not hold',
} as const;

import type { Delta, Reading, Tool } from '../api/client';

/** The testers as they are picked: one entry may serve several tools. */
export const tools: { tool: Tool; words: string; short: string; also?: Tool[] }[] = [
	{ tool: 'plug', words: 'Plug tester', short: 'Plug' },
	{ tool: 'meter', words: 'Meter', short: 'Meter' },
	{ tool: 'sensor', words: 'Sensor', short: 'Sensor' },
	{ tool: 'lamp', words: 'Test lamp', short: 'Lamp' },
	{ tool: 'plug-button', words: 'Buttons', short: 'Button', also: ['device-button'] },
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

const volt = (v: number | undefined) => (v === undefined ? '·' : v.toFixed(v < 10 ? 1 : 0));

function meterWords(v: Volts): string {
	const slots = [v.hotNeutral, v.hotGround, v.neutralGround];
	const lead = [v.hotEarth, v.neutralEarth, v.groundEarth];
	const parts = [];
	if (slots.some((x) => x !== undefined)) parts.push(`${slots.map(volt).join(' / ')} V`);
	if (lead.some((x) => x !== undefined)) parts.push(`to known ground ${lead.map(volt).join(' / ')} V`);
	return parts.join(', ');
}

function pressed(r: Reading): string {
	return r.tripped?.length ? `tripped ${r.tripped.join(', ')}` : 'nothing tripped';
}

const ohm = (v: number | null | undefined) => (v === undefined || v === null ? '·' : v.toFixed(2));

function analyzed(r: Reading): string {
	const parts = [];
	if (typeof r.volts === 'number') parts.push(`${volt(r.volts)} V`);
	if (r.dropPercent !== undefined && r.dropPercent !== null) parts.push(`drop ${r.dropPercent.toFixed(1)} %`);
	if (r.ohms) parts.push(`${ohm(r.ohms.hot)} / ${ohm(r.ohms.neutral)} / ${ohm(r.ohms.ground)} ohm`);
	if (r.wiring) parts.push(r.wiring.replaceAll('-', ' '));
	return parts.join(', ');
}

const faultWords = (f: { kind: string; at: string }) => `${f.kind} at ${f.at}`;

const askedWords = { 'reset-gfcis': 'GFCIs reset', 'cycle-breaker': 'Breaker off and on' } as const;

export const answerWords = {
	'came-back': 'it came back',
	'no-change': 'no change',
	'will-not-hold': 'will not hold',
} as const;

function acted(r: Reading): string {
	const held = r.held ? 'it holds' : 'it does not hold';
	switch (r.act) {
		case 'unplug-all':
			return 'Everything unplugged, from here on';
		case 'switches-on':
			return 'Every wall switch on, from here on';
		case 'reset':
			return `Reset pressed: ${held}`;
		case 'reset-breaker':
			return `Breaker off and on: ${held}`;
		case 'plugged':
			return `About ${r.watts} W is plugged in there`;
		case 'find-box':
			return Array.isArray(r.found) && r.found.length
				? `Found along the cable, not drawn yet: ${r.found.join(', ')}`
				: 'No outlet or junction that nobody drew was found there';
		default: {
			const names = Array.isArray(r.found) ? r.found.join(', ') : '';
			const back = r.cameBack?.length ? ', and it works now' : '';
			return `Every GFCI reset: ${names ? `tripped was ${names}${back}` : 'none had tripped'}`;
		}
	}
}

const hints = {
	'live-plate': ['the sensor answers at the closed plate', 'the sensor is silent at the closed plate'],
	'warm-plate': ['the plate is warm', 'the plate is cool'],
	wiggle: ['the lamp flickers when the plug is moved', 'the lamp burns steadily when the plug is moved'],
} as const;

/** A reading in a line of words. */
export function inWords(r: Reading): string {
	if (r.skipped) return 'Asked for, not taken: cannot reach it';
	if (r.tool === 'act') return acted(r);
	if (r.tool === 'hint' && r.hint) return `From outside: ${hints[r.hint][r.yes ? 0 : 1]}`;
	const lowZ = r.mode === 'low-z' ? ', low-z' : '';
	const reads = r.reads === undefined ? '' : r.reads === 'open' ? 'open' : String(r.reads);
	switch (r.tool) {
		case 'plug':
			return `Plug tester: ${[r.lamps?.hotNeutral, r.lamps?.hotGround, r.lamps?.neutralGround].map((l) => l ?? '·').join(', ')}`;
		case 'plug-button':
			return `Plug tester's button: ${pressed(r)}`;
		case 'device-button':
			return `Its own button: ${pressed(r)}`;
		case 'meter':
			if (r.between) return `Meter${lowZ}, ${r.between.join(' to ')}: ${reads} V`;
			return `Meter${lowZ}: ${typeof r.volts === 'object' ? meterWords(r.volts) : ''}`;
		case 'sensor':
			if (r.point) return `Sensor on ${r.point}: ${r.level}`;
			return `Sensor: ${[r.slots?.hot, r.slots?.neutral, r.slots?.ground].map((l) => l ?? '·').join(', ')}`;
		case 'analyzer':
			return `Load tester: ${analyzed(r)}`;
		case 'ohms':
			return `Ohms, ${r.between?.join(' to ')}: ${reads}`;
		case 'eyes':
			return Array.isArray(r.found) && r.found.length
				? `Opened: found ${r.found.map((f) => (typeof f === 'string' ? f : faultWords(f))).join(', ')}`
				: 'Opened: all sound';
		case 'fixed':
			return `Put right: ${(r.faults ?? []).map(faultWords).join(', ')}`;
		case 'told':
			if (r.asked) return `${askedWords[r.asked]}: ${answerWords[r.answer ?? 'no-change']}`;
			return `Customer: ${r.works ? 'works' : 'dead'}`;
		case 'clamp':
			return `Clamp on ${r.point}: ${r.amps} A`;
		default:
			return `Test lamp: ${glows.find((g) => g.glow === r.glow)?.words ?? r.glow}`;
	}
}

/** The state a reading was taken in, in a few words; empty where it was as usual. */
export function stateWords(r: Reading): string {
	const s = r.state;
	if (!s) return '';
	const parts = [];
	if (s.breakerOn === false) parts.push('breaker off');
	if (s.loadsOn) parts.push(s.loadsOn.length ? `on: ${s.loadsOn.join(', ')}` : 'nothing switched on');
	if (s.tripped?.length) parts.push(`${s.tripped.join(', ')} tripped`);
	if (s.separated?.length) parts.push(`${s.separated.join(', ')} taken off`);
	return parts.join('; ');
}

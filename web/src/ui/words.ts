import { measure } from './units';

/** A probability as people say it; none is ever certain. */
export function percent(p: number): string {
	if (p > 0.99) return '>99 %';
	if (p < 0.01) return '<1 %';
	return `${Math.round(p * 100)} %`;
}

/** The same in two parts, for large type. */
export function percentParts(p: number): [string, string] {
	const words = percent(p);
	return [words.slice(0, -2), '%'];
}

export function minutes(m: number): string {
	if (m < 1) return 'under a minute';
	const rounded = Math.round(m * 2) / 2;
	return rounded === 1 ? 'about 1 minute' : `about ${rounded} minutes`;
}

/** The ways a time is written, on the clocks of a zone; the browser's own where none is named. */
function clocks(timeZone?: string) {
	const of = (how: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat('en-US', { ...how, timeZone });
	return {
		clock: of({ hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }),
		day: of({ weekday: 'short', month: 'short', day: 'numeric' }),
		date: of({ year: 'numeric', month: 'short', day: 'numeric' }),
	};
}

let shown = clocks();

/** Times are shown as clocks in the shop show them. */
export function inZone(timeZone: string) {
	try {
		shown = clocks(timeZone || undefined);
	} catch {
		shown = clocks(); // one that this browser does not know
	}
}

export function timeOf(stamp: string): string {
	return shown.clock.format(new Date(stamp));
}

export function dayOf(stamp: string | Date): string {
	return shown.day.format(new Date(stamp));
}

export function ago(stamp: string): string {
	const min = Math.max(0, Math.round((Date.now() - Date.parse(stamp)) / 60000));
	if (min < 60) return `${min} min ago`;
	if (min < 24 * 60) return `${Math.floor(min / 60)} h ${min % 60} min ago`;
	return dayOf(stamp);
}

export function capital(s: string): string {
	return s.charAt(0).toUpperCase() + s.slice(1);
}

export function feet(ft: number): string {
	const { unit, shown } = measure('ft');
	return `${unit === 'ft' ? Math.round(ft) : shown(ft)} ${unit}`;
}

/** The number typed, with a point or a comma; NaN where it is none. */
export function numberIn(typed: string): number {
	const text = typed.trim().replace(',', '.');
	return text === '' ? Number.NaN : Number(text);
}

/** The day with its year. */
export function dateOf(stamp: string): string {
	return shown.date.format(new Date(stamp));
}

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

const clock = new Intl.DateTimeFormat('en-US', { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' });
const day = new Intl.DateTimeFormat('en-US', { weekday: 'short', month: 'short', day: 'numeric' });

export function timeOf(stamp: string): string {
	return clock.format(new Date(stamp));
}

export function dayOf(stamp: string | Date): string {
	return day.format(new Date(stamp));
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
	return `${Math.round(ft)} ft`;
}

/** The number typed, with a point or a comma; NaN where it is none. */
export function numberIn(typed: string): number {
	const text = typed.trim().replace(',', '.');
	return text === '' ? Number.NaN : Number(text);
}

const date = new Intl.DateTimeFormat('en-US', { year: 'numeric', month: 'short', day: 'numeric' });

/** The day with its year. */
export function dateOf(stamp: string): string {
	return date.format(new Date(stamp));
}

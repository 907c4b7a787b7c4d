/** The source that a tester was proven on last, kept for the day on this machine. */
export interface LiveSource {
	tester: string;
	source: string;
	volts: number;
}

const key = 'elvat.live-source';
const today = () => new Date().toDateString();

export function lastSource(): LiveSource | undefined {
	try {
		const kept = JSON.parse(localStorage.getItem(key) ?? 'null') as (LiveSource & { day: string }) | null;
		return kept?.day === today() ? kept : undefined;
	} catch {
		return undefined;
	}
}

export function keepSource(s: LiveSource) {
	localStorage.setItem(key, JSON.stringify({ ...s, day: today() }));
}

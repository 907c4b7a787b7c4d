import { whole } from './whole';

/**
 * The addresses of the shop's machines, where there are several: what one does not answer is asked at the next. It holds
 * for a page and, apart from it, for the phone's worker.
 */

/** Other addresses than the one that the application came from. */
let others: string[] = [];

/** Where is asked; empty: at the address that the application came from. */
let at = '';

const name = 'elvat-addresses';
const stored = () => ('localStorage' in globalThis ? localStorage : undefined);

try {
	others = JSON.parse(stored()?.getItem(name) ?? '[]');
} catch {
	others = []; // a browser that keeps nothing: it learns them when it is signed in
}

/** Notes all addresses of the shop, as it said them itself. */
export function know(all: string[]): void {
	others = all.filter((address) => address !== location.origin);
	if (!['', ...others].includes(at)) at = '';
	try {
		stored()?.setItem(name, JSON.stringify(others));
	} catch {
		// a browser that keeps nothing
	}
}

export const known = (): string[] => others;

/** The address that answers just now; empty: the one that the application came from. */
export const answers = (): string => at;

/** How long an answer may take before it is looked whether the machine still answers at all, and how long that may take. */
const quiet = 2500;
const healthTakes = 2000;

/** How often it is looked whether the address that the application came from answers again. */
const homeEvery = 30_000;

const later = (ms: number) => new Promise((done) => setTimeout(done, ms));

async function healthy(base: string): Promise<boolean> {
	try {
		const answer = await fetch(`${base}/api/v1/health`, {
			credentials: 'omit',
			cache: 'no-store',
			signal: AbortSignal.timeout(healthTakes),
		});
		return answer.ok && (await answer.json()).answers === true;
	} catch {
		return false;
	}
}

/** Answers of a machine that cannot do it just now: not reached, none of a majority, or another shop's. */
const elsewhere = (status: number) => [421, 502, 503, 504].includes(status);

interface Asked {
	path: string;
	init: RequestInit;
}

async function once(base: string, { path, init }: Asked): Promise<Response> {
	const stop = new AbortController();
	const signal = init.signal ? AbortSignal.any([init.signal, stop.signal]) : stop.signal;
	let answered = false;
	// What takes long is waited for, as long as the machine says that it is there.
	const watch = async () => {
		for (await later(quiet); !answered; await later(quiet)) if (!(await healthy(base)) && !answered) stop.abort();
	};
	void watch();
	try {
		return await whole(await fetch(base + path, { ...init, signal, credentials: base ? 'include' : 'same-origin' }));
	} finally {
		answered = true;
	}
}

let lookedHome = 0;

/** Once the address that the application came from answers again, it is asked again. */
function home(): void {
	if (at === '' || Date.now() - lookedHome < homeEvery) return;
	lookedHome = Date.now();
	void healthy('').then((well) => {
		if (well) at = '';
	});
}

/**
 * Asks the shop, at whichever of its addresses answers. What changes something carries an id, by which it is done once
 * however often it is asked for.
 */
export async function reach(path: string, init: RequestInit): Promise<Response> {
	if (others.length === 0) return whole(await fetch(path, init));
	home();
	const was = at;
	let refused: Response | undefined;
	let failed: unknown;
	for (const base of new Set([at, '', ...others])) {
		try {
			const answer = await once(base, { path, init });
			if (!elsewhere(answer.status)) {
				if (at === was) at = base; // else it was found meanwhile that another answers
				return answer;
			}
			refused = answer;
		} catch (error) {
			if (init.signal?.aborted) throw error;
			failed = error;
		}
	}
	if (refused) return refused;
	throw failed;
}

const carried = 'elvat-carried';

/** A session is carried again after so long: it ends by itself where it is not used for days. */
const carryEvery = 12 * 3600_000;

/**
 * Signs this browser in at the shop's other addresses ahead, while the one it is signed in at answers: each has cookies of
 * its own, but for ports of one name.
 */
export async function carry(who: string): Promise<void> {
	let done: Record<string, number> = {};
	try {
		done = JSON.parse(stored()?.getItem(carried) ?? '{}');
	} catch {
		// what was kept is no use
	}
	for (const base of others) {
		const key = `${who} ${base}`;
		if (new URL(base).hostname === location.hostname || Date.now() - (done[key] ?? 0) < carryEvery) continue;
		try {
			const json = { 'Content-Type': 'application/json' };
			const made = await fetch('/api/v1/session/ticket', { method: 'POST', headers: json });
			if (!made.ok) return;
			const there = await fetch(`${base}/api/v1/session/carried`, {
				method: 'POST',
				credentials: 'include',
				headers: json,
				body: JSON.stringify({ ticket: (await made.json()).ticket }),
				signal: AbortSignal.timeout(healthTakes),
			});
			if (there.ok) done[key] = Date.now();
		} catch {
			// that machine does not answer: at the next start
		}
	}
	try {
		stored()?.setItem(carried, JSON.stringify(done));
	} catch {
		// it is carried again at the next start
	}
}

/** Who signs in next is carried anew. */
export function forget(): void {
	try {
		stored()?.removeItem(carried);
	} catch {
		// nothing was kept
	}
}

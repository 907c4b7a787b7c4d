import type { Stop } from '../api/client';

/** Where a stop stands: its column counted from the panel, and its row. */
export interface Placed {
	stop: Stop;
	column: number;
	row: number;
	/** Row of the stop, or the panel, that feeds it. */
	fromRow: number;
	fromColumn: number;
}

export interface Layout {
	placed: Placed[];
	columns: number;
	rows: number;
}

/**
 * Lays the run out like a line of stations: the longest way on goes straight,
 * branches go down to the nearest row that is free that far.
 */
export function layOut(stops: Stop[]): Layout {
	const children = new Map<string, Stop[]>();
	for (const s of stops) children.set(s.from, [...(children.get(s.from) ?? []), s]);
	const depth = new Map<string, number>();
	const measure = (box: string): number => {
		const deepest = Math.max(0, ...(children.get(box) ?? []).map((c) => 1 + measure(c.box)));
		depth.set(box, deepest);
		return deepest;
	};
	measure('panel');

	const taken: number[] = []; // the last column used in each row
	const placed: Placed[] = [];
	const walk = (from: string, column: number, row: number) => {
		taken[row] = Math.max(taken[row] ?? 0, column);
		const next = [...(children.get(from) ?? [])].sort((a, b) => (depth.get(b.box) ?? 0) - (depth.get(a.box) ?? 0));
		const rowOf = new Map<string, number>();
		for (const [i, stop] of next.entries()) {
			const straight = i === 0;
			let r = row;
			if (!straight) {
				r = row + 1;
				while ((taken[r] ?? 0) > column) r++;
			}
			rowOf.set(stop.box, r);
			placed.push({ stop, column: column + 1, row: r, fromRow: row, fromColumn: column });
			// A branch takes its row before the straight run's own branches look for one.
			if (!straight) taken[r] = column + 1 + (depth.get(stop.box) ?? 0);
		}
		for (const stop of next) walk(stop.box, column + 1, rowOf.get(stop.box) ?? row);
	};
	walk('panel', 0, 0);
	return {
		placed,
		columns: Math.max(0, ...placed.map((p) => p.column)),
		rows: Math.max(0, ...placed.map((p) => p.row)) + 1,
	};
}

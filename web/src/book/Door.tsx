import { useState } from 'react';
import type { DirectoryRow, PanelBook } from '../api/client';
import { useImportDirectory, useSetPanel } from '../api/shop';
import { Button, field } from '../ui/Button';
import { OpenFile } from '../ui/OpenFile';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { numberIn } from '../ui/words';

/** The directory as it hangs on the panel's door: odd numbers left, even ones right, all else below. */
export function Door({ panel, may }: { panel: PanelBook; may: boolean }) {
	const take = useImportDirectory(panel.id);
	const [editing, setEditing] = useState(false);
	const [left, right, rest] = columns(panel.directory);
	return (
		<Part
			title={panel.name}
			aside={
				<span className="flex print:hidden">
					{panel.directory.length > 0 && (
						<a
							href={`/api/v1/panels/${panel.id}/directory.csv`}
							download
							className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
						>
							Save as CSV
						</a>
					)}
					{may && !editing && (
						<>
							<OpenFile label="Take from CSV" accept=".csv,text/csv" open={(text) => take.mutate(text)} />
							<Button kind="quiet" onClick={() => setEditing(true)}>
								Change
							</Button>
						</>
					)}
				</span>
			}
		>
			<Problem error={take.error} />
			{editing ? (
				<Editor panel={panel} close={() => setEditing(false)} />
			) : panel.directory.length === 0 ? (
				<p className="m-0">
					Nothing is written down. Take it from a CSV file with the columns breaker, amps, serves; each breaker that is
					found on a call is added by itself.
				</p>
			) : (
				<>
					<div className="grid border-2 border-ink wide:grid-cols-2">
						<Column rows={left} label="Odd numbers" className="wide:border-r-2 wide:border-ink" />
						<Column rows={right} label="Even numbers" className="max-wide:border-t-2 max-wide:border-ink" />
					</div>
					{rest.length > 0 && (
						<div className="border-2 border-t-0 border-ink">
							<Column rows={rest} label="Others" className="" />
						</div>
					)}
					<p className="m-0 text-soft">
						<b>Bold</b>: found on a call. The rest is only what was written there, and may be wrong.
					</p>
				</>
			)}
		</Part>
	);
}

/** Each number has its place on the door, also where nothing is written: places are what one reads by. */
function columns(rows: DirectoryRow[]): [DirectoryRow[], DirectoryRow[], DirectoryRow[]] {
	const numbered = rows.filter((r) => /^\d{1,3}$/.test(r.breaker));
	const last = Math.max(0, ...numbered.map((r) => Number(r.breaker)));
	const side = (first: number) => {
		const places: DirectoryRow[] = [];
		for (let n = first; n <= last; n += 2) {
			places.push(numbered.find((r) => Number(r.breaker) === n) ?? { breaker: `${n}`, serves: '' });
		}
		return places;
	};
	return [side(1), side(2), rows.filter((r) => !numbered.includes(r))];
}

function Column({ rows, label, className }: { rows: DirectoryRow[]; label: string; className: string }) {
	return (
		<ul aria-label={label} className={`m-0 list-none p-0 ${className}`}>
			{rows.map((r) => (
				<li
					key={r.breaker}
					className={`grid min-h-10 grid-cols-[3rem_4rem_1fr] items-center border-b border-rule px-3 last:border-b-0 ${r.checked ? 'font-bold' : ''}`}
				>
					<span className="mono text-lg">{r.breaker}</span>
					<span className="mono text-soft">{r.amps ? `${r.amps} A` : ''}</span>
					<span>{r.serves || <span className="font-normal text-soft">{r.amps ? 'blank' : ''}</span>}</span>
				</li>
			))}
		</ul>
	);
}

function Editor({ panel, close }: { panel: PanelBook; close: () => void }) {
	const set = useSetPanel(panel.id);
	const [name, setName] = useState(panel.name);
	const [rows, setRows] = useState(panel.directory.map((r, i) => ({ ...r, key: i })));
	const change = (i: number, part: Partial<DirectoryRow>) =>
		setRows(rows.map((r, j) => (j === i ? { ...r, ...part } : r)));
	return (
		<form
			aria-label={`Directory of ${panel.name}`}
			className="grid gap-2 border-l-4 border-accent bg-sheet p-4"
			onSubmit={(e) => {
				e.preventDefault();
				const directory = rows.filter((r) => r.breaker.trim() !== '').map(({ key, ...r }) => r);
				set.mutate({ name, directory }, { onSuccess: close });
			}}
		>
			<label className="grid gap-1 text-soft">
				panel
				<input className={field} value={name} onChange={(e) => setName(e.target.value)} />
			</label>
			{rows.map((r, i) => (
				<div key={r.key} className="grid grid-cols-[4rem_4.5rem_1fr] gap-2">
					<input
						aria-label={`Breaker, row ${i + 1}`}
						className={`${field} mono`}
						value={r.breaker}
						onChange={(e) => change(i, { breaker: e.target.value })}
					/>
					<input
						aria-label={`Amperes, row ${i + 1}`}
						className={`${field} mono`}
						inputMode="decimal"
						defaultValue={r.amps || ''}
						onChange={(e) => change(i, { amps: numberIn(e.target.value) || undefined })}
					/>
					<input
						aria-label={`Serves, row ${i + 1}`}
						className={field}
						value={r.serves}
						onChange={(e) => change(i, { serves: e.target.value, checked: false })}
					/>
				</div>
			))}
			<div className="flex flex-wrap gap-2">
				<Button onClick={() => setRows([...rows, { key: rows.length, breaker: '', serves: '' }])}>One more row</Button>
				<Button kind="main" type="submit" disabled={set.isPending}>
					Keep it
				</Button>
				<Button kind="quiet" onClick={close}>
					Not now
				</Button>
			</div>
			<Problem error={set.error} />
		</form>
	);
}

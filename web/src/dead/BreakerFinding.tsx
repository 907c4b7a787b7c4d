import { type ReactNode, useState } from 'react';
import type { Call, DirectoryRow, Entry, Work } from '../api/client';
import { useAddEntry, useSetDirectory } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { ByHalves, BySign, ByTransmitter, ByTwo, type WayProps } from './Ways';

const ways: { key: string; words: string; show: (p: WayProps) => ReactNode }[] = [
	{ key: 'transmitter', words: 'Transmitter', show: (p) => <ByTransmitter {...p} /> },
	{ key: 'loud', words: 'Something loud', show: (p) => <BySign key="loud" sign="loud" {...p} /> },
	{ key: 'sensor', words: 'Sensor in the slot', show: (p) => <BySign key="sensor" sign="sensor" {...p} /> },
	{ key: 'halves', words: 'By halves', show: (p) => <ByHalves {...p} /> },
	{ key: 'two', words: 'Two phones', show: (p) => <ByTwo {...p} /> },
];

/** Usual numbers of spaces in a panel. */
const spaces = [12, 20, 24, 30, 32, 40, 42];

/** Which breaker it is, by what is at hand; and the panel's directory. */
export function BreakerFinding({ call, work }: { call: Call; work: Work }) {
	const add = useAddEntry(call.id);
	const directory = useSetDirectory(call.id);
	const [way, setWay] = useState<string | null>(null);
	const found = work.directory.find((r) => r.breaker === call.breaker.label && r.checked);
	const enter = (entry: Entry) => {
		add.mutate({ id: newID(), entry });
		if (entry.kind === 'traced') setWay(null);
	};
	const most = Math.max(0, ...work.directory.map((r) => Number(r.breaker) || 0));
	const bare = work.directory.length < 4;
	const addSpaces = (n: number) => {
		const has = new Set(work.directory.map((r) => r.breaker));
		const missing = Array.from({ length: n }, (_, i) => `${i + 1}`).filter((b) => !has.has(b));
		directory.mutate(
			[...work.directory, ...missing.map((breaker) => ({ breaker, serves: '' }))].sort(
				(a, b) => (Number(a.breaker) || 999) - (Number(b.breaker) || 999),
			),
		);
	};
	const props: WayProps = { call, work, enter, busy: add.isPending };
	return (
		<section className="grid gap-3" aria-label="Find the breaker">
			<h2 className="m-0 border-b-2 border-ink text-xl font-bold">Find the breaker</h2>
			<p className="m-0">
				{found ? (
					<>
						<b>Breaker {found.breaker}</b>, found on this call.
					</>
				) : (
					<>
						The run says <b>{call.breaker.label || 'nothing'}</b>; directories are often wrong. Find it before you trust
						it.
					</>
				)}
			</p>
			{bare && (
				<div className="grid gap-2">
					<p className="m-0">How many spaces has the panel?</p>
					<div className="flex flex-wrap gap-2">
						{spaces
							.filter((n) => n >= most)
							.map((n) => (
								<Button key={n} disabled={directory.isPending} onClick={() => addSpaces(n)}>
									{n}
								</Button>
							))}
					</div>
				</div>
			)}
			<fieldset className="m-0 flex flex-wrap gap-x-1 border-0 p-0">
				<legend className="sr-only">How it is found</legend>
				{ways.map((w) => (
					<button
						key={w.key}
						type="button"
						aria-pressed={way === w.key}
						disabled={bare}
						onClick={() => setWay(way === w.key ? null : w.key)}
						className="min-h-11 border-b-4 border-rule px-3 disabled:opacity-45 aria-pressed:border-accent aria-pressed:font-bold"
					>
						{w.words}
					</button>
				))}
			</fieldset>
			{!bare && ways.find((w) => w.key === way)?.show(props)}
			<Problem error={add.error ?? directory.error} />
			<DirectoryList
				call={call}
				work={work}
				enter={enter}
				busy={add.isPending}
				write={(rows) => directory.mutate(rows)}
			/>
			<Died call={call} work={work} />
			<a
				href={`/api/v1/calls/${call.id}/papers/labels.pdf`}
				target="_blank"
				rel="noreferrer"
				className="inline-flex min-h-11 items-center justify-self-start underline decoration-hair underline-offset-4"
			>
				Print the directory and the labels
			</a>
		</section>
	);
}

/** What is written in the panel, and what is found; each row can be written anew. */
function DirectoryList({ work, enter, busy, write }: WayProps & { write: (rows: DirectoryRow[]) => void }) {
	return (
		<details>
			<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
				The panel's directory
			</summary>
			<ul className="m-0 list-none p-0" aria-label="Panel directory">
				{work.directory.map((row) => (
					<li
						key={row.breaker}
						className="grid grid-cols-[2.5rem_1fr_auto] items-center gap-2 border-b border-rule py-1"
					>
						<b className="mono text-lg">{row.breaker}</b>
						<input
							aria-label={`What breaker ${row.breaker} serves`}
							className={`${field} w-full`}
							defaultValue={row.serves}
							key={row.serves}
							placeholder="blank in the panel"
							onBlur={(e) =>
								e.target.value !== row.serves &&
								write(work.directory.map((r) => (r.breaker === row.breaker ? { ...r, serves: e.target.value } : r)))
							}
						/>
						<Button
							kind={row.checked ? 'quiet' : 'plain'}
							disabled={busy}
							onClick={() => enter({ kind: 'traced', breaker: row.breaker, way: 'the directory, tried' })}
						>
							{row.checked ? 'found' : 'This one'}
						</Button>
					</li>
				))}
			</ul>
		</details>
	);
}

/** Which outlets went dead with it: that is half of the map. */
function Died({ call, work }: { call: Call; work: Work }) {
	const add = useAddEntry(call.id);
	const [out, setOut] = useState<string[]>([]);
	const [hidden, setHidden] = useState('');
	const said = work.journal.find((j) => j.entry.kind === 'died' && !j.entry.withdrawn);
	const toggle = (id: string) => setOut(out.includes(id) ? out.filter((x) => x !== id) : [...out, id]);
	return (
		<details className="border-b border-rule pb-2">
			<summary className="flex min-h-11 cursor-pointer items-center gap-2">
				<b>Which outlets went dead with it?</b>
				<span className="text-soft">
					{said ? said.words.replace('Went dead with the breaker: ', '') : 'not written down'}
				</span>
			</summary>
			<div className="grid gap-2">
				<div className="flex flex-wrap gap-1.5">
					{call.stops.map((s) => {
						const id = s.devices[0]?.id ?? '';
						return (
							<button
								key={s.box}
								type="button"
								aria-pressed={out.includes(id)}
								onClick={() => toggle(id)}
								className="min-h-11 border-2 border-hair px-3 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
							>
								{s.label}
							</button>
						);
					})}
				</div>
				<label className="grid gap-1 text-soft">
					and hidden ones: behind ranges, washers, in closets, outdoors, in other rooms
					<input className={field} value={hidden} onChange={(e) => setHidden(e.target.value)} />
				</label>
				<Problem error={add.error} />
				<Button
					className="justify-self-start"
					disabled={add.isPending}
					onClick={() =>
						add.mutate({ id: newID(), entry: { kind: 'died', outlets: out, hidden: hidden || undefined } })
					}
				>
					Write it down
				</Button>
			</div>
		</details>
	);
}

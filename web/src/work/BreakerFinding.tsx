import { useState } from 'react';
import type { Call, DirectoryRow, Strength, Work } from '../api/client';
import { useAddEntry, useSetDirectory, useTrace } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';

/** Which breaker it is: the directory, a transmitter in two passes, or a lamp and a shout. */
export function BreakerFinding({ call, work }: { call: Call; work: Work }) {
	const add = useAddEntry(call.id);
	const trace = useTrace(call.id);
	const directory = useSetDirectory(call.id);
	const [passes, setPasses] = useState<Strength[][]>([]);
	const found = work.directory.find((r) => r.breaker === call.breaker.label && r.checked);
	const last = passes.at(-1);
	const level = (breaker: string) => last?.find((s) => s.breaker === breaker)?.level ?? 0;
	const choose = (breaker: string) =>
		add.mutate({
			id: newID(),
			entry: { kind: 'traced', breaker, way: passes.length > 1 ? 'transmitter, second pass' : 'lamp and shout' },
		});
	const write = (row: DirectoryRow, serves: string) =>
		directory.mutate(work.directory.map((r) => (r.breaker === row.breaker ? { ...r, serves } : r)));
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
			{work.tracer && (
				<div className="flex flex-wrap items-center gap-3">
					<Button
						disabled={trace.isPending || passes.length > 1}
						onClick={() => trace.mutate(passes.length + 1, { onSuccess: (levels) => setPasses([...passes, levels]) })}
					>
						{passes.length === 0 ? 'Receiver over the breakers, first pass' : 'Second pass'}
					</Button>
					<span className="text-soft">
						{passes.length === 1
							? 'The first pass only teaches it the panel. The second counts.'
							: passes.length > 1
								? 'The second pass counts.'
								: 'Transmitter plugged in at the outlet. Simulated here.'}
					</span>
					{passes.length > 0 && (
						<Button kind="quiet" onClick={() => setPasses([])}>
							Begin again
						</Button>
					)}
				</div>
			)}
			<Problem error={trace.error ?? add.error ?? directory.error} />
			<details open={!found} key={found?.breaker ?? ''}>
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
							<span className="min-w-0">
								<input
									aria-label={`What breaker ${row.breaker} serves`}
									className={`${field} w-full`}
									defaultValue={row.serves}
									key={row.serves}
									placeholder="blank in the panel"
									onBlur={(e) => e.target.value !== row.serves && write(row, e.target.value)}
								/>
								{last && (
									<span
										className="mt-1 block h-2 border border-hair"
										role="img"
										aria-label={`breaker ${row.breaker}: ${level(row.breaker)} of 10`}
									>
										<i
											className={`block h-full ${passes.length > 1 ? 'bg-ink' : 'bg-hair'}`}
											style={{ width: `${level(row.breaker) * 10}%` }}
										/>
									</span>
								)}
							</span>
							<Button
								kind={row.checked ? 'quiet' : 'plain'}
								disabled={add.isPending}
								onClick={() => choose(row.breaker)}
							>
								{row.checked ? 'found' : 'This one'}
							</Button>
						</li>
					))}
				</ul>
			</details>
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

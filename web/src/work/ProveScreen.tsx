import { Link } from 'react-router';
import type { Call, Check, Work } from '../api/client';
import { useAddEntry, useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { Delta } from '../delta/Delta';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';
import { WorkFrame } from './Frame';
import { Journal } from './Journal';
import { Pictures } from './Pictures';

/** Prove: predicted against measured, outlet by outlet, differences first. */
export function ProveScreen() {
	return (
		<WorkFrame title="Prove" screen="prove">
			{(call, work) => (
				<>
					<Checks call={call} work={work} />
					<div className="grid content-start gap-6">
						<Journal call={call} work={work} />
						<Pictures call={call} work={work} phase="prove" />
					</div>
				</>
			)}
		</WorkFrame>
	);
}

const statusWords = { differs: 'differs', 'not-read': 'to read', agrees: 'as predicted' };

function Checks({ call, work }: { call: Call; work: Work }) {
	const read = useAddReading(call.id);
	const enter = useAddEntry(call.id);
	const differ = work.checks.filter((k) => k.status === 'differs').length;
	const left = work.checks.filter((k) => k.status === 'not-read').length;
	const off = call.state.breakerOn === false;
	const asPredicted = (k: Check) =>
		read.mutate({
			id: newID(),
			reading: { ...k.predicted, state: { breakerOn: true, ...(k.tripped ? { tripped: k.tripped } : {}) } },
		});
	if (work.checks.length === 0) {
		return (
			<section aria-label="Predicted and measured">
				<p className="m-0 text-lg">
					<b>Nothing to prove yet.</b> A box is made up, or what was found is put right, first.
				</p>
			</section>
		);
	}
	return (
		<section className="grid content-start gap-3" aria-label="Predicted and measured">
			<p className="m-0 text-lg">
				{differ > 0 ? (
					<b>
						{differ} {differ === 1 ? 'reading differs' : 'readings differ'}. It is not proven.
					</b>
				) : left > 0 ? (
					<b>
						{left} {left === 1 ? 'reading' : 'readings'} to take.
					</b>
				) : (
					<b>Every reading is as predicted.</b>
				)}
			</p>
			{off && (
				<div className="grid gap-2">
					<Caution>Device set, plate on, nobody at the wires: only then the breaker goes on.</Caution>
					<Button
						className="justify-self-start"
						disabled={enter.isPending}
						onClick={() => enter.mutate({ id: newID(), entry: { kind: 'breaker-on' } })}
					>
						The breaker is on
					</Button>
				</div>
			)}
			{differ > 0 && (
				<p className="m-0">
					A sound device rightly made up with the fault still there: the fault is upstream.{' '}
					<Link to={`/calls/${call.id}`} className="underline underline-offset-4">
						Back into the diagnosis, with these readings
					</Link>
				</p>
			)}
			<Problem error={read.error ?? enter.error} />
			<ul className="m-0 list-none p-0">
				{work.checks.map((k) => (
					<li
						key={`${k.at} ${k.half} ${k.tool} ${k.tripped}`}
						className="grid grid-cols-[auto_1fr] items-center gap-x-3 border-b border-rule py-2 wide:grid-cols-[auto_1fr_auto]"
					>
						<span className="flex items-center">
							{!k.tool.endsWith('button') && (
								<span className="opacity-55">
									<Delta delta={k.expected} size={40} />
								</span>
							)}
							{k.seen && !k.tool.endsWith('button') && <Delta delta={k.seen} size={40} />}
						</span>
						<span className="min-w-0">
							<b className="block">
								{k.label}
								{k.half && `, ${k.half}`}{' '}
								<span className={k.status === 'differs' ? 'bg-ink px-1.5 text-paper' : 'font-normal text-soft'}>
									{statusWords[k.status]}
								</span>
							</b>
							<span className="block">Predicted: {k.says}</span>
							{k.saysSeen && k.status === 'differs' && <span className="block font-bold">Measured: {k.saysSeen}</span>}
							<span className="block text-soft">{k.why}</span>
						</span>
						{k.status !== 'agrees' && (
							<span className="col-span-2 flex gap-2 wide:col-span-1">
								<Button
									className="max-wide:grow"
									disabled={read.isPending || off}
									aria-label={`${call.drill ? 'Put it on' : 'As predicted'}: ${k.label}${k.half ? `, ${k.half}` : ''}, ${k.says}`}
									onClick={() => asPredicted(k)}
								>
									{call.drill ? 'Put it on' : 'As predicted'}
								</Button>
								<Link
									to={`/calls/${call.id}?at=${k.at}&half=${k.half ?? 'top'}&tool=${k.tool}`}
									className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
								>
									something else
								</Link>
							</span>
						)}
					</li>
				))}
			</ul>
		</section>
	);
}

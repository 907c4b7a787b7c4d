import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { Call, Entry, Gate, Work } from '../api/client';
import { useAddEntry } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';
import { capital } from '../ui/words';
import { WorkFrame } from '../work/Frame';
import { GateLine } from '../work/Gates';
import { Journal } from '../work/Journal';
import { Pictures } from '../work/Pictures';
import { BreakerFinding } from './BreakerFinding';
import { DeadTest } from './DeadTest';
import { ProveTester } from './ProveTester';

/** Dead: find the breaker, switch it off, prove the box dead, before it is opened. */
export function DeadScreen() {
	return (
		<WorkFrame title="Dead" screen="dead" even>
			{(call, work) => (
				<>
					<div className="grid grid-cols-1 content-start gap-6">
						<ProveDead call={call} work={work} />
						<Caution>
							No cover comes off before the breaker is off, secured, and the box is proven dead. In the panel the
							service lugs stay live with the main off. Local law says who may do this.
						</Caution>
					</div>
					<div className="grid grid-cols-1 content-start gap-6">
						<BreakerFinding call={call} work={work} />
						<Journal call={call} work={work} />
						<Pictures call={call} work={work} phase="dead" />
					</div>
				</>
			)}
		</WorkFrame>
	);
}

/** The proof of one box in its order; the next thing to do is open, the rest waits. */
function ProveDead({ call, work }: { call: Call; work: Work }) {
	const [asked] = useSearchParams();
	const [picked, setPicked] = useState<string | null>(asked.get('box'));
	const known = call.stops.some((s) => s.box === picked) ? picked : null;
	const box = known ?? (call.workBox || work.gates[0]?.box) ?? '';
	const gates = work.gates.filter((g) => g.box === box);
	const add = useAddEntry(call.id);
	const enter = (entry: Entry) => add.mutate({ id: newID(), entry });
	const shut = gates.find((g) => !g.open && g.next);
	return (
		<section className="grid grid-cols-1 gap-3" aria-label="Prove dead">
			<div className="flex flex-wrap items-center gap-x-3 border-b-2 border-ink">
				<h2 className="m-0 text-xl font-bold">Prove it dead</h2>
				<select
					className={`${field} min-w-0 grow`}
					value={box}
					aria-label="the box"
					onChange={(e) => setPicked(e.target.value)}
				>
					{call.stops.map((s) => (
						<option key={s.box} value={s.box}>
							{s.label}
						</option>
					))}
				</select>
				<Link
					to={`/calls/${call.id}/boxes/${box}`}
					className="inline-flex min-h-11 items-center underline decoration-hair underline-offset-4"
				>
					{call.drill ? 'its wires' : 'its plan'}
				</Link>
			</div>
			<Problem error={add.error} />
			<Next
				key={`${box} ${shut?.next} ${shut?.gate} ${shut?.device}`}
				call={call}
				last={work.journal.find((l) => l.entry.kind === 'tester-proven' && !l.entry.withdrawn)?.entry}
				box={box}
				gates={gates}
				shut={shut}
				enter={enter}
				busy={add.isPending}
			/>
			{gates.map((g) => (
				<GateLine key={g.gate} call={call} gate={g} />
			))}
			<div className="flex flex-wrap gap-3">
				<SecondSource box={box} enter={enter} />
				<Button kind="quiet" onClick={() => enter({ kind: 'breaker-on' })} disabled={add.isPending}>
					The breaker is on again
				</Button>
			</div>
		</section>
	);
}

interface NextProps {
	call: Call;
	/** The testers were last proven so; undefined: not on this call. */
	last: Entry | undefined;
	box: string;
	gates: Gate[];
	shut: Gate | undefined;
	enter: (e: Entry) => void;
	busy: boolean;
}

function Next({ call, last, box, gates, shut, enter, busy }: NextProps) {
	if (!shut) {
		if (gates.length === 0 || !gates.every((g) => g.open)) return null;
		return (
			<p className="m-0 border-l-4 border-accent pl-3 text-lg">
				{gates.every((g) => g.missing.length === 0) ? (
					<b>Proven dead at the slots and at the wires.</b>
				) : (
					<b>Passed by a named person, not proven dead.</b>
				)}{' '}
				Go on with the plan of the box.
			</p>
		);
	}
	return (
		<div className="grid grid-cols-1 gap-3 border-l-4 border-accent pl-3" data-testid="next" data-next>
			<p className="m-0 text-xl/tight font-bold text-balance">
				<span className="block text-base font-bold text-accent">Next</span> {capital(shut.missing[0] ?? '')}
			</p>
			{shut.next === 'switch-off' && (
				<div className="grid grid-cols-1 gap-2 wide:grid-cols-3">
					{(
						[
							['lock', 'Off and locked'],
							['tag', 'Off and tagged'],
							['in-sight', 'Off, in my sight all the time'],
						] as const
					).map(([secured, words]) => (
						<Button
							key={secured}
							kind={secured === 'lock' ? 'main' : 'plain'}
							className="min-h-14"
							disabled={busy}
							onClick={() => enter({ kind: 'breaker-off', secured })}
						>
							{words}
						</Button>
					))}
				</div>
			)}
			{shut.next === 'prove-testers' &&
				(call.drill ? (
					<Button
						kind="main"
						className="min-h-16 text-lg"
						disabled={busy}
						onClick={() =>
							enter({ kind: 'tester-proven', tester: 'meter and sensor', source: 'a live outlet', volts: 120 })
						}
					>
						Both testers on a live outlet
					</Button>
				) : (
					<ProveTester last={last} enter={enter} busy={busy} />
				))}
			{(shut.next === 'test-slots' || shut.next === 'test-wires') && (
				<DeadTest
					call={call}
					box={box}
					stage={shut.next === 'test-wires' ? 'device-out' : 'installed'}
					device={shut.device}
					enter={enter}
					busy={busy}
				/>
			)}
			{shut.next === 'stop' && (
				<p className="m-0">
					<b>Stop.</b> Find what feeds it and switch that off too; then the proof begins again. Anything outside the
					plan: power off, a licensed electrician or the authority decides.
					<span className="mt-2 flex flex-wrap gap-2">
						<Button disabled={busy} onClick={() => enter({ kind: 'breaker-off', secured: 'lock' })}>
							All off and locked
						</Button>
					</span>
				</p>
			)}
		</div>
	);
}

function SecondSource({ box, enter }: { box: string; enter: (e: Entry) => void }) {
	const [open, setOpen] = useState(false);
	const [text, setText] = useState('');
	if (!open) {
		return (
			<Button kind="plain" onClick={() => setOpen(true)}>
				Something else is live in there
			</Button>
		);
	}
	return (
		<form
			className="flex flex-wrap items-end gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				enter({ kind: 'second-source', box, text });
				setOpen(false);
			}}
		>
			<label className="grid grid-cols-1 gap-1 text-soft">
				what is live
				<input
					className={field}
					value={text}
					placeholder="such as red to ground 118 V"
					onChange={(e) => setText(e.target.value)}
				/>
			</label>
			<Button type="submit">Record it: the gate shuts</Button>
		</form>
	);
}

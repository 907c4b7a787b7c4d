import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { Call, Entry, Gate, Work } from '../api/client';
import { useAddEntry, useBasics } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';
import { numberIn } from '../ui/words';
import { BreakerFinding } from './BreakerFinding';
import { WorkFrame } from './Frame';
import { GateLine } from './Gates';
import { Journal } from './Journal';
import { Pictures } from './Pictures';

/** Dead: find the breaker, switch it off, prove the box dead, before it is opened. */
export function DeadScreen() {
	return (
		<WorkFrame title="Dead" screen="dead" even>
			{(call, work) => (
				<>
					<div className="grid content-start gap-6">
						<Caution>
							No cover comes off before the breaker is off, secured, and the box is proven dead. In the panel the
							service lugs stay live with the main off. Local law says who may do this.
						</Caution>
						<BreakerFinding call={call} work={work} />
					</div>
					<div className="grid content-start gap-6">
						<ProveDead call={call} work={work} />
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
		<section className="grid gap-3" aria-label="Prove dead">
			<h2 className="m-0 border-b-2 border-ink text-xl font-bold">Prove it dead</h2>
			<label className="flex flex-wrap items-center gap-2 text-soft">
				the box
				<select className={field} value={box} aria-label="the box" onChange={(e) => setPicked(e.target.value)}>
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
					its plan
				</Link>
			</label>
			<Problem error={add.error} />
			<Next
				key={`${box} ${shut?.next} ${shut?.gate}`}
				call={call}
				last={work.journal.findLast((l) => l.entry.kind === 'tester-proven' && !l.entry.withdrawn)?.entry}
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
		<div className="grid gap-3 border-l-4 border-accent pl-3" data-testid="next">
			<p className="m-0 text-lg">
				<b>Next:</b> {shut.missing[0]}
			</p>
			{shut.next === 'switch-off' && (
				<div className="flex flex-wrap gap-2">
					{(
						[
							['lock', 'Off and locked'],
							['tag', 'Off and tagged'],
							['in-sight', 'Off, in my sight all the time'],
						] as const
					).map(([secured, words]) => (
						<Button key={secured} disabled={busy} onClick={() => enter({ kind: 'breaker-off', secured })}>
							{words}
						</Button>
					))}
				</div>
			)}
			{shut.next === 'prove-testers' && <ProveTester last={last} enter={enter} busy={busy} />}
			{(shut.next === 'test-slots' || shut.next === 'test-wires') && (
				<DeadTest
					call={call}
					box={box}
					stage={shut.next === 'test-wires' ? 'device-out' : 'installed'}
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

interface ProveTesterProps {
	last: Entry | undefined;
	enter: (e: Entry) => void;
	busy: boolean;
}

function ProveTester({ last, enter, busy }: ProveTesterProps) {
	const [tester, setTester] = useState('meter and sensor');
	const [source, setSource] = useState('');
	const [volts, setVolts] = useState('');
	const basics = useBasics().data;
	return (
		<form
			className="grid gap-2"
			aria-label="Prove the testers"
			onSubmit={(e) => {
				e.preventDefault();
				const v = numberIn(volts);
				enter({ kind: 'tester-proven', tester, source, volts: Number.isNaN(v) ? undefined : v });
			}}
		>
			<p className="m-0 text-soft">
				On a source known to be live: {(basics?.provesOn ?? []).map((s) => `${s.least} to ${s.most} V`).join(', or ')}.
			</p>
			{last?.source && (
				<Button
					kind="main"
					className="justify-self-start"
					disabled={busy}
					onClick={() => enter({ kind: 'tester-proven', tester: last.tester, source: last.source, volts: last.volts })}
				>
					Same again: {last.source}
					{last.volts !== undefined && `, ${last.volts} V`}
				</Button>
			)}
			<div className="flex flex-wrap items-end gap-3">
				<label className="grid gap-1 text-soft">
					testers
					<input className={field} value={tester} onChange={(e) => setTester(e.target.value)} />
				</label>
				<label className="grid gap-1 text-soft">
					live source
					<input
						className={field}
						value={source}
						placeholder="such as hall outlet"
						onChange={(e) => setSource(e.target.value)}
					/>
				</label>
				<label className="grid gap-1 text-soft">
					shows, V
					<input
						className={`${field} mono w-24 text-right`}
						inputMode="decimal"
						value={volts}
						onChange={(e) => setVolts(e.target.value)}
					/>
				</label>
				<Button type="submit" disabled={busy}>
					Proven
				</Button>
			</div>
		</form>
	);
}

const pairs = [
	{ key: 'hotNeutral', words: 'hot to neutral', ground: false },
	{ key: 'hotGround', words: 'hot to ground', ground: true },
	{ key: 'neutralGround', words: 'neutral to ground', ground: true },
	{ key: 'toEarth', words: 'hot to an independent ground', ground: false },
] as const;

interface DeadProps {
	call: Call;
	box: string;
	stage: 'installed' | 'device-out';
	enter: (e: Entry) => void;
	busy: boolean;
}

/** Every pair of both halves and each hot to an independent ground, as volts. */
function DeadTest({ call, box, stage, enter, busy }: DeadProps) {
	const stop = call.stops.find((s) => s.box === box);
	const grounded = stop?.devices[0]?.slots !== 2;
	const wanted = pairs.filter((p) => grounded || !p.ground);
	const [typed, setTyped] = useState<Record<string, string>>({});
	// Not asked is not answered: silence in the form is never taken for a sensor that answers.
	const [silent, setSilent] = useState<boolean | null>(null);
	const [unsaid, setUnsaid] = useState(false);
	const value = (half: string, key: string) => {
		const v = numberIn(typed[`${half} ${key}`] ?? '');
		return Number.isNaN(v) ? undefined : v;
	};
	const half = (name: string) => ({
		hotNeutral: value(name, 'hotNeutral'),
		hotGround: value(name, 'hotGround'),
		neutralGround: value(name, 'neutralGround'),
	});
	return (
		<form
			className="grid gap-2"
			aria-label="Dead test"
			onSubmit={(e) => {
				e.preventDefault();
				setUnsaid(silent === null);
				if (silent === null) return;
				enter({
					kind: 'dead',
					box,
					stage,
					dead: {
						top: half('top'),
						bottom: half('bottom'),
						topToEarth: value('top', 'toEarth'),
						bottomToEarth: value('bottom', 'toEarth'),
						sensorSilent: silent,
					},
				});
			}}
		>
			<p className="m-0 text-soft">
				{stage === 'installed'
					? 'At the slots, cover on; the independent ground by a long lead from one proven good.'
					: 'At the wires, device out: what was on the upper screws, then on the lower ones; two circuits in one box show here.'}
			</p>
			<table className="w-full max-w-xl border-collapse">
				<thead>
					<tr className="text-left text-soft">
						<th className="font-normal">volts</th>
						<th className="font-normal">top</th>
						<th className="font-normal">bottom</th>
					</tr>
				</thead>
				<tbody>
					{wanted.map((p) => (
						<tr key={p.key} className="border-b border-rule">
							<th className="py-1 text-left font-normal">{p.words}</th>
							{['top', 'bottom'].map((h) => (
								<td key={h} className="py-1">
									<input
										aria-label={`${h} ${p.words}, volts`}
										className={`${field} mono w-20 text-right`}
										inputMode="decimal"
										value={typed[`${h} ${p.key}`] ?? ''}
										onChange={(e) => setTyped({ ...typed, [`${h} ${p.key}`]: e.target.value })}
									/>
								</td>
							))}
						</tr>
					))}
				</tbody>
			</table>
			<fieldset className="m-0 flex flex-wrap gap-x-6 border-0 p-0">
				<legend className="sr-only">The sensor</legend>
				{(
					[
						[true, 'the sensor is silent at every slot and wire'],
						[false, 'it answers somewhere'],
					] as const
				).map(([is, words]) => (
					<label key={words} className="flex min-h-11 items-center gap-2">
						<input
							type="radio"
							name="sensor"
							className="size-6 accent-accent"
							checked={silent === is}
							onChange={() => setSilent(is)}
						/>
						{words}
					</label>
				))}
			</fieldset>
			{unsaid && silent === null && (
				<p role="alert" className="m-0 font-bold">
					Say whether the sensor is silent or answers: it was not asked yet.
				</p>
			)}
			<p className="m-0 text-soft">A sensor alone is no proof.</p>
			<Button type="submit" kind="main" className="justify-self-start" disabled={busy}>
				Record the dead test
			</Button>
		</form>
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
			<label className="grid gap-1 text-soft">
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

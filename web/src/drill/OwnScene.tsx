import { useState } from 'react';
import type { Fault } from '../api/client';
import type { NewDrill } from '../api/drill';
import { useCall, useCalls } from '../api/hooks';
import { Button, field } from '../ui/Button';
import { Part } from '../ui/Page';
import { saveScene } from './words';

const kinds: { key: string; words: string; fault: (at: string) => Fault; on: 'end' | 'device' }[] = [
	{ key: 'open', words: 'hangs loose', fault: (at) => ({ kind: 'open', at }), on: 'end' },
	{
		key: 'loose',
		words: 'turns in its place, 40 ohms',
		fault: (at) => ({ kind: 'resistive', at, ohms: 40 }),
		on: 'end',
	},
	{
		key: 'swapped',
		words: 'hot and neutral exchanged',
		fault: (at) => ({ kind: 'swapped', at, pair: 'hot-neutral' }),
		on: 'device',
	},
	{
		key: 'bootleg',
		words: 'ground joined to the neutral',
		fault: (at) => ({ kind: 'bonded', at, pair: 'neutral-ground', ohms: 0.02 }),
		on: 'device',
	},
];

/** A scene of one's own: a call of the shop without its names, with what was found on it or something else hidden. */
export function OwnScene({ start, busy }: { start: (made: NewDrill) => void; busy: boolean }) {
	const calls = useCalls().data ?? [];
	const [id, setID] = useState(0);
	return (
		<Part title="Make one of your own">
			<p className="m-0 text-soft">
				From the run of a call: names of rooms and people are taken out. Hide on it what was found there, or something
				else; a run that is only drawn for this does as well.
			</p>
			<label className="grid max-w-md gap-1 text-soft">
				call
				<select className={field} value={id} onChange={(e) => setID(Number(e.target.value))}>
					<option value={0}>which?</option>
					{calls.map((c) => (
						<option key={c.id} value={c.id}>
							{c.title}
						</option>
					))}
				</select>
			</label>
			{id !== 0 && <Hide key={id} id={id} start={start} busy={busy} />}
		</Part>
	);
}

function Hide({ id, start, busy }: { id: number; start: (made: NewDrill) => void; busy: boolean }) {
	const call = useCall(id).data;
	const [hidden, setHidden] = useState<Fault[]>([]);
	const [kind, setKind] = useState(kinds[0]?.key ?? '');
	const [at, setAt] = useState('');
	if (!call) return null;
	const row = kinds.find((k) => k.key === kind) ?? kinds[0];
	const places =
		row?.on === 'end'
			? call.stops.flatMap((s) =>
					s.points.filter((p) => p.cable).map((p) => [p.name, `${s.label}: ${p.words}`] as const),
				)
			: call.stops.flatMap((s) => s.devices.map((d) => [d.id, s.label] as const));
	const words = (f: Fault) =>
		`${places.find(([name]) => name === f.at)?.[1] ?? call.stops.find((s) => s.devices.some((d) => d.id === f.at))?.label ?? f.at}: ${kinds.find((k) => k.fault('').kind === f.kind)?.words}`;
	const made: NewDrill = { call: id, ...(hidden.length ? { hidden } : {}) };
	return (
		<div className="grid gap-3">
			<div className="flex flex-wrap items-end gap-3">
				<label className="grid gap-1 text-soft">
					hide
					<select className={field} value={kind} onChange={(e) => setKind(e.target.value)}>
						{kinds.map((k) => (
							<option key={k.key} value={k.key}>
								{k.words}
							</option>
						))}
					</select>
				</label>
				<label className="grid min-w-0 gap-1 text-soft">
					where
					<select className={`${field} max-w-full`} value={at} onChange={(e) => setAt(e.target.value)}>
						<option value="">which?</option>
						{places.map(([name, label]) => (
							<option key={name} value={name}>
								{label}
							</option>
						))}
					</select>
				</label>
				<Button
					disabled={!row || !places.some(([name]) => name === at)}
					onClick={() => row && setHidden([...hidden, row.fault(at)])}
				>
					Hide it
				</Button>
			</div>
			<ul className="m-0 pl-5" aria-label="Hidden">
				{hidden.map((f) => (
					<li key={f.kind + f.at}>
						{words(f)}{' '}
						<Button kind="quiet" onClick={() => setHidden(hidden.filter((g) => g !== f))}>
							take it out
						</Button>
					</li>
				))}
				{hidden.length === 0 && <li>what was found on that call</li>}
			</ul>
			<div className="flex flex-wrap gap-3">
				<Button disabled={busy} onClick={() => start(made)}>
					Begin it
				</Button>
				<Button kind="quiet" onClick={() => void saveScene(made)}>
					Save it as a file
				</Button>
			</div>
		</div>
	);
}

import { useState } from 'react';
import type { Call, Clue, Condition, Stop } from '../api/client';
import { useSetConditions, useSetMap } from '../api/hooks';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Ticked } from '../ui/Ticked';
import { measure } from '../ui/units';
import { feet, numberIn, percent } from '../ui/words';

const conditions: { condition: Condition; words: string }[] = [
	{ condition: 'push-in', words: 'push-in terminals' },
	{ condition: 'heavy', words: 'heavy loads plugged in' },
	{ condition: 'outdoors', words: 'outdoors or damp' },
	{ condition: 'worked', words: 'work done lately' },
	{ condition: 'warm', words: 'warm or scorched' },
	{ condition: 'worn', words: 'plugs sit loose' },
	{ condition: 'switched-half', words: 'a half hangs on a wall switch' },
	{ condition: 'switch', words: 'a switch sits in the box' },
];

/** What is known of a box that makes some faults there likelier. */
export function PlaceConditions({ call, stop }: { call: Call; stop: Stop }) {
	const set = useSetConditions(call.id);
	const here = call.conditions.boxes?.[stop.box] ?? [];
	const toggle = (c: Condition) => {
		const now = here.includes(c) ? here.filter((x) => x !== c) : [...here, c];
		set.mutate({ boxes: { ...call.conditions.boxes, [stop.box]: now } });
	};
	return (
		<fieldset className="m-0 flex flex-wrap items-center gap-2 border-0 p-0">
			<legend className="float-left mr-2 p-0">Known of this box</legend>
			{conditions.map((c) => (
				<button
					key={c.condition}
					type="button"
					aria-pressed={here.includes(c.condition)}
					onClick={() => toggle(c.condition)}
					className="min-h-11 border-2 border-ink px-3 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
				>
					{c.words}
				</button>
			))}
			<Problem error={set.error} />
		</fieldset>
	);
}

const kinds: { kind: Clue['kind']; words: string }[] = [
	{ kind: 'dies-with', words: 'goes dead when opened or capped:' },
	{ kind: 'stays-with', words: 'stays live when opened or capped:' },
	{ kind: 'trips-with', words: 'goes dead when the GFCI trips at' },
	{ kind: 'stays-on', words: 'stays live when the GFCI trips at' },
	{ kind: 'fed-from', words: 'is seen to be fed from' },
	{ kind: 'cannot-be', words: 'cannot be fed straight from' },
	{ kind: 'distance', words: 'lies so far from' },
	{ kind: 'cable-count', words: 'has so many cables in it' },
];

/** What is known of the order: whether the stop's place is sure, and clues to it. */
export function PlaceInOrder({ call, stop }: { call: Call; stop: Stop }) {
	const set = useSetMap(call.id);
	const map = call.map;
	const unsure = map.unsure?.includes(stop.box) ?? false;
	const label = (box: string) =>
		box === 'panel' ? 'the panel' : (call.stops.find((s) => s.box === box)?.label ?? box);
	const sure = (yes: boolean) =>
		set.mutate({ ...map, unsure: [...(map.unsure ?? []).filter((b) => b !== stop.box), ...(yes ? [] : [stop.box])] });
	const place = call.diagnosis.places?.find((p) => p.box === stop.box);
	const clues = map.clues ?? [];
	return (
		<div className="grid gap-2 border-t border-rule pt-2">
			<Ticked words="it is not sure what feeds it" value={unsure} save={(yes) => sure(!yes)} />
			{unsure && place && (
				<p className="m-0" data-testid="feeds">
					Fed from {place.feeds.map((f) => `${label(f.from)} ${percent(f.probability)}`).join(', or ')}
				</p>
			)}
			{(map.unsure?.length ?? 0) > 0 && (
				<NewClue call={call} stop={stop} add={(c) => set.mutate({ ...map, clues: [...clues, c] })} />
			)}
			<ul className="m-0 list-none p-0">
				{clues.map((c, i) => (
					<li key={JSON.stringify(c)} className="flex items-center gap-3">
						<span className="grow">
							{label(c.box)} {clueWords(c, label)}
						</span>
						<Button
							kind="quiet"
							aria-label={`Take back: ${label(c.box)} ${clueWords(c, label)}`}
							onClick={() => set.mutate({ ...map, clues: clues.filter((_, n) => n !== i) })}
						>
							undo
						</Button>
					</li>
				))}
			</ul>
			<Problem error={set.error} />
		</div>
	);
}

function clueWords(c: Clue, label: (box: string) => string): string {
	if (c.kind === 'cable-count') return `has ${c.count} ${c.count === 1 ? 'cable' : 'cables'} in it`;
	if (c.kind === 'distance') return `lies ${feet(c.feet ?? 0)} from ${label(c.with ?? '')}`;
	return `${kinds.find((k) => k.kind === c.kind)?.words} ${label(c.with ?? '')}`;
}

function NewClue({ call, stop, add }: { call: Call; stop: Stop; add: (clue: Clue) => void }) {
	const [kind, setKind] = useState<Clue['kind']>('dies-with');
	const others = call.stops.filter((s) => s.box !== stop.box);
	const [other, setOther] = useState('panel');
	const [figure, setFigure] = useState('');
	const [wrong, setWrong] = useState<Error | null>(null);
	const counted = kind === 'cable-count';
	const enter = () => {
		const n = numberIn(figure);
		if ((counted || kind === 'distance') && !(n > 0)) {
			setWrong(new Error(`“${figure}” is not a number above zero.`));
			return;
		}
		setWrong(null);
		setFigure('');
		if (counted) add({ kind, box: stop.box, count: Math.round(n) });
		else if (kind === 'distance') add({ kind, box: stop.box, with: other, feet: measure('ft').read(n) });
		else add({ kind, box: stop.box, with: other });
	};
	return (
		<div className="flex flex-wrap items-center gap-2">
			<b>{stop.label}</b>
			<select
				aria-label="Clue"
				className={field}
				value={kind}
				onChange={(e) => setKind(e.target.value as Clue['kind'])}
			>
				{kinds.map((k) => (
					<option key={k.kind} value={k.kind}>
						{k.words}
					</option>
				))}
			</select>
			{!counted && (
				<select aria-label="The other box" className={field} value={other} onChange={(e) => setOther(e.target.value)}>
					<option value="panel">the panel</option>
					{others.map((s) => (
						<option key={s.box} value={s.box}>
							{s.label}
						</option>
					))}
				</select>
			)}
			{(counted || kind === 'distance') && (
				<input
					aria-label={counted ? 'Cables' : `Distance, ${measure('ft').unit}`}
					className={`${field} mono w-20 text-right`}
					inputMode="decimal"
					value={figure}
					onChange={(e) => setFigure(e.target.value)}
				/>
			)}
			<Button onClick={enter}>Add the clue</Button>
			<Problem error={wrong} />
		</div>
	);
}

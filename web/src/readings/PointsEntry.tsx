import { useState } from 'react';
import { Button, field } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { capital, numberIn } from '../ui/words';
import { useDraft } from './draft';
import { Choice, Enter, type EntryProps, useKeys } from './entries';
import type { Level } from './tools';

type Way = 'ohms' | 'meter' | 'sensor' | 'clamp';

interface PointsDraft {
	way: Way;
	a: string;
	b: string;
	value: string;
}

const levels: Level[] = ['none', 'faint', 'strong'];

/** Testers on the bare ends and terminals of an opened box. */
export function PointsEntry({ place, stop, mode, setMode, busy, enter, keys }: EntryProps) {
	const first = stop.points[0]?.name ?? '';
	const [draft, keep, drop] = useDraft<PointsDraft>(`${place}.points`, {
		way: 'ohms',
		a: first,
		b: stop.points[1]?.name ?? first,
		value: '',
	});
	const [level, setLevel] = useState<Level | null>(null);
	const number = numberIn(draft.value);
	const wrong = draft.value.trim() !== '' && Number.isNaN(number);
	const two = draft.way === 'ohms' || draft.way === 'meter';
	const cables = [...new Set(stop.points.flatMap((p) => (p.cable ? [p.cable] : [])))];
	const ready =
		draft.way === 'sensor' ? level !== null : draft.value.trim() !== '' && !wrong && (!two || draft.a !== draft.b);
	const take = (reads: number | 'open' = number) => {
		const between = [draft.a, draft.b];
		if (draft.way === 'ohms') enter({ tool: 'ohms', between, reads });
		else if (draft.way === 'meter') enter({ tool: 'meter', mode, between, reads });
		else if (draft.way === 'clamp') enter({ tool: 'clamp', point: draft.a, amps: number });
		else enter({ tool: 'sensor', point: draft.a, level: level ?? 'none' });
		drop();
		setLevel(null);
	};
	useKeys(keys, { part: () => undefined, enter: () => ready && !busy && take() });
	const options = (withCables: boolean) => (
		<>
			{stop.points
				.filter((p) => draft.way !== 'clamp' || p.cable)
				.map((p) => (
					<option key={p.name} value={p.name}>
						{capital(p.words)}
					</option>
				))}
			{withCables &&
				cables.map((c) => (
					<option key={c} value={c}>
						All conductors of {c.split('@')[0]}
					</option>
				))}
			{two && <option value="panel.ground">A known ground</option>}
		</>
	);
	return (
		<>
			<Choice
				words="Tester"
				value={draft.way}
				choices={['ohms', 'meter', 'sensor', 'clamp']}
				take={(way) => keep({ ...draft, way, value: '' })}
			/>
			<Caution>
				{draft.way === 'ohms'
					? 'Dead only: breaker off, secured, and this box proven dead before the cover came off.'
					: 'Bare ends with the power on are for a qualified person alone, where no dead way exists, and never where a second circuit or a shared neutral is possible. Otherwise stop here.'}
			</Caution>
			<label className="grid gap-1 text-soft">
				{two ? 'from' : 'on'}
				<select
					aria-label={two ? 'From' : 'On'}
					className={field}
					value={draft.a}
					onChange={(e) => keep({ ...draft, a: e.target.value })}
				>
					{options(draft.way === 'clamp')}
				</select>
			</label>
			{two && (
				<label className="grid gap-1 text-soft">
					to
					<select
						aria-label="To"
						className={field}
						value={draft.b}
						onChange={(e) => keep({ ...draft, b: e.target.value })}
					>
						{options(false)}
					</select>
				</label>
			)}
			{draft.way === 'meter' && <Choice words="Meter mode" value={mode} choices={['high-z', 'low-z']} take={setMode} />}
			{draft.way === 'sensor' ? (
				<Choice words="Level" value={level ?? 'not read'} choices={levels} take={(l) => setLevel(l as Level)} />
			) : (
				<div className="flex flex-wrap items-end gap-3">
					<label className="grid grow gap-1 text-soft">
						{{ ohms: 'ohms', meter: 'volts', clamp: 'amperes' }[draft.way]}
						<input
							className={`${field} mono text-right text-lg font-bold`}
							inputMode="decimal"
							value={draft.value}
							onChange={(e) => keep({ ...draft, value: e.target.value })}
							onKeyDown={(e) => e.key === 'Enter' && ready && !busy && take()}
						/>
					</label>
					{draft.way === 'ohms' && (
						<Button disabled={busy || draft.a === draft.b} onClick={() => take('open')}>
							Open
						</Button>
					)}
				</div>
			)}
			{wrong && (
				<p role="alert" className="m-0 font-bold">
					“{draft.value}” is not a number.
				</p>
			)}
			<Enter ready={ready} busy={busy} enter={() => take()} />
		</>
	);
}

import { useState } from 'react';
import type { Reading } from '../api/client';
import { Button, field } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { capital, numberIn } from '../ui/words';
import { useDraft } from './draft';
import { Choice, Enter, type EntryProps, useKeys } from './entries';
import type { Level } from './tools';

/** The plug tester's button, and a GFCI's own: what tripped. */
export function ButtonEntry({ place, call, device, tool, setTool, busy, enter, keys }: EntryProps) {
	const guards = [
		...call.stops.flatMap((s) => s.devices.filter((d) => d.kind === 'gfci').map((d) => ({ id: d.id, words: s.label }))),
		...(call.breaker.protection === 'gfci' || call.breaker.protection === 'dual'
			? [{ id: 'panel', words: 'the breaker' }]
			: []),
	];
	const own = tool === 'device-button';
	const [tripped, keep, drop] = useDraft<string[]>(`${place}.${tool}`, []);
	const take = (names: string[]) => {
		enter({ tool: own ? 'device-button' : 'plug-button', tripped: names });
		drop();
	};
	const toggle = (id: string) => keep(tripped.includes(id) ? tripped.filter((t) => t !== id) : [...tripped, id]);
	useKeys(keys, { part: (n) => guards[n] && toggle(guards[n].id), enter: () => !busy && take(tripped) });
	if (!own && device.slots === 2)
		return <p className="m-0 py-4 text-lg">No ground slot: no plug tester goes in here.</p>;
	return (
		<>
			{device.kind === 'gfci' && (
				<Choice
					words="Which button"
					value={own ? "the device's own" : "the plug tester's"}
					choices={["the device's own", "the plug tester's"]}
					take={(c) => setTool(c === "the device's own" ? 'device-button' : 'plug-button')}
				/>
			)}
			{!own && (
				<Caution>
					Not where the ground is open or in doubt: the button puts over 100 V on the ground pin and all metal joined to
					it. Where there is no ground, “does not trip” proves nothing.
				</Caution>
			)}
			<p className="m-0">{guards.length ? 'What tripped?' : 'There is no GFCI on this run as it is drawn.'}</p>
			<div className="grid gap-px bg-rule">
				{guards.map((g) => (
					<button
						key={g.id}
						type="button"
						aria-pressed={tripped.includes(g.id)}
						onClick={() => toggle(g.id)}
						className="flex min-h-12 items-center justify-between bg-sheet px-3 text-left aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						{capital(g.words)} <span>{tripped.includes(g.id) ? 'tripped' : ''}</span>
					</button>
				))}
			</div>
			<div className="grid grid-cols-2 gap-3">
				<Button disabled={busy} onClick={() => take([])}>
					Nothing tripped
				</Button>
				<Enter ready={tripped.length > 0} busy={busy} enter={() => take(tripped)} />
			</div>
		</>
	);
}

const figures = [
	{ key: 'volts', words: 'volts', unit: 'V' },
	{ key: 'drop', words: 'drop at 15 A', unit: '%' },
	{ key: 'hot', words: 'ohms, hot', unit: 'ohm' },
	{ key: 'neutral', words: 'ohms, neutral', unit: 'ohm' },
	{ key: 'ground', words: 'ohms, ground', unit: 'ohm' },
] as const;

type Figures = Record<(typeof figures)[number]['key'] | 'wiring', string>;
const noFigures: Figures = { volts: '', drop: '', hot: '', neutral: '', ground: '', wiring: '' };

/** What a load tester shows; what it cannot tell is left empty. */
export function AnalyzerEntry({ place, device, basics, busy, enter, keys }: EntryProps) {
	const [draft, keep, drop] = useDraft<Figures>(`${place}.analyzer`, noFigures);
	const value = (key: keyof Figures) => (draft[key].trim() === '' ? null : numberIn(draft[key]));
	const wrong = figures.find((f) => Number.isNaN(value(f.key)));
	const filled = Object.values(draft).some((v) => v !== '');
	const take = () => {
		const ohms = { hot: value('hot'), neutral: value('neutral'), ground: value('ground'), hotNeutral: null };
		const reading: Omit<Reading, 'at' | 'half'> = { tool: 'analyzer' };
		if (value('volts') !== null) reading.volts = value('volts') ?? 0;
		if (value('drop') !== null) reading.dropPercent = value('drop');
		if (ohms.hot !== null || ohms.neutral !== null || ohms.ground !== null) reading.ohms = ohms;
		if (draft.wiring) reading.wiring = draft.wiring;
		enter(reading);
		drop();
	};
	const ready = filled && !wrong;
	useKeys(keys, {
		part: (n) => document.querySelectorAll<HTMLInputElement>('[data-figure]')[n]?.focus(),
		enter: () => ready && !busy && take(),
	});
	if (device.slots === 2) return <p className="m-0 py-4 text-lg">No ground slot: no load tester goes in here.</p>;
	return (
		<>
			<div className="grid grid-cols-2 gap-3">
				{figures.map((f) => (
					<label key={f.key} className="grid gap-1 text-soft">
						{f.words}
						<span className="flex items-baseline gap-1">
							<input
								data-figure
								className={`${field} mono w-full text-right text-lg font-bold`}
								inputMode="decimal"
								value={draft[f.key]}
								onChange={(e) => keep({ ...draft, [f.key]: e.target.value })}
								onKeyDown={(e) => e.key === 'Enter' && ready && !busy && take()}
							/>
							<span className="w-9">{f.unit}</span>
						</span>
					</label>
				))}
				<label className="grid gap-1 text-soft">
					its verdict
					<select
						aria-label="Its verdict"
						className={field}
						value={draft.wiring}
						onChange={(e) => keep({ ...draft, wiring: e.target.value })}
					>
						<option value="">not noted</option>
						{basics.wirings.map((w) => (
							<option key={w} value={w}>
								{w.replaceAll('-', ' ')}
							</option>
						))}
					</select>
				</label>
			</div>
			{wrong && (
				<p role="alert" className="m-0 font-bold">
					“{draft[wrong.key]}” is not a number of {wrong.unit}.
				</p>
			)}
			<Enter ready={ready} busy={busy} enter={take} />
		</>
	);
}

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

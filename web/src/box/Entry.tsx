import { type ReactNode, useEffect, useState } from 'react';
import type { Box, BoxCable, BoxPlace, Chosen, Existing, OpenedBox } from '../api/client';
import { useHouse } from '../api/hooks';
import { Button, field } from '../ui/Button';
import { numberIn } from '../ui/words';
import { cableWords, endWords, landingWords } from './cables';

interface Props {
	opened: OpenedBox;
	save: (box: Box) => void;
	close: () => void;
}

/** What is in the box and what is to go in; each tap is saved as it is made. */
export function BoxEntry({ opened, save, close }: Props) {
	const box = opened.box;
	const change = (what: Partial<Box>) => save({ ...box, ...what });
	return (
		<div className="grid gap-5">
			<div className="flex items-center gap-3">
				<h2 className="m-0 grow text-xl font-bold">What is in the box</h2>
				<Button kind="main" onClick={close}>
					To the plan
				</Button>
			</div>
			{box.cables.map((c, i) => (
				<CableEntry
					key={c.id}
					cable={c}
					save={(cable) => change({ cables: box.cables.map((x, j) => (j === i ? cable : x)) })}
				/>
			))}
			<DeviceEntry box={box} save={(device) => change({ device })} />
			<EnclosureEntry box={box} save={(b) => change({ box: b })} />
			<PlaceEntry place={box.place ?? {}} save={(place) => change({ place })} />
			<ExistingEntry opened={opened} save={(existing) => change({ existing })} />
			<Button kind="main" className="justify-self-start" onClick={close}>
				To the plan
			</Button>
		</div>
	);
}

interface PickProps<T> {
	words: string;
	value: T | undefined;
	of: { value: T; words: string }[];
	save: (value: T) => void;
}

/** One of a few, in one tap. */
export function Pick<T extends string | number | boolean>({ words, value, of, save }: PickProps<T>) {
	return (
		<fieldset className="m-0 flex flex-wrap items-center gap-1.5 border-0 p-0">
			<legend className="float-left mr-1 w-24 shrink-0 p-0 text-soft">{words}</legend>
			{of.map((o) => (
				<button
					key={String(o.value)}
					type="button"
					aria-pressed={value === o.value}
					onClick={() => save(o.value)}
					className="min-h-11 min-w-11 border-2 border-hair px-2.5 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
				>
					{o.words}
				</button>
			))}
		</fieldset>
	);
}

const yesNo = [
	{ value: true, words: 'yes' },
	{ value: false, words: 'no' },
];

interface NumberProps {
	words: string;
	unit: string;
	value: number | undefined;
	save: (value: number | undefined) => void;
}

/** A figure that may be left open. */
function Figure({ words, unit, value, save }: NumberProps) {
	const [typed, setTyped] = useState(value === undefined ? '' : String(value));
	useEffect(() => setTyped(value === undefined ? '' : String(value)), [value]);
	const enter = () => {
		const v = typed.trim() === '' ? undefined : numberIn(typed);
		if (v !== undefined && Number.isNaN(v)) return;
		if (v !== value) save(v);
	};
	return (
		<label className="flex items-center gap-2 text-soft">
			<span className="w-24 shrink-0">{words}</span>
			<input
				className={`${field} mono w-20 text-right`}
				inputMode="decimal"
				value={typed}
				aria-label={words}
				aria-invalid={typed.trim() !== '' && Number.isNaN(numberIn(typed))}
				onChange={(e) => setTyped(e.target.value)}
				onBlur={enter}
				onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
			/>
			{unit}
		</label>
	);
}

function Part({ title, more, children }: { title: string; more?: ReactNode; children: ReactNode }) {
	return (
		<section className="grid gap-2 border-t-2 border-ink pt-2" aria-label={title}>
			<h3 className="m-0 text-base font-bold">{title}</h3>
			{children}
			{more && (
				<details>
					<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
						more of it
					</summary>
					<div className="grid gap-2 pt-1">{more}</div>
				</details>
			)}
		</section>
	);
}

const roles = [
	{ value: 'line', words: 'feed' },
	{ value: 'outgoing', words: 'goes on' },
	{ value: 'unknown', words: 'not known' },
] as const;

const protects = [
	{ value: 'yes', words: 'protect' },
	{ value: 'no', words: 'must not go off' },
	{ value: 'unknown', words: 'not known' },
] as const;

const colours: Record<string, string[]> = {
	hot: ['black', 'red', 'blue', 'white'],
	hot2: ['red', 'black', 'blue', 'white'],
	neutral: ['white', 'gray', 'black'],
	ground: ['bare', 'green', 'white', 'black'],
};

function CableEntry({ cable, save }: { cable: BoxCable; save: (c: BoxCable) => void }) {
	const change = (what: Partial<BoxCable>) => save({ ...cable, ...what });
	const grounded = cable.conductors.includes('ground');
	const third = cable.conductors.includes('hot2');
	const conductors = (ground: boolean, hot2: boolean) => {
		const all: BoxCable['conductors'] = [
			'hot',
			...(hot2 ? ['hot2' as const] : []),
			'neutral',
			...(ground ? ['ground' as const] : []),
		];
		const insulation = Object.fromEntries(
			Object.entries(cable.insulation ?? {}).filter(([k]) => all.includes(k as (typeof all)[number])),
		);
		change({ conductors: all, insulation });
	};
	const words = cableWords(cable);
	return (
		<Part
			title={`Cable ${words.name}, ${words.about}`}
			more={
				<>
					<Figure words="from sheath" unit="in" value={cable.fromSheathIn} save={(v) => change({ fromSheathIn: v })} />
					<Figure words="past the face" unit="in" value={cable.pastFaceIn} save={(v) => change({ pastFaceIn: v })} />
					<Pick
						words="material"
						value={cable.material ?? 'copper'}
						of={[
							{ value: 'copper', words: 'copper' },
							{ value: 'aluminum', words: 'aluminium' },
						]}
						save={(v) => change({ material: v })}
					/>
					<Pick words="stranded" value={cable.stranded ?? false} of={yesNo} save={(v) => change({ stranded: v })} />
					<Pick
						words="type"
						value={cable.type ?? ''}
						of={['NM', 'UF', 'AC', 'MC', 'BX', 'conduit'].map((t) => ({ value: t, words: t }))}
						save={(v) => change({ type: v })}
					/>
					<Pick words="second hot" value={third} of={yesNo} save={(v) => conductors(grounded, v)} />
					{third && (
						<Pick
							words="it is"
							value={cable.hot2 ?? 'unknown'}
							of={[
								{ value: 'leg', words: 'shared neutral' },
								{ value: 'switched', words: 'switched half' },
								{ value: 'unknown', words: 'not known' },
							]}
							save={(v) => change({ hot2: v })}
						/>
					)}
					<Words value={cable.serves ?? ''} label="serves" save={(serves) => change({ serves })} />
				</>
			}
		>
			<Pick words="it is the" value={cable.role ?? 'unknown'} of={[...roles]} save={(role) => change({ role })} />
			{cable.role === 'outgoing' && (
				<Pick
					words="on a GFCI"
					value={cable.protect ?? 'unknown'}
					of={[...protects]}
					save={(protect) => change({ protect })}
				/>
			)}
			<Pick
				words="gauge"
				value={cable.awg}
				of={[14, 12, 10].map((g) => ({ value: g, words: `${g} AWG` }))}
				save={(awg) => change({ awg })}
			/>
			<Pick words="ground wire" value={grounded} of={yesNo} save={(v) => conductors(v, third)} />
			<fieldset className="m-0 flex flex-wrap items-center gap-1.5 border-0 p-0">
				<legend className="float-left mr-1 w-24 p-0 text-soft">colours</legend>
				{cable.conductors.map((k) => (
					<select
						key={k}
						aria-label={`colour of the ${k}`}
						className={field}
						value={cable.insulation?.[k] ?? ''}
						onChange={(e) => change({ insulation: { ...cable.insulation, [k]: e.target.value } })}
					>
						<option value="">{k === 'hot2' ? 'second hot' : k}: not looked</option>
						{colours[k]?.map((c) => (
							<option key={c} value={c}>
								{k === 'hot2' ? 'second hot' : k}: {c}
							</option>
						))}
					</select>
				))}
			</fieldset>
			<Pick
				words="insulation"
				value={cable.condition ?? ''}
				of={(['sound', 'nicked', 'brittle', 'cloth', 'scorched'] as const).map((v) => ({ value: v, words: v }))}
				save={(v) => change({ condition: v as BoxCable['condition'] })}
			/>
		</Part>
	);
}

function Words({ value, label, save }: { value: string; label: string; save: (v: string) => void }) {
	const [typed, setTyped] = useState(value);
	useEffect(() => setTyped(value), [value]);
	return (
		<label className="flex items-center gap-2 text-soft">
			<span className="w-24 shrink-0">{label}</span>
			<input
				aria-label={label}
				className={`${field} grow`}
				value={typed}
				onChange={(e) => setTyped(e.target.value)}
				onBlur={() => typed.trim() !== value && save(typed.trim())}
				onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
			/>
		</label>
	);
}

function EnclosureEntry({ box, save }: { box: Box; save: (b: Box['box']) => void }) {
	const e = box.box;
	const change = (what: Partial<Box['box']>) => save({ ...e, ...what });
	return (
		<Part
			title="The box"
			more={
				<>
					<Figure words="set back" unit="in" value={e.setbackIn} save={(v) => change({ setbackIn: v })} />
					<Pick
						words="wall"
						value={e.wall}
						of={(['gypsum', 'plaster', 'tile', 'wood', 'masonry'] as const).map((v) => ({ value: v, words: v }))}
						save={(v) => change({ wall: v })}
					/>
					<Figure words="gap round it" unit="in" value={e.gapIn} save={(v) => change({ gapIn: v })} />
					<Figure words="spacers there" unit="layers" value={e.layersOut} save={(v) => change({ layersOut: v })} />
					<Figure words="studs" unit="" value={e.fittings} save={(v) => change({ fittings: v })} />
				</>
			}
		>
			<Pick
				words="made of"
				value={e.material}
				of={[
					{ value: 'plastic', words: 'plastic' },
					{ value: 'metal', words: 'metal' },
				]}
				save={(material) => change({ material })}
			/>
			<Pick
				words="volume"
				value={e.volumeIn3}
				of={[14, 18, 20.3, 22.5].map((v) => ({ value: v, words: `${v} in³` }))}
				save={(v) => change({ volumeIn3: v, size: undefined })}
			/>
			<Figure words="or, marked" unit="in³" value={e.volumeIn3} save={(v) => change({ volumeIn3: v })} />
			<Pick words="clamps inside" value={(e.clamps ?? 0) > 0} of={yesNo} save={(v) => change({ clamps: v ? 1 : 0 })} />
			{e.material === 'metal' && (
				<Pick words="bonded" value={e.bonded} of={yesNo} save={(bonded) => change({ bonded })} />
			)}
			<Pick words="loose" value={e.loose} of={yesNo} save={(loose) => change({ loose })} />
			<Pick
				words="held by"
				value={e.mount}
				of={(['nailed', 'ears', 'screwed'] as const).map((v) => ({
					value: v,
					words: { nailed: 'nails', ears: 'ears', screwed: 'screws' }[v],
				}))}
				save={(mount) => change({ mount })}
			/>
		</Part>
	);
}

function PlaceEntry({ place, save }: { place: BoxPlace; save: (p: BoxPlace) => void }) {
	const house = useHouse();
	const change = (what: Partial<BoxPlace>) => save({ ...place, ...what });
	return (
		<Part
			title="The place"
			more={
				<>
					<Figure words="tub, shower" unit="ft" value={place.feetToTub} save={(v) => change({ feetToTub: v })} />
					<Figure words="above floor" unit="ft" value={place.feetUp} save={(v) => change({ feetUp: v })} />
					<Pick words="open way" value={place.openAccess} of={yesNo} save={(v) => change({ openAccess: v })} />
					<Figure words="new cable" unit="ft" value={place.runFeet} save={(v) => change({ runFeet: v })} />
					<Words value={place.serves ?? ''} label="plugged in" save={(serves) => change({ serves })} />
				</>
			}
		>
			<label className="flex items-center gap-2 text-soft">
				<span className="w-24 shrink-0">room</span>
				<select
					className={field}
					value={place.room ?? ''}
					aria-label="room"
					onChange={(e) => change({ room: e.target.value || undefined })}
				>
					<option value="">not said</option>
					{house.data?.rooms.map((r) => (
						<option key={r} value={r}>
							{r}
						</option>
					))}
				</select>
			</label>
			<Pick
				words="how wet"
				value={place.exposure}
				of={(['dry', 'damp', 'wet'] as const).map((v) => ({ value: v, words: v }))}
				save={(exposure) => change({ exposure })}
			/>
			<Figure words="to a sink" unit="ft" value={place.feetToSink} save={(v) => change({ feetToSink: v })} />
			<Pick words="countertop" value={place.countertop} of={yesNo} save={(v) => change({ countertop: v })} />
			<Pick words="finished" value={place.finished} of={yesNo} save={(v) => change({ finished: v })} />
			<Pick words="in reach" value={place.accessible} of={yesNo} save={(v) => change({ accessible: v })} />
		</Part>
	);
}

const kinds = [
	{ value: 'receptacle', words: 'duplex' },
	{ value: 'gfci', words: 'GFCI' },
	{ value: 'single', words: 'single' },
	{ value: 'usb', words: 'USB' },
	{ value: 'smart', words: 'smart' },
] as const;

function DeviceEntry({ box, save }: { box: Box; save: (d: Chosen) => void }) {
	const v = box.device ?? { id: box.existing?.id || 'D1', kind: 'receptacle' as const, amps: 15 };
	const change = (what: Partial<Chosen>) => save({ ...v, ...what });
	const gfci = v.kind === 'gfci';
	return (
		<Part
			title="What goes in"
			more={
				<>
					<Figure
						words="wires each"
						unit="on a terminal"
						value={v.wiresPerTerminal}
						save={(n) => change({ wiresPerTerminal: n })}
					/>
					<Figure words="strip gauge" unit="in" value={v.stripIn} save={(n) => change({ stripIn: n })} />
					<Figure words="torque" unit="lbf in" value={v.torqueLbfIn} save={(n) => change({ torqueLbfIn: n })} />
					<Pick words="for aluminium" value={v.aluminum ?? false} of={yesNo} save={(a) => change({ aluminum: a })} />
					<Pick
						words="yoke bonds"
						value={v.selfGrounding ?? false}
						of={yesNo}
						save={(s) => change({ selfGrounding: s })}
					/>
				</>
			}
		>
			<Pick
				words="kind"
				value={v.kind}
				of={[...kinds]}
				save={(kind) =>
					change({ kind, ...(kind === 'gfci' ? { tab: {}, slots: 3, amps: Math.max(v.amps, box.breaker.amps) } : {}) })
				}
			/>
			<Pick
				words="rated"
				value={v.amps}
				of={[15, 20].map((a) => ({ value: a, words: `${a} A` }))}
				save={(amps) => change({ amps })}
			/>
			<Pick
				words="terminals"
				value={v.terminals}
				of={(['screw', 'clamp', 'push-in', 'lever'] as const).map((t) => ({ value: t, words: t }))}
				save={(t) => change({ terminals: t })}
			/>
			<Pick words="tamper-res." value={v.tamperResistant} of={yesNo} save={(t) => change({ tamperResistant: t })} />
			<Pick words="weather-res." value={v.weatherResistant} of={yesNo} save={(t) => change({ weatherResistant: t })} />
			{gfci ? (
				<Pick
					words="LINE hangs"
					value={v.lineAt || 'bottom'}
					of={[
						{ value: 'top', words: 'above' },
						{ value: 'bottom', words: 'below' },
					]}
					save={(lineAt) => change({ lineAt })}
				/>
			) : (
				<>
					<Pick
						words="slots"
						value={v.slots ?? 3}
						of={[3, 2].map((n) => ({ value: n, words: n === 3 ? 'three' : 'two' }))}
						save={(slots) => change({ slots })}
					/>
					<Pick
						words="hot tab"
						value={v.tab?.hot ?? ''}
						of={[
							{ value: '', words: 'whole' },
							{ value: 'removed', words: 'broken off' },
						]}
						save={(hot) => change({ tab: { ...v.tab, hot } })}
					/>
				</>
			)}
		</Part>
	);
}

const sights = [
	{ value: 'scorched', words: 'scorched' },
	{ value: 'cracked', words: 'cracked' },
	{ value: 'worn-contacts', words: 'worn contacts' },
	{ value: 'loose-terminal', words: 'loose terminal' },
	{ value: 'bare-copper', words: 'bare copper shows' },
	{ value: 'ground-near-hot', words: 'bare ground by a hot screw' },
	{ value: 'push-in', words: 'push-ins used' },
];

function ExistingEntry({ opened, save }: { opened: OpenedBox; save: (e: Existing) => void }) {
	const box = opened.box;
	const e = box.existing ?? { kind: 'receptacle' as const, id: 'old' };
	const change = (what: Partial<Existing>) => save({ ...e, ...what });
	const spelled = e.wiring !== undefined && e.wiring !== null;
	const [wires, setWires] = useState(spelled);
	const seen = e.seen ?? [];
	const ends = box.cables.flatMap((c) => c.conductors.map((k) => `${c.id}@${box.id}.${k}`));
	const places = opened.places;
	const landed = (end: string) => opened.landings.find((l) => l.includes(end))?.find((p) => p !== end) ?? '';
	const land = (end: string, to: string) => {
		const rest = opened.landings.filter((l) => !l.includes(end));
		const terminal = places.find((p) => p.point === to)?.jumper;
		const joined = rest.some((l) => l.includes(to) && l.some((p) => !p.includes('@') && p !== to));
		change({
			makeup: '',
			taps: undefined,
			wiring: [...rest, ...(to ? [[end, to]] : []), ...(terminal && !joined ? [[to, terminal]] : [])],
		});
	};
	return (
		<Part title="What hangs there now">
			<Pick
				words="kind"
				value={e.kind}
				of={[
					{ value: 'receptacle', words: 'duplex' },
					{ value: 'gfci', words: 'GFCI' },
				]}
				save={(kind) => change({ kind, wiring: undefined, makeup: '', taps: undefined })}
			/>
			<Pick
				words="hot tab"
				value={e.tab?.hot ?? ''}
				of={[
					{ value: '', words: 'whole' },
					{ value: 'removed', words: 'broken off' },
				]}
				save={(hot) => change({ tab: { ...e.tab, hot } })}
			/>
			<Pick
				words="wired"
				value={wires ? 'wires' : (e.makeup ?? '')}
				of={[
					{ value: 'feed-through', words: 'through the device' },
					{ value: 'pigtail', words: 'spliced, jumpers' },
					{ value: 'wires', words: 'wire by wire' },
				]}
				save={(how) => {
					setWires(how === 'wires');
					if (how !== 'wires') change({ makeup: how as Existing['makeup'], wiring: undefined, taps: undefined });
				}}
			/>
			{wires && (
				<ul className="m-0 list-none p-0">
					{ends.map((end) => (
						<li key={end} className="flex items-center gap-2 py-0.5">
							<span className="grow">{endWords(box.cables, end)}</span>
							<select
								aria-label={`where ${endWords(box.cables, end)} lands`}
								className={field}
								value={landed(end)}
								onChange={(ev) => land(end, ev.target.value)}
							>
								<option value="">not recorded</option>
								{[...new Set([...places.map((p) => p.point), ...(landed(end) ? [landed(end)] : [])])].map((p) => (
									<option key={p} value={p}>
										{landingWords(places, p)}
									</option>
								))}
							</select>
						</li>
					))}
				</ul>
			)}
			<fieldset className="m-0 flex flex-wrap gap-1.5 border-0 p-0">
				<legend className="float-left mr-1 w-24 p-0 text-soft">seen</legend>
				{sights.map((s) => (
					<button
						key={s.value}
						type="button"
						aria-pressed={seen.includes(s.value)}
						onClick={() =>
							change({ seen: seen.includes(s.value) ? seen.filter((x) => x !== s.value) : [...seen, s.value] })
						}
						className="min-h-11 border-2 border-hair px-2.5 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						{s.words}
					</button>
				))}
			</fieldset>
		</Part>
	);
}

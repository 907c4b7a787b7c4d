import { useState } from 'react';
import type { Box, BoxCable, BoxPlace, Chosen, Existing, OpenedBox } from '../api/client';
import { Button, field } from '../ui/Button';
import { Figure, Part, Pick, Words, yesNo } from '../ui/controls';
import { cableWords, endWords, landingWords } from './cables';
import { aluminumWays, exposures, poles, protections, roles, secondHots, volumes, walls } from './choices';
import { loads, RoomPick } from './served';

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
			<div className="flex items-center gap-3" data-next>
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
			<DeviceEntry
				title="What goes in"
				device={box.device ?? { id: box.existing?.id || 'D1', kind: 'receptacle', amps: 15 }}
				breaker={box.breaker.amps}
				old={box.existing}
				save={(device) => change({ device })}
			/>
			{(box.others ?? []).map((v, i) => (
				<DeviceEntry
					key={v.id}
					title={`Beside it, ${i + 2} in the box`}
					device={v}
					breaker={box.breaker.amps}
					save={(d) => change({ others: box.others?.map((x) => (x.id === v.id ? d : x)) })}
					drop={() => change({ others: box.others?.filter((x) => x.id !== v.id) })}
				/>
			))}
			{(box.others ?? []).length < 3 && (
				<Button
					className="justify-self-start"
					onClick={() =>
						change({ others: [...(box.others ?? []), { id: freeName(box), kind: 'receptacle', amps: 15 }] })
					}
				>
					Another device in this box
				</Button>
			)}
			<SwitchEntry box={box} save={(switches) => change({ switches })} />
			<BreakerEntry box={box} save={(breaker) => change({ breaker })} />
			<EnclosureEntry box={box} save={(b) => change({ box: b })} />
			<PlaceEntry place={box.place ?? {}} save={(place) => change({ place })} />
			<ExistingEntry
				opened={opened}
				save={(existing) => change({ existing })}
				flooded={(v) => change({ flooded: v })}
			/>
			<Button kind="main" className="justify-self-start" onClick={close}>
				To the plan
			</Button>
		</div>
	);
}

const protects = [
	{ value: 'yes', words: 'protect' },
	{ value: 'no', words: 'must not go off' },
	{ value: 'unknown', words: 'as it follows' },
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
	const loop = third && !cable.conductors.includes('neutral');
	const conductors = (ground: boolean, hot2: boolean, neutral = true) => {
		const all: BoxCable['conductors'] = [
			'hot',
			...(hot2 ? ['hot2' as const] : []),
			...(neutral ? ['neutral' as const] : []),
			...(ground ? ['ground' as const] : []),
		];
		const insulation = Object.fromEntries(
			Object.entries(cable.insulation ?? {}).filter(([k]) => all.includes(k as (typeof all)[number])),
		);
		change({ conductors: all, insulation, ...(neutral ? {} : { hot2: 'switched' as const }) });
	};
	const words = cableWords(cable);
	return (
		<Part
			title={`${cable.role === 'line' ? 'The feed' : `Cable ${words.name}`}, ${words.about}`}
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
						of={[
							{ value: 'NM', words: 'NM' },
							{ value: 'UF', words: 'UF' },
							{ value: 'AC', words: 'armour with a strip' },
							{ value: 'MC', words: 'interlocked armour' },
							{ value: 'BX', words: 'old armour, no strip' },
							{ value: 'conduit', words: 'metal conduit' },
						]}
						save={(v) => change({ type: v })}
					/>
					<Pick words="second hot" value={third} of={yesNo} save={(v) => conductors(grounded, v)} />
					<Pick
						words="switch loop"
						value={loop}
						of={[
							{ value: true, words: 'to a switch and back, no neutral' },
							{ value: false, words: 'no' },
						]}
						save={(v) => conductors(grounded, v, !v)}
					/>
					{third && (
						<Pick
							words="it is"
							value={cable.hot2 ?? 'unknown'}
							of={[...secondHots]}
							save={(v) => change({ hot2: v })}
						/>
					)}
				</>
			}
		>
			<Pick words="it is the" value={cable.role ?? 'unknown'} of={[...roles]} save={(role) => change({ role })} />
			<Words
				value={cable.serves ?? ''}
				label={cable.role === 'line' ? 'comes from' : 'serves'}
				save={(serves) => change({ serves })}
			/>
			{cable.role === 'outgoing' && (
				<>
					<RoomPick
						words="in the room"
						value={cable.servesPlace?.room ?? ''}
						save={(room) => change({ servesPlace: room ? { ...cable.servesPlace, room } : undefined })}
					/>
					<Pick
						words="hangs on it"
						value={cable.servesLoad ?? 'unknown'}
						of={loads}
						save={(servesLoad) => change({ servesLoad })}
					/>
					<Pick
						words="on a GFCI"
						value={cable.protect ?? 'unknown'}
						of={[...protects]}
						save={(protect) => change({ protect })}
					/>
				</>
			)}
			<Pick
				words="gauge"
				value={cable.awg}
				of={[14, 12, 10].map((g) => ({ value: g, words: `${g} AWG` }))}
				save={(awg) => change({ awg })}
			/>
			<Pick words="ground wire" value={grounded} of={yesNo} save={(v) => conductors(v, third, !loop)} />
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

function EnclosureEntry({ box, save }: { box: Box; save: (b: Box['box']) => void }) {
	const e = box.box;
	const change = (what: Partial<Box['box']>) => save({ ...e, ...what });
	return (
		<Part
			title="The box"
			more={
				<>
					<Figure words="set back" unit="in" value={e.setbackIn} save={(v) => change({ setbackIn: v })} />
					<Pick words="wall" value={e.wall} of={walls} save={(v) => change({ wall: v })} />
					<Figure words="gap round it" unit="in" value={e.gapIn} save={(v) => change({ gapIn: v })} />
					<Figure words="spacers there" unit="layers" value={e.layersOut} save={(v) => change({ layersOut: v })} />
					<Figure words="studs" unit="" value={e.fittings} save={(v) => change({ fittings: v })} />
					<Figure words="deep inside" unit="in" value={e.depthIn} save={(v) => change({ depthIn: v })} />
					<Figure
						words="wires through"
						unit="unbroken, 12 AWG"
						value={e.passing?.find((p) => p.awg === 12)?.count}
						save={(n) => change({ passing: n ? [{ awg: 12, count: n }] : undefined })}
					/>
					<Pick
						words="aluminium"
						value={e.aluminumConnectors ?? false}
						of={aluminumWays}
						save={(aluminumConnectors) => change({ aluminumConnectors })}
					/>
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
			<Pick words="volume" value={e.volumeIn3} of={volumes()} save={(v) => change({ volumeIn3: v, size: undefined })} />
			<Figure words="or, marked" unit="in³" value={e.volumeIn3} save={(v) => change({ volumeIn3: v })} />
			{e.material === 'metal' && (
				<Words
					value={e.size ?? ''}
					label="or its size"
					save={(size) => change({ size: size || undefined, volumeIn3: undefined })}
				/>
			)}
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
			<RoomPick words="room" value={place.room ?? ''} save={(room) => change({ room: room || undefined })} />
			<Pick words="how wet" value={place.exposure} of={exposures} save={(exposure) => change({ exposure })} />
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
	{ value: 'afci-gfci', words: 'AFCI/GFCI' },
	{ value: 'usb', words: 'USB' },
	{ value: 'smart', words: 'smart' },
] as const;

/** A name for a device or a switch that none has yet. */
function freeName(box: Box, letter = 'D'): string {
	const taken = [
		box.device?.id,
		box.existing?.id,
		...(box.others ?? []).map((v) => v.id),
		...(box.switches ?? []).map((s) => s.id),
		...box.cables.map((c) => c.id),
	];
	for (let n = 2; ; n++) if (!taken.includes(`${letter}${n}`)) return `${letter}${n}`;
}

/** Wall switches beside it: each stays as it is, and what it controls hangs on it. */
function SwitchEntry({ box, save }: { box: Box; save: (s: Box['switches']) => void }) {
	const all = box.switches ?? [];
	const taken = new Set(all.map((s) => s.controls));
	const able = box.cables.filter(
		(c) => c.role === 'outgoing' && c.conductors.includes('hot') && !c.conductors.includes('hot2'),
	);
	const free = able.find((c) => !taken.has(c.id));
	return (
		<>
			{all.map((s) => (
				<Part key={s.id} title="A switch beside it">
					<Pick
						words="controls"
						value={s.controls}
						of={able
							.filter((c) => c.id === s.controls || !taken.has(c.id))
							.map((c) => ({ value: c.id, words: cableWords(c).name }))}
						save={(controls) => save(all.map((x) => (x.id === s.id ? { ...x, controls } : x)))}
					/>
					<Button kind="quiet" className="justify-self-start" onClick={() => save(all.filter((x) => x.id !== s.id))}>
						There is no such switch
					</Button>
				</Part>
			))}
			{free && all.length < 3 && (
				<Button
					className="justify-self-start"
					onClick={() => save([...all, { id: freeName(box, 'S'), controls: free.id }])}
				>
					A switch in this box
				</Button>
			)}
		</>
	);
}

function BreakerEntry({ box, save }: { box: Box; save: (b: Box['breaker']) => void }) {
	const b = box.breaker;
	return (
		<Part title="The breaker">
			<Pick
				words="protects"
				value={b.protection ?? 'unknown'}
				of={protections}
				save={(protection) => save({ ...b, protection })}
			/>
			<Pick
				words="rated"
				value={b.amps}
				of={[15, 20, 30].map((a) => ({ value: a, words: `${a} A` }))}
				save={(amps) => save({ ...b, amps })}
			/>
			<Pick words="switches" value={b.poles ?? 1} of={poles} save={(poles) => save({ ...b, poles })} />
		</Part>
	);
}

const defectWords = [
	{ value: 'ground-slot-blocked', words: 'ground slot blocked' },
	{ value: 'terminals-alike', words: 'terminals alike' },
	{ value: 'screw-loose', words: 'screw loose' },
	{ value: 'cracked', words: 'cracked' },
	{ value: 'contacts-loose', words: 'contacts loose' },
];

interface DeviceProps {
	title: string;
	device: Chosen;
	breaker: number;
	/** What hangs there now: its tab is what the new one gets. */
	old?: Existing;
	save: (d: Chosen) => void;
	drop?: () => void;
}

function DeviceEntry({ title, device: v, breaker, old, save, drop }: DeviceProps) {
	const change = (what: Partial<Chosen>) => save({ ...v, ...what });
	const gfci = v.kind === 'gfci';
	return (
		<Part
			title={title}
			more={
				<>
					<Several
						words="defects seen"
						value={v.defects ?? []}
						of={defectWords}
						save={(defects) => change({ defects })}
					/>
					{(v.defects ?? []).length > 0 && (
						<Words value={v.defectDone ?? ''} label="what was done" save={(defectDone) => change({ defectDone })} />
					)}
					<Pick
						words="grade"
						value={v.grade ?? ''}
						of={[
							{ value: 'residential', words: 'residential' },
							{ value: 'heavy', words: 'heavy-duty' },
						]}
						save={(grade) => change({ grade: grade as Chosen['grade'] })}
					/>
					<Figure words="depth behind" unit="in" value={v.depthIn} save={(n) => change({ depthIn: n })} />
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
					change({ kind, ...(kind === 'gfci' ? { tab: {}, slots: 3, amps: Math.max(v.amps, breaker) } : {}) })
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
						value={v.whole ? 'whole' : (v.tab?.hot ?? '')}
						of={[
							...(old
								? [{ value: '', words: old.tab?.hot === 'removed' ? 'as the old one: broken' : 'as the old one' }]
								: []),
							{ value: 'whole', words: 'whole' },
							{ value: 'removed', words: 'broken off' },
						]}
						save={(hot) =>
							change({ whole: hot === 'whole', tab: { ...v.tab, hot: hot === 'removed' ? 'removed' : '' } })
						}
					/>
				</>
			)}
			{drop && (
				<Button kind="quiet" className="justify-self-start" onClick={drop}>
					There is no such device
				</Button>
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

interface ExistingProps {
	opened: OpenedBox;
	save: (e: Existing) => void;
	flooded: (was: boolean) => void;
}

function ExistingEntry({ opened, save, flooded }: ExistingProps) {
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
			<Several words="seen" value={seen} of={sights} save={(all) => change({ seen: all })} />
			<Pick
				words="on a switch"
				value={e.switched ?? ''}
				of={[
					{ value: '', words: 'no half' },
					{ value: 'top', words: 'upper half' },
					{ value: 'bottom', words: 'lower half' },
				]}
				save={(switched) => change({ switched: switched as Existing['switched'] })}
			/>
			<Pick
				words="its plate"
				value={e.plate ?? ''}
				of={[
					{ value: 'screwed', words: 'screwed' },
					{ value: 'painted', words: 'painted over' },
					{ value: 'snap-on', words: 'snaps on' },
				]}
				save={(plate) => change({ plate: plate as Existing['plate'] })}
			/>
			<Pick words="under water" value={box.flooded ?? false} of={yesNo} save={flooded} />
		</Part>
	);
}

interface SeveralProps {
	words: string;
	value: string[];
	of: { value: string; words: string }[];
	save: (value: string[]) => void;
}

/** Any of a few. */
function Several({ words, value, of, save }: SeveralProps) {
	return (
		<fieldset className="m-0 flex flex-wrap gap-1.5 border-0 p-0">
			<legend className="float-left mr-1 w-24 p-0 text-soft">{words}</legend>
			{of.map((o) => (
				<button
					key={o.value}
					type="button"
					aria-pressed={value.includes(o.value)}
					onClick={() => save(value.includes(o.value) ? value.filter((x) => x !== o.value) : [...value, o.value])}
					className="min-h-11 border-2 border-hair px-2.5 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
				>
					{o.words}
				</button>
			))}
		</fieldset>
	);
}

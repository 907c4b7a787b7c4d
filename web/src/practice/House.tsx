import { type FormEvent, useState } from 'react';
import type { HouseSheet, Rule, Shop } from '../api/client';
import { useHouse, useSetHouse } from '../api/hooks';
import { newID } from '../api/newID';
import { shelves } from '../box/shelves';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Figure } from './Figure';

/** What is set as the server keeps it: only what is not as usual. */
function asSet(sheet: HouseSheet): Shop {
	return {
		house: Object.fromEntries(
			sheet.schools.filter((s) => s.value !== s.options[0]?.value).map((s) => [s.key, s.value]),
		),
		edition: sheet.edition,
		prices: Object.fromEntries(sheet.prices.filter((p) => p.value !== p.usual).map((p) => [p.key, p.value])),
		amendments: sheet.amendments,
		items: sheet.items,
		timeZone: sheet.timeZone || undefined,
		units: sheet.units,
	};
}

/** The house practice, the code edition in force with its local amendments, prices, or the shop's clock. */
export function House({ part }: { part: 'practice' | 'code' | 'prices' | 'clock' }) {
	const house = useHouse();
	const set = useSetHouse();
	const sheet = house.data;
	const save: Save = (change) => set.mutate((now) => ({ ...asSet(now), ...change(asSet(now)) }));
	return (
		<>
			<Problem error={house.error ?? set.error} />
			{sheet && (
				<>
					{part === 'practice' && <Schools sheet={sheet} save={save} />}
					{part === 'code' && <Code sheet={sheet} save={save} />}
					{part === 'prices' && <Prices sheet={sheet} save={save} />}
					{part === 'clock' && (
						<div className="grid gap-6 wide:grid-cols-2">
							<Units sheet={sheet} save={save} />
							<Clock sheet={sheet} save={save} />
						</div>
					)}
				</>
			)}
		</>
	);
}

interface Part {
	sheet: HouseSheet;
	save: Save;
}

/** Changes what is set, as it is by then. */
type Save = (change: (now: Shop) => Shop) => void;

/** The zone whose clocks the screens and the papers show. */
function Clock({ sheet, save }: Part) {
	const zones = Intl.supportedValuesOf('timeZone');
	const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
	return (
		<section className="grid gap-2" aria-label="Time zone">
			<h2 className="m-0 text-xl font-bold">Time zone</h2>
			<label className="grid gap-1 text-soft wide:w-96">
				on screens and papers
				<select
					className={field}
					value={sheet.timeZone}
					onChange={(e) => {
						const timeZone = e.target.value || undefined;
						save(() => ({ timeZone }));
					}}
				>
					<option value="">as this machine: {own}</option>
					{zones.map((z) => (
						<option key={z} value={z}>
							{z}
						</option>
					))}
				</select>
			</label>
		</section>
	);
}

/** What lengths, volumes and torques are shown in. */
function Units({ sheet, save }: Part) {
	return (
		<section className="grid gap-2" aria-label="Units">
			<h2 className="m-0 text-xl font-bold">Units</h2>
			<label className="grid gap-1 text-soft wide:w-96">
				on screens and papers
				<select
					className={field}
					value={sheet.units}
					onChange={(e) => {
						const units = e.target.value as Shop['units'];
						save(() => ({ units }));
					}}
				>
					<option value="">feet, inches, cubic inches</option>
					<option value="metric">metres, millimetres, cubic centimetres</option>
				</select>
			</label>
			<p className="m-0 text-soft">
				Wire stays in AWG. Metric has newton metres beside the torque that drivers are marked in.
			</p>
		</section>
	);
}

function Schools({ sheet, save }: Part) {
	return (
		<section className="grid gap-2" aria-label="House practice">
			<h2 className="m-0 text-xl font-bold">House practice</h2>
			<p className="m-0 text-soft">Where good people differ. Every plan says which of these it turned on, and why.</p>
			<ul className="m-0 list-none p-0">
				{sheet.schools.map((s) => (
					<li key={s.key} className="grid gap-x-6 border-b border-rule py-2 wide:grid-cols-[1fr_auto]">
						<span>
							<b>{s.words}</b>
							<span className="block text-soft">
								Usual: {s.options[0]?.words.toLowerCase()}. {s.why}
							</span>
						</span>
						<select
							aria-label={s.words}
							className={`${field} wide:w-80`}
							value={s.value}
							onChange={(e) => {
								const value = e.target.value;
								save((now) => ({ house: { ...now.house, [s.key]: value } }));
							}}
						>
							{s.options.map((o) => (
								<option key={o.value} value={o.value}>
									{o.words}
								</option>
							))}
						</select>
					</li>
				))}
			</ul>
		</section>
	);
}

function Code({ sheet, save }: Part) {
	return (
		<section className="grid gap-2" aria-label="Code edition">
			<h2 className="m-0 text-xl font-bold">Code edition</h2>
			<div className="flex flex-wrap items-center gap-2">
				{sheet.editions.map((e) => (
					<button
						key={e}
						type="button"
						aria-pressed={sheet.edition === e}
						onClick={() => save(() => ({ edition: e }))}
						className="min-h-11 border-2 border-ink px-4 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						NEC {e}
					</button>
				))}
				<span className="text-soft">Check what is adopted here.</span>
			</div>
			<h3 className="m-0 mt-2 border-b-2 border-ink text-base font-bold">Local amendments</h3>
			<ul className="m-0 list-none p-0" aria-label="Local amendments">
				{sheet.amendments.map((a) => (
					<li key={`${a.section} ${a.text}`} className="flex flex-wrap items-center gap-x-3 border-b border-rule">
						<b>{a.section}</b>
						<span className="grow">
							{topics[a.topic] ?? a.topic}, {a.lifts ? 'not asked for' : 'required'}: {a.text}
							{a.when?.rooms?.length ? ` (${a.when.rooms.join(', ')})` : ' (everywhere)'}
						</span>
						<Button
							kind="quiet"
							aria-label={`Take out ${a.section}`}
							onClick={() =>
								save((now) => ({
									amendments: now.amendments?.filter((x) => x.section !== a.section || x.text !== a.text),
								}))
							}
						>
							take out
						</Button>
					</li>
				))}
			</ul>
			<NewAmendment sheet={sheet} add={(a) => save((now) => ({ amendments: [...(now.amendments ?? []), a] }))} />
			<details>
				<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
					The rows of {sheet.edition}, {sheet.rules.length} of them
				</summary>
				<ul className="m-0 list-none p-0">
					{sheet.rules.map((r) => (
						<li
							key={`${r.topic} ${r.section} ${r.text}`}
							className="grid gap-x-4 border-b border-rule py-1 wide:grid-cols-[11rem_1fr]"
						>
							<b>{r.section}</b>
							<span>{r.text}</span>
						</li>
					))}
				</ul>
				<p className="m-0 text-soft">From memory, in our own words.</p>
			</details>
		</section>
	);
}

const topics: Record<string, string> = {
	gfci: 'ground-fault protection',
	afci: 'arc-fault protection',
	tamperResistant: 'tamper-resistant',
	weatherResistant: 'weather-resistant',
	cover: 'cover',
};

function NewAmendment({ sheet, add }: { sheet: HouseSheet; add: (r: Rule) => void }) {
	const [topic, setTopic] = useState(sheet.topics[0] ?? 'gfci');
	const [room, setRoom] = useState('');
	const [lifts, setLifts] = useState(false);
	const [section, setSection] = useState('');
	const [text, setText] = useState('');
	return (
		<form
			className="grid gap-2 wide:grid-cols-[12rem_9rem_9rem_1fr_1fr_auto] wide:items-end"
			aria-label="New local amendment"
			onSubmit={(e) => {
				e.preventDefault();
				add({ topic, section, text, lifts, when: room ? { rooms: [room] } : {} });
				setSection('');
				setText('');
			}}
		>
			<select aria-label="about" className={field} value={topic} onChange={(e) => setTopic(e.target.value)}>
				{sheet.topics.map((t) => (
					<option key={t} value={t}>
						{topics[t] ?? t}
					</option>
				))}
			</select>
			<select
				aria-label="effect"
				className={field}
				value={String(lifts)}
				onChange={(e) => setLifts(e.target.value === 'true')}
			>
				<option value="false">required</option>
				<option value="true">not asked for</option>
			</select>
			<select aria-label="in" className={field} value={room} onChange={(e) => setRoom(e.target.value)}>
				<option value="">everywhere</option>
				{sheet.rooms.map((r) => (
					<option key={r} value={r}>
						{r}
					</option>
				))}
			</select>
			<input
				aria-label="section"
				placeholder="section, such as Town code 12"
				className={field}
				value={section}
				onChange={(e) => setSection(e.target.value)}
			/>
			<input
				aria-label="what it asks"
				placeholder="what it asks, in your words"
				className={field}
				value={text}
				onChange={(e) => setText(e.target.value)}
			/>
			<Button type="submit">Add</Button>
		</form>
	);
}

function Prices({ sheet, save }: Part) {
	return (
		<section className="grid gap-2" aria-label="Prices">
			<h2 className="m-0 text-xl font-bold">Prices</h2>
			<p className="m-0 text-soft">
				In dollars; the usual ones are assumptions. The ways on for an outlet without a ground are weighed with them. A
				price for a kind holds for everything of it that has none of its own.
			</p>
			<PriceRows rows={sheet.prices.filter((p) => !p.group)} save={save} />
			{shelves.map((s) => {
				const rows = sheet.prices.filter((p) => p.group === s.key);
				const own = sheet.items.filter((i) => i.group === s.key);
				if (rows.length + own.length === 0) return null;
				return (
					<details key={s.key}>
						<summary className="inline-flex min-h-11 cursor-pointer items-center text-base font-bold underline decoration-hair underline-offset-4">
							{s.words}
						</summary>
						<PriceRows rows={rows} save={save} />
						<OwnItems own={own} save={save} />
					</details>
				);
			})}
			<NewItem save={save} />
		</section>
	);
}

type Item = HouseSheet['items'][number];

/** What the shop itself put into the catalogue. */
function OwnItems({ own, save }: { own: Item[]; save: Save }) {
	const change = (code: string, to: (i: Item) => Item[]) =>
		save((now) => ({ items: now.items?.flatMap((i) => (i.code === code ? to(i) : [i])) }));
	return (
		<ul className="m-0 list-none p-0">
			{own.map((i) => (
				<li key={i.code} className="flex flex-wrap items-center gap-3 border-b border-rule py-1">
					<span className="grow">
						{i.words} <span className="text-soft">{i.unit || 'each'}, your own</span>
					</span>
					<Button kind="quiet" aria-label={`Take ${i.words} out`} onClick={() => change(i.code, () => [])}>
						take out
					</Button>
					<Figure
						words={i.words}
						value={i.usual}
						usual={i.usual}
						save={(usual) => change(i.code, (was) => [{ ...was, usual }])}
					/>
				</li>
			))}
		</ul>
	);
}

/** A thing of the shop's own: vans carry it and calls use it, as they do all others. */
function NewItem({ save }: { save: Save }) {
	const [words, setWords] = useState('');
	const [group, setGroup] = useState<Item['group']>('hardware');
	const [unit, setUnit] = useState('');
	const submit = (e: FormEvent) => {
		e.preventDefault();
		const said = words.trim();
		if (!said) return;
		const item: Item = { code: `own-${newID()}`, words: said, unit, group, usual: 0 };
		save((now) => ({ items: [...(now.items ?? []), item] }));
		setWords('');
	};
	return (
		<form onSubmit={submit} aria-label="A thing of your own" className="flex flex-wrap items-center gap-2">
			<b>A thing of your own:</b>
			<input
				aria-label="what it is called"
				className={`${field} grow`}
				value={words}
				placeholder="such as cable clip, 1/2 in"
				onChange={(e) => setWords(e.target.value)}
			/>
			<select
				aria-label="its shelf"
				className={field}
				value={group}
				onChange={(e) => setGroup(e.target.value as Item['group'])}
			>
				{shelves.map((s) => (
					<option key={s.key} value={s.key}>
						{s.words}
					</option>
				))}
			</select>
			<select aria-label="counted by" className={field} value={unit} onChange={(e) => setUnit(e.target.value)}>
				<option value="">by the piece</option>
				<option value="ft">by the ft</option>
			</select>
			<Button type="submit">Add</Button>
		</form>
	);
}

function PriceRows({ rows, save }: { rows: Part['sheet']['prices']; save: Part['save'] }) {
	return (
		<ul className="m-0 grid list-none gap-x-8 p-0 wide:grid-cols-2">
			{rows.map((p) => (
				<li key={p.key} className="flex items-center gap-3 border-b border-rule py-1">
					<span className="grow">
						{p.words} <span className="text-soft">{p.unit}</span>
					</span>
					<Figure
						words={p.words}
						value={p.value}
						usual={p.usual}
						save={(v) => save((now) => ({ prices: { ...now.prices, [p.key]: v } }))}
					/>
				</li>
			))}
		</ul>
	);
}

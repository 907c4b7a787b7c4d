import { Undo2 } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import type { Call } from '../api/client';
import { type DrillBox, type DrillPoint, type DrillWired, useDoInDrill, useDrillBox } from '../api/drill';
import { useAddReading, useCall } from '../api/hooks';
import { newID } from '../api/newID';
import { Phases } from '../calls/Phases';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { DrillBar } from './DrillBar';

/** An opened box of a drill: every wire is put where it belongs, by hand. */
export function WireScreen({ id, box }: { id: number; box: string }) {
	const call = useCall(id).data;
	const opened = useDrillBox(id, box, call?.drill?.opened.length ?? 0);
	const open = useAddReading(id);
	const label = call?.stops.find((s) => s.box === box)?.label ?? box;
	useEffect(() => {
		document.title = `${label}, Elvat`;
	}, [label]);
	if (!call) return null;
	return (
		<div className="flex min-h-dvh flex-col">
			<header className="flex flex-col border-b-2 border-ink wide:flex-row">
				<div className="flex min-w-0 grow items-center gap-3 py-1.5 pr-2 pl-3 wide:pl-5">
					<Link
						to={`/calls/${id}`}
						aria-label="Back to the call"
						aria-keyshortcuts="h"
						className="grid size-11 shrink-0 place-items-center hover:bg-wash"
					>
						<Mark />
					</Link>
					<h1 className="m-0 min-w-0 grow truncate text-lg/tight font-bold">{label}, opened</h1>
					<ThemeButton />
				</div>
				<Phases call={call} />
			</header>
			<DrillBar call={call} />
			<main className="grid content-start gap-4 px-4 py-4 wide:px-6">
				{opened.error && (
					<>
						<p className="m-0 text-lg">
							<b>The box is closed.</b> Breaker off, proven dead, then the cover.
						</p>
						<Button
							className="justify-self-start"
							disabled={open.isPending || call.drill?.over}
							onClick={() => open.mutate({ id: newID(), reading: { tool: 'eyes', site: box, found: false } })}
						>
							Open this box
						</Button>
						<Problem error={open.error} />
						<Link
							to={`/calls/${id}/dead?box=${box}`}
							className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
						>
							Prove it dead
						</Link>
					</>
				)}
				{opened.data && <Board key={box} call={call} opened={opened.data} />}
			</main>
		</div>
	);
}

type Pair = [string, string];

const paint: Record<string, { stroke: string; width: number; dash?: string }> = {
	hot: { stroke: 'var(--ink)', width: 5 },
	hot2: { stroke: 'var(--accent)', width: 5 },
	neutral: { stroke: 'var(--soft)', width: 5, dash: '2 5' },
	ground: { stroke: 'var(--ink)', width: 2.5, dash: '12 5' },
};

const row = 56;

function Board({ call, opened }: { call: Call; opened: DrillBox }) {
	const act = useDoInDrill(call.id);
	const [past, setPast] = useState<DrillWired[]>([]);
	const [wired, setWired] = useState<DrillWired>({
		...opened.wired,
		remade: opened.wired.remade ?? [],
		connectors: opened.wired.connectors ?? {},
	});
	const [picked, pick] = useState<string | null>(null);
	const all = [...opened.wires, ...opened.places];
	const words = (name: string) => all.find((p) => p.name === name)?.words ?? name;
	const pairs = wired.pairs as Pair[];
	const set = (next: DrillWired) => {
		setPast([...past, wired]);
		setWired(next);
	};
	const undo = () => {
		const last = past.at(-1);
		if (!last) return;
		setWired(last);
		setPast(past.slice(0, -1));
		pick(null);
	};
	const off = (gone: Pair) => set({ ...wired, pairs: pairs.filter((p) => p !== gone) });
	const touch = (name: string) => {
		if (picked === null) return pick(name);
		if (picked === name) return pick(null);
		const there = pairs.find((p) => p.includes(picked) && p.includes(name));
		if (there) off(there);
		else
			set({
				...wired,
				pairs: [...pairs, [picked, name]],
				remade: [...new Set([...(wired.remade ?? []), picked, name])],
			});
		pick(null);
	};
	const count = (name: string) => pairs.filter((p) => p.includes(name)).length;
	const used = opened.places.filter((p) => p.name.startsWith('splice:') && count(p.name) > 1);
	const lands = pairs.some((p) => p.some((n) => opened.places.some((q) => q.name === n && q.device)));
	const judged = call.drill?.judged?.box === opened.box ? call.drill.judged : undefined;
	return (
		<>
			<section aria-label="What eyes see" className="border-b-2 border-ink pb-2">
				<p className="m-0 text-xl/tight font-bold">
					{opened.seen.length === 0 ? 'All sound in here, as far as eyes see.' : opened.seen.join('. ')}
				</p>
				<p className="m-0 text-soft">
					Tap a wire, then where it goes; the same two once more take it off. Between a splice and a screw goes a
					jumper.
				</p>
			</section>
			<div className="grid items-start gap-6 wide:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
				<div className="grid gap-3">
					<Wires opened={opened} pairs={pairs} picked={picked} touch={touch} />
					<div className="flex flex-wrap gap-3">
						<Button onClick={undo} disabled={past.length === 0} aria-keyshortcuts="u">
							<Undo2 size={18} aria-hidden="true" /> Undo
						</Button>
						<Button kind="quiet" onClick={() => set({ ...wired, pairs: [] })}>
							Take everything off
						</Button>
					</div>
				</div>
				<div className="grid content-start gap-5">
					<section aria-label="What lands where" className="grid gap-1">
						<h2 className="m-0 border-b-2 border-ink text-lg font-bold">What lands where</h2>
						{pairs.length === 0 && <p className="m-0">Nothing is joined.</p>}
						<ul className="m-0 list-none p-0">
							{pairs.map((p) => (
								<li key={p.join(' ')} className="flex min-h-11 items-center gap-2 border-b border-rule">
									<span className="grow">
										{words(p[0])} <span className="text-soft">on</span> {words(p[1])}
									</span>
									<Button
										kind="quiet"
										className="shrink-0 whitespace-nowrap"
										aria-label={`Take off: ${words(p[0])}, ${words(p[1])}`}
										onClick={() => off(p)}
									>
										take off
									</Button>
								</li>
							))}
						</ul>
					</section>
					<section aria-label="How it is made" className="grid gap-2">
						<h2 className="m-0 border-b-2 border-ink text-lg font-bold">How it is made</h2>
						{lands && (
							<Choice
								label="stripped for the screws"
								value={wired.stripIn}
								of={opened.strips}
								words={(n) => `${n} in`}
								set={(stripIn) => set({ ...wired, stripIn })}
							/>
						)}
						{used.map((p) => (
							<Choice
								key={p.name}
								label={`connector on the ${p.words}`}
								value={wired.connectors?.[p.name]}
								of={opened.takes}
								words={(n) => `for ${n}`}
								set={(n) => set({ ...wired, connectors: { ...wired.connectors, [p.name]: n } })}
							/>
						))}
						<label className="flex min-h-11 items-center gap-3">
							<input
								type="checkbox"
								className="size-6 accent-accent"
								checked={wired.new ?? false}
								onChange={(e) => set({ ...wired, new: e.target.checked })}
							/>
							a new device in the place of the old one
						</label>
						{opened.wires
							.filter((w) => w.of === 'neutral')
							.map((w) => (
								<label key={w.name} className="flex min-h-11 items-center gap-3">
									<input
										type="checkbox"
										className="size-6 accent-accent"
										checked={wired.marked?.includes(w.name) ?? false}
										onChange={(e) =>
											set({
												...wired,
												marked: e.target.checked
													? [...(wired.marked ?? []), w.name]
													: wired.marked?.filter((n) => n !== w.name),
											})
										}
									/>
									marked as hot: {w.words}
								</label>
							))}
					</section>
					<Button
						kind="main"
						className="min-h-14 text-lg"
						disabled={
							act.isPending ||
							call.drill?.over ||
							(lands && !wired.stripIn) ||
							used.some((p) => !wired.connectors?.[p.name])
						}
						onClick={() =>
							act.mutate(
								{ what: 'wire', box: opened.box, wired },
								{
									onSuccess: () =>
										requestAnimationFrame(() => document.getElementById('judged')?.scrollIntoView({ block: 'center' })),
								},
							)
						}
					>
						Close it up, and see
					</Button>
					{((lands && !wired.stripIn) || used.some((p) => !wired.connectors?.[p.name])) && (
						<p className="m-0 text-soft">First say how it is made: strip length and connectors.</p>
					)}
					<Problem error={act.error} />
				</div>
			</div>
			{judged && <Judged judged={judged} call={call} />}
		</>
	);
}

function Choice({
	label,
	value,
	of,
	words,
	set,
}: {
	label: string;
	value: number | undefined;
	of: number[];
	words: (n: number) => string;
	set: (n: number) => void;
}) {
	return (
		<fieldset className="m-0 grid gap-1 border-0 p-0">
			<legend className="p-0 text-soft">{label}</legend>
			<div className="flex gap-px bg-rule">
				{of.map((n) => (
					<button
						key={n}
						type="button"
						aria-pressed={value === n}
						onClick={() => set(n)}
						className="min-h-11 grow bg-sheet px-1 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						{words(n)}
					</button>
				))}
			</div>
		</fieldset>
	);
}

/** Wires at the left, places at the right, and what joins them drawn between. */
function Wires({
	opened,
	pairs,
	picked,
	touch,
}: {
	opened: DrillBox;
	pairs: Pair[];
	picked: string | null;
	touch: (name: string) => void;
}) {
	const height = row * Math.max(opened.wires.length, opened.places.length);
	const y = (points: DrillPoint[], name: string) => points.findIndex((p) => p.name === name) * row + row / 2;
	const of = (name: string) => [...opened.wires, ...opened.places].find((p) => p.name === name)?.of;
	const path = ([a, b]: Pair) => {
		const [ya, yb] = [y(opened.wires, a), y(opened.wires, b)];
		if (ya < 0 && yb < 0) {
			const [from, to] = [y(opened.places, a), y(opened.places, b)];
			return `M100 ${from}C40 ${from} 40 ${to} 100 ${to}`; // a jumper
		}
		if (ya >= 0 && yb >= 0) return `M0 ${ya}C60 ${ya} 60 ${yb} 0 ${yb}`;
		const [left, right] = ya >= 0 ? [ya, y(opened.places, b)] : [yb, y(opened.places, a)];
		return `M0 ${left}C50 ${left} 50 ${right} 100 ${right}`;
	};
	const column = (points: DrillPoint[], label: string) => (
		<fieldset className="m-0 min-w-0 border-0 p-0">
			<legend className="sr-only">{label}</legend>
			{points.map((p) => (
				<div key={p.name} className="flex items-center" style={{ height: row }}>
					<button
						type="button"
						aria-pressed={picked === p.name}
						onClick={() => touch(p.name)}
						className="min-h-12 w-full border-2 border-ink bg-sheet px-2 text-left text-sm/tight hover:bg-wash aria-pressed:border-accent aria-pressed:bg-accent aria-pressed:font-bold aria-pressed:text-on-accent"
					>
						{p.words}
					</button>
				</div>
			))}
		</fieldset>
	);
	return (
		<section aria-label="The wires" className="grid grid-cols-[minmax(0,5fr)_minmax(72px,3fr)_minmax(0,4fr)]">
			{column(opened.wires, 'Wires')}
			<svg
				aria-hidden="true"
				viewBox={`0 0 100 ${height}`}
				preserveAspectRatio="none"
				style={{ height }}
				className="w-full"
			>
				{pairs.map((p) => {
					const look = paint[of(p[0]) || of(p[1]) || 'hot'] ?? paint.hot;
					return (
						<path
							key={p.join(' ')}
							d={path(p)}
							fill="none"
							stroke={look?.stroke}
							strokeWidth={look?.width}
							strokeDasharray={look?.dash}
							vectorEffect="non-scaling-stroke"
						/>
					);
				})}
			</svg>
			{column(opened.places, 'Where they go')}
		</section>
	);
}

function Judged({ judged, call }: { judged: NonNullable<NonNullable<Call['drill']>['judged']>; call: Call }) {
	if (judged.right) {
		return (
			<section id="judged" role="status" aria-label="Judged" className="border-l-4 border-accent pl-4">
				<p className="m-0 text-2xl/tight font-bold tracking-tight">It is right: every wire has its place.</p>
				<Caution>Device set, plate on, nobody at the wires: only then the breaker goes on.</Caution>
				<Link
					to={`/calls/${call.id}/prove`}
					className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
				>
					On to the proof
				</Link>
			</section>
		);
	}
	return (
		<section id="judged" role="status" aria-label="Judged" className="grid gap-2 border-2 border-ink p-4">
			<p className="m-0 text-2xl/tight font-bold tracking-tight">Not right yet.</p>
			<ul className="m-0 grid gap-1 pl-5">
				{judged.wrong.map((w) => (
					<li key={w}>{w}</li>
				))}
				{judged.shown.map((s) => (
					<li key={s.at + s.half}>
						<b>
							{s.label}, {s.half}:
						</b>{' '}
						a tester would show {s.shows}. It should show {s.should}.
					</li>
				))}
			</ul>
		</section>
	);
}

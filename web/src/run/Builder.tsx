import { useQueryClient } from '@tanstack/react-query';
import { type FormEvent, type RefObject, useEffect, useRef, useState } from 'react';
import type { Basics, Call, NewStop, Schemas } from '../api/client';
import { useAddStop, useReplaceCircuit, useSetBreaker, useSetConditions, useSetMap } from '../api/hooks';
import { UndoButtons } from '../calls/Beside';
import { Button, field } from '../ui/Button';
import { OpenFile } from '../ui/OpenFile';
import { Problem } from '../ui/Problem';
import { measure } from '../ui/units';
import { numberIn } from '../ui/words';

interface Props {
	call: Call;
	basics: Basics;
	/** The stop picked on the run: the next one goes behind it. */
	picked: string | null;
	pick: (box: string) => void;
	close?: () => void;
}

/** Builds the run: breaker, then stop after stop, one line each. */
export function Builder({ call, basics, picked, pick, close }: Props) {
	const replace = useReplaceCircuit(call.id);
	/** Takes what is typed and not entered yet; false where it cannot be. */
	const last = useRef<(() => boolean) | null>(null);
	return (
		<section className="grid gap-3 border-t-2 border-ink bg-paper px-4 py-3 wide:px-6" aria-label="Build the run">
			<div className="flex flex-wrap items-center gap-x-6 gap-y-2">
				<h2 className="m-0 text-lg font-bold">{call.stops.length ? 'The run' : 'Build the run'}</h2>
				<Breaker call={call} basics={basics} />
				<div className="ml-auto flex flex-wrap items-center gap-1">
					<UndoButtons call={call} />
					<OpenFile label="Open a circuit file" open={(text) => replace.mutate(text)} />
					{call.stops.length > 0 && (
						<a
							href={`/api/v1/calls/${call.id}/circuit`}
							download
							className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
						>
							Download
						</a>
					)}
					{close && (
						<Button
							className="ml-2"
							onClick={() => {
								if (last.current?.() === false) return; // what is typed cannot be: it stays to be mended
								close();
							}}
						>
							Done
						</Button>
					)}
				</div>
			</div>
			<AddStop call={call} basics={basics} picked={picked} pick={pick} last={last} />
			<Problem error={replace.error} />
		</section>
	);
}

type Protection = NonNullable<Schemas['BreakerChange']['protection']>;

function Breaker({ call, basics }: { call: Call; basics: Basics }) {
	const set = useSetBreaker(call.id);
	const [label, setLabel] = useState(call.breaker.label);
	const protection = call.breaker.protection as Protection;
	const choices = basics.breakerAmps.includes(call.breaker.amps)
		? basics.breakerAmps
		: [...basics.breakerAmps, call.breaker.amps];
	return (
		<div className="flex flex-wrap items-center gap-2">
			<label className="flex items-center gap-2">
				Breaker
				<input
					className={`${field} w-16 text-center font-bold`}
					value={label}
					placeholder="no."
					onChange={(e) => setLabel(e.target.value)}
					onBlur={() => label !== call.breaker.label && set.mutate({ label, amps: call.breaker.amps, protection })}
					onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
				/>
			</label>
			<fieldset className="m-0 flex border-0 p-0">
				<legend className="sr-only">Breaker rating</legend>
				{choices.map((amps) => (
					<button
						key={amps}
						type="button"
						aria-pressed={call.breaker.amps === amps}
						onClick={() => set.mutate({ label, amps, protection })}
						className="min-h-11 border-2 border-ink px-3 not-first:border-l-0 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						{amps} A
					</button>
				))}
			</fieldset>
			<select
				aria-label="Kind of breaker"
				className={field}
				value={call.breaker.protection}
				onChange={(e) => set.mutate({ label, amps: call.breaker.amps, protection: e.target.value as Protection })}
			>
				<option value="unknown">kind not looked at</option>
				<option value="none">plain</option>
				<option value="gfci">GFCI breaker</option>
				<option value="afci">AFCI breaker</option>
				<option value="dual">dual, AFCI and GFCI</option>
			</select>
		</div>
	);
}

type Kind = 'outlet' | 'gfci' | 'two' | 'junction';

const kinds: { kind: Kind; words: string }[] = [
	{ kind: 'outlet', words: 'outlet' },
	{ kind: 'gfci', words: 'GFCI' },
	{ kind: 'two', words: 'two outlets' },
	{ kind: 'junction', words: 'junction' },
];

function AddStop({ call, basics, picked, pick, last: typed }: Props & { last: RefObject<(() => boolean) | null> }) {
	const add = useAddStop(call.id);
	const cache = useQueryClient();
	const order = useSetMap(call.id);
	const [unknown, setUnknown] = useState(false); // what feeds the next one
	const last = call.stops.at(-1)?.box ?? 'panel';
	const [after, setAfter] = useState<string | null>(null);
	const [label, setLabel] = useState('');
	const [ft, setFeet] = useState('');
	const [awg, setAwg] = useState(0);
	// No answer is ticked beforehand: what nobody looked at is not known.
	const [ground, setGround] = useState<'unknown' | 'wire' | 'none'>('unknown');
	const conditions = useSetConditions(call.id);
	const [kind, setKind] = useState<Kind>('outlet');
	const [wrong, setWrong] = useState<Error | null>(null);
	const name = useRef<HTMLInputElement>(null);
	const behind = after ?? picked ?? last;
	// The next one hangs on what was added last, unless it was said by hand since: it may be on its way still.
	const madeLast = useRef<{ box: string; said: number } | null>(null);
	const asked = useRef(false);
	const said = useRef(0); // how often it was said by hand what the next one hangs on

	useEffect(() => name.current?.focus({ preventScroll: true }), []);

	// A stop picked on the run is where the next one branches off.
	useEffect(() => {
		if (!picked) return;
		if (picked !== madeLast.current?.box) said.current++;
		setAfter(picked);
	}, [picked]);

	const enter = (): boolean => {
		const stop: NewStop = { after: behind, label, ground: ground !== 'none', awg, gfci: kind === 'gfci' };
		if (kind === 'two') stop.devices = 2;
		if (kind === 'junction') stop.devices = 0;
		if (ft.trim()) stop.feet = measure('ft').read(numberIn(ft));
		if (Number.isNaN(stop.feet)) {
			setWrong(new Error(`Cable: “${ft}” is not a number of ${measure('ft').unit}.`));
			return false;
		}
		setWrong(null);
		const before = said.current;
		const as = { label, ft, kind };
		// Room for the next one at once: who types fast is ahead of the answer.
		setLabel('');
		setFeet('');
		setKind('outlet');
		const known = () => new Set(cache.getQueryData<Call>(['call', call.id])?.stops.map((s) => s.box));
		let there = new Set<string>();
		add
			.mutateAsync(() => {
				there = known();
				const made = madeLast.current;
				return made && made.said === before ? { ...stop, after: made.box } : stop;
			})
			.then((now) => {
				const made = now.stops.find((s) => !there.has(s.box));
				if (ground === 'unknown' && !now.conditions.ground && !asked.current) {
					asked.current = true; // once is enough, however many are on their way
					conditions.mutate({ ground: 'unknown' });
				}
				if (made) {
					if (unknown) order.mutate((map) => ({ ...map, unsure: [...(map.unsure ?? []), made.box] }));
					if (said.current === before) {
						madeLast.current = { box: made.box, said: before };
						setAfter(made.box);
					}
					pick(made.box);
				}
				name.current?.focus({ preventScroll: true });
			})
			.catch((error) => {
				setWrong(error);
				setLabel((now) => now || as.label);
				setFeet((now) => now || as.ft);
				setKind(as.kind);
			});
		return true;
	};
	typed.current = () => !label.trim() || enter();

	const submit = (e: FormEvent) => {
		e.preventDefault();
		enter();
	};

	const named = /\bgfi\b|gfci/i.test(label) && kind !== 'gfci';
	return (
		<form onSubmit={submit} className="grid gap-2">
			<div className="flex flex-wrap items-end gap-3">
				<label className="grid min-w-40 grow gap-1 text-soft">
					next outlet
					<input
						ref={name}
						className={`${field} text-lg font-bold`}
						value={label}
						placeholder="what you call it, then Enter"
						enterKeyHint="done"
						onChange={(e) => setLabel(e.target.value)}
					/>
				</label>
				<Button kind="main" type="submit">
					Add
				</Button>
			</div>
			<div className="flex flex-wrap items-center gap-x-3 gap-y-1">
				<fieldset className="m-0 flex border-0 p-0">
					<legend className="sr-only">What it is</legend>
					{kinds.map((k) => (
						<button
							key={k.kind}
							type="button"
							aria-pressed={kind === k.kind}
							onClick={() => {
								setKind(k.kind);
								name.current?.focus({ preventScroll: true });
							}}
							className="min-h-11 border-2 border-ink px-3 not-first:border-l-0 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
						>
							{k.words}
						</button>
					))}
				</fieldset>
				{named && (
					<Button kind="quiet" onClick={() => setKind('gfci')}>
						Its name says GFCI: it is one
					</Button>
				)}
			</div>
			<details className="wide:contents" open={window.innerWidth >= 900}>
				<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4 wide:hidden">
					behind {unknown ? 'not known what' : labelOf(call, behind)}; its cable
				</summary>
				<div className="flex flex-wrap items-end gap-3">
					<label className="grid min-w-0 gap-1 text-soft">
						behind
						<select
							className={`${field} max-w-48`}
							value={unknown ? '?' : behind}
							onChange={(e) => {
								said.current++;
								setUnknown(e.target.value === '?');
								if (e.target.value !== '?') setAfter(e.target.value);
								name.current?.focus({ preventScroll: true });
							}}
						>
							<option value="?">not known what</option>
							<option value="panel">the panel</option>
							{call.stops.map((s) => (
								<option key={s.box} value={s.box}>
									{s.label}
								</option>
							))}
						</select>
					</label>
					<label className="grid gap-1 text-soft">
						cable, roughly
						<span className="flex items-baseline gap-1">
							<input
								className={`${field} mono w-16 text-right`}
								inputMode="decimal"
								value={ft}
								placeholder={String(measure('ft').shown(basics.assumedFeet))}
								onChange={(e) => setFeet(e.target.value)}
							/>
							{measure('ft').unit}
						</span>
					</label>
					<label className="grid gap-1 text-soft">
						gauge
						<select className={field} value={awg} onChange={(e) => setAwg(Number(e.target.value))}>
							<option value={0}>as the breaker asks</option>
							{basics.gauges.map((g) => (
								<option key={g} value={g}>
									{g} AWG
								</option>
							))}
						</select>
					</label>
					<label className="grid gap-1 text-soft">
						ground in its cable
						<select
							className={field}
							value={ground}
							onChange={(e) => setGround(e.target.value as 'unknown' | 'wire' | 'none')}
						>
							<option value="unknown">not known</option>
							<option value="wire">a wire</option>
							<option value="none">none</option>
						</select>
					</label>
				</div>
			</details>
			<Problem error={wrong ?? order.error ?? conditions.error} />
		</form>
	);
}

function labelOf(call: Call, box: string): string {
	return box === 'panel' ? 'the panel' : (call.stops.find((s) => s.box === box)?.label ?? box);
}

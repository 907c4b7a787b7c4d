import { type RefObject, useLayoutEffect } from 'react';
import type { Basics, Call, Delta, Device, Half, Mode, Side, Stop, Tool } from '../api/client';
import { useTakeFromMeter } from '../api/hooks';
import { DeltaPad, Letter } from '../delta/DeltaPad';
import { type CornerKey, corners, sides } from '../delta/shape';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { numberIn } from '../ui/words';
import { useDraft } from './draft';
import { Shelf } from './Shelf';
import { type Glow, glows, type Level, type Shown, type Slots, type Volts } from './tools';

export interface EntryProps {
	/** Names the draft: call, stop, half. */
	place: string;
	call: Call;
	stop: Stop;
	device: Device;
	half: Half;
	tool: Tool;
	setTool: (tool: Tool) => void;
	basics: Basics;
	mode: Mode;
	setMode: (mode: Mode) => void;
	busy: boolean;
	enter: (shown: Shown) => void;
	/** Keys a, s and d act on the three parts of the entry, Enter enters it. */
	keys: RefObject<EntryKeys | null>;
}

export interface EntryKeys {
	part: (n: number) => void;
	enter: () => void;
}

export function useKeys(ref: RefObject<EntryKeys | null>, keys: EntryKeys) {
	useLayoutEffect(() => {
		ref.current = keys;
		return () => {
			ref.current = null;
		};
	});
}

export const filled = (o: object) => Object.values(o).some((v) => v !== undefined && v !== '');

/** The button that enters what stands on the pad. */
export function Enter({ ready, busy, enter }: { ready: boolean; busy: boolean; enter: () => void }) {
	return (
		<Button kind="main" className="w-full" disabled={!ready || busy} onClick={enter}>
			{busy ? 'Saving' : 'Enter this reading'}
		</Button>
	);
}

type Typed = Record<keyof Volts, string>;
const blank: Typed = {
	hotNeutral: '',
	hotGround: '',
	neutralGround: '',
	hotEarth: '',
	neutralEarth: '',
	groundEarth: '',
};
const leads = { hot: 'hotEarth', neutral: 'neutralEarth', ground: 'groundEarth' } as const;

interface MeterDraft {
	typed: Typed;
	/** Measuring against a known ground by a long lead. */
	lead: boolean;
}

function voltsOf(typed: string): number | undefined {
	const n = numberIn(typed);
	return Number.isNaN(n) ? undefined : n;
}

/** How a voltage is drawn, by the steps the server gave. */
function drawnAs(basics: Basics, volts: number | undefined): Side | undefined {
	return volts === undefined ? undefined : basics.sides.findLast((s) => volts >= s.volts)?.side;
}

export function MeterEntry({ place, call, device, half, basics, mode, setMode, busy, enter, keys }: EntryProps) {
	const [draft, keep, drop] = useDraft<MeterDraft>(`${place}.meter`, { typed: blank, lead: false });
	const { typed } = draft;
	const wrong = Object.values(typed).find((t) => t.trim() !== '' && voltsOf(t) === undefined);
	const volts = Object.fromEntries(
		Object.entries(typed).flatMap(([k, t]) => (voltsOf(t) === undefined ? [] : [[k, voltsOf(t)]])),
	) as Volts;
	const type = (key: keyof Volts, text: string) => keep({ ...draft, typed: { ...typed, [key]: text } });
	const take = () => {
		enter({ tool: 'meter', mode, volts });
		drop();
	};
	const grounded = device.slots !== 2;
	const focus = (n: number) => document.querySelectorAll<HTMLInputElement>('[data-volts]')[n]?.focus();
	useKeys(keys, { part: focus, enter: () => filled(volts) && !wrong && !busy && take() });
	const meter = useTakeFromMeter(call.id);
	// One probe position at a time: the next that is still empty.
	const positions = (draft.lead ? corners : sides)
		.filter((x) => grounded || (x.key !== 'ground' && x.key !== 'hotGround' && x.key !== 'neutralGround'))
		.map((x) =>
			'ends' in x ? { key: x.key, words: x.words } : { key: leads[x.key], words: `${x.words} to the known ground` },
		);
	const probes = positions.find((x) => typed[x.key].trim() === '');
	const takeNext = () =>
		probes &&
		meter.mutate(
			{ at: device.id, half, pair: probes.key },
			{ onSuccess: (got) => keep({ ...draft, typed: { ...typed, [probes.key]: got.volts.toFixed(1) } }) },
		);
	const delta: Delta = {
		hotNeutral: drawnAs(basics, volts.hotNeutral),
		hotGround: drawnAs(basics, volts.hotGround),
		neutralGround: drawnAs(basics, volts.neutralGround),
	};
	const input = (key: keyof Volts, words: string) => (
		<input
			data-volts
			className={`${field} mono h-11 w-[84px] text-right text-xl font-bold`}
			inputMode="decimal"
			enterKeyHint="next"
			aria-label={`Volts, ${words}`}
			placeholder="V"
			value={typed[key]}
			onChange={(e) => type(key, e.target.value)}
			onKeyDown={(e) => e.key === 'Enter' && filled(volts) && !wrong && !busy && take()}
		/>
	);
	return (
		<div className="grid grid-cols-1 gap-x-4 gap-y-2 wide:grid-cols-[17rem_1fr]">
			<div className="flex flex-wrap content-start items-stretch gap-x-4 gap-y-1 wide:order-1">
				<Choice words="Meter mode" value={mode} choices={['high-z', 'low-z']} take={setMode} />
				<Choice
					words="Measured"
					value={draft.lead ? 'to a known ground' : 'slot to slot'}
					choices={['slot to slot', 'to a known ground']}
					take={(c) => keep({ ...draft, lead: c !== 'slot to slot' })}
				/>
			</div>
			<DeltaPad
				className="wide:order-0 wide:row-span-2"
				delta={delta}
				side={
					draft.lead
						? undefined
						: (key) =>
								grounded || key === 'hotNeutral' ? input(key, sides.find((s) => s.key === key)?.words ?? '') : null
				}
				corner={
					draft.lead
						? (key, letter) =>
								grounded || key !== 'ground' ? (
									<span className="grid place-items-center bg-sheet">
										<b>{letter}</b>
										{input(leads[key], `${corners.find((c) => c.key === key)?.words} to a known ground`)}
									</span>
								) : (
									<Letter faint>{letter}</Letter>
								)
						: undefined
				}
			/>
			<div className="grid content-end gap-2 wide:order-2">
				{basics.meter && (
					<Button disabled={!probes || meter.isPending} onClick={takeNext} className="w-full">
						{meter.isPending
							? 'The meter is measuring'
							: probes
								? `Take from meter: ${probes.words}`
								: 'All taken from the meter'}
					</Button>
				)}
				<Problem error={meter.error} again={takeNext} />
				{wrong && (
					<p role="alert" className="m-0 font-bold">
						“{wrong}” is not a number of volts.
					</p>
				)}
				<Enter ready={filled(volts) && !wrong} busy={busy} enter={take} />
			</div>
		</div>
	);
}

const levels: Level[] = ['none', 'strong', 'faint'];

function slotDelta(slots: Slots): Delta {
	return { live: corners.flatMap((c) => (slots[c.key] === 'strong' ? [c.key] : [])) };
}

export function SensorEntry({ place, device, busy, enter, keys }: EntryProps) {
	const [slots, keep, drop] = useDraft<Slots>(`${place}.sensor`, {});
	const grounded = device.slots !== 2;
	const has = corners.filter((c) => grounded || c.key !== 'ground');
	const cycle = (key: CornerKey) => {
		if (!has.some((c) => c.key === key)) return;
		const now = slots[key];
		const next = now === undefined ? 'strong' : now === 'strong' ? 'faint' : now === 'faint' ? 'none' : undefined;
		keep({ ...slots, [key]: next });
	};
	const take = (s: Slots) => {
		enter({ tool: 'sensor', slots: s });
		drop();
	};
	useKeys(keys, {
		part: (n) => corners[n] && cycle(corners[n].key),
		enter: () => filled(slots) && !busy && take(slots),
	});
	const only = (...strong: CornerKey[]): Slots =>
		Object.fromEntries(has.map((c) => [c.key, strong.includes(c.key) ? levels[1] : levels[0]]));
	const shelf: [string, Slots][] = [
		['only hot', only('hot')],
		['none', only()],
		['only neutral', only('neutral')],
		['every slot', only('hot', 'neutral', 'ground')],
	];
	return (
		<div className="grid grid-cols-1 gap-x-4 gap-y-3 wide:grid-cols-[17rem_1fr]">
			<Shelf
				title="What the sensor does at the slots"
				className="wide:order-1"
				disabled={busy}
				choices={shelf.map(([words, s]) => ({
					delta: slotDelta(s),
					words: `sensor strong at ${words}`,
					caption: words,
					take: () => take(s),
				}))}
			/>
			<DeltaPad
				className="max-wide:max-w-60 wide:order-0 wide:row-span-2"
				delta={{ hotNeutral: 'none', hotGround: 'none', neutralGround: 'none' }}
				corner={(key, letter) =>
					has.some((c) => c.key === key) ? (
						<button
							type="button"
							onClick={() => cycle(key)}
							aria-label={`Sensor at the ${corners.find((c) => c.key === key)?.words}: ${slots[key] ?? 'not read'}`}
							className="grid place-items-center gap-1"
						>
							<Letter live={slots[key] === 'strong'} faint={slots[key] === 'faint'}>
								{letter}
							</Letter>
							<span className="mono bg-sheet/80 px-1 text-lg font-bold">
								{slots[key] ?? <span className="font-normal text-soft">tap</span>}
							</span>
						</button>
					) : (
						<Letter faint>–</Letter>
					)
				}
			/>
			<div className="grid content-end wide:order-2">
				<Enter ready={filled(slots)} busy={busy} enter={() => take(slots)} />
			</div>
		</div>
	);
}

export function LampEntry({ busy, enter, keys }: EntryProps) {
	const take = (glow: Glow) => enter({ tool: 'lamp', glow });
	useKeys(keys, { part: (n) => glows[n] && !busy && take(glows[n].glow), enter: () => undefined });
	return (
		<>
			<p className="m-0">Test lamp between the hot and the neutral slot:</p>
			<Shelf
				title="How the test lamp burns"
				disabled={busy}
				choices={glows.map((g) => ({
					delta: g.delta,
					words: `test lamp ${g.words}`,
					caption: g.words,
					take: () => take(g.glow),
				}))}
			/>
		</>
	);
}

export function Choice<T extends string>({
	words,
	value,
	choices,
	take,
}: {
	words: string;
	value: T;
	choices: T[];
	take: (c: T) => void;
}) {
	return (
		<fieldset className="m-0 flex border-0 p-0">
			<legend className="sr-only">{words}</legend>
			{choices.map((c) => (
				<button
					key={c}
					type="button"
					aria-pressed={c === value}
					onClick={() => take(c)}
					className="min-h-11 min-w-11 border-b-2 border-transparent px-2 text-soft aria-pressed:border-accent aria-pressed:font-bold aria-pressed:text-ink"
				>
					{c}
				</button>
			))}
		</fieldset>
	);
}

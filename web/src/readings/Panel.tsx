import { type ReactNode, type RefObject, useEffect, useRef, useState } from 'react';
import type { Basics, Call, Half, Mode, Stop, Tool } from '../api/client';
import type { Entered, useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { Delta } from '../delta/Delta';
import { PutOn } from '../drill/PutOn';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { AnalyzerEntry } from './AnalyzerEntry';
import { ButtonEntry } from './ButtonEntry';
import { type EntryKeys, type EntryProps, LampEntry, MeterEntry, SensorEntry } from './entries';
import { LightEntry } from './LightEntry';
import { PlugEntry } from './PlugEntry';
import { PointsEntry } from './PointsEntry';
import { type Shown, serves, tools } from './tools';

export interface Aim {
	device: string;
	half: Half;
	tool: Tool;
	/** How a meter is to load the circuit; high-z unless said. */
	mode?: Mode;
}

interface Props {
	call: Call;
	stop: Stop;
	basics: Basics;
	aim: Aim;
	setAim: (aim: Aim) => void;
	/** What is picked here is done: on to what the call asks for next. */
	onward: () => void;
	keys: RefObject<EntryKeys | null>;
	/** Sends what is entered. */
	add: ReturnType<typeof useAddReading>;
	/** What stands under the entry on a phone. */
	children?: ReactNode;
}

const halves: Half[] = ['top', 'bottom'];
const entries: Record<Tool, (props: EntryProps) => ReactNode> = {
	plug: PlugEntry,
	meter: MeterEntry,
	sensor: SensorEntry,
	lamp: LampEntry,
	'plug-button': ButtonEntry,
	'device-button': ButtonEntry,
	light: LightEntry,
	analyzer: AnalyzerEntry,
	ohms: PointsEntry,
	clamp: PointsEntry,
	eyes: PlugEntry, // these are entered where the box to open stands
	fixed: PlugEntry,
	told: PlugEntry,
	act: PlugEntry,
	hint: PlugEntry,
};

/** Tools that are put on one half after the other. */
const byHalf: Tool[] = ['plug', 'meter', 'sensor', 'lamp'];

/** Enters readings at the picked stop: half, tester, then what it shows. */
export function ReadingPanel({ call, stop, basics, aim, setAim, onward, keys, add, children }: Props) {
	const [last, setLast] = useState<Entered | null>(null);
	const [readBefore, setReadBefore] = useState('');
	const heading = useRef<HTMLHeadingElement>(null);
	const device = stop.devices.find((d) => d.id === aim.device) ?? stop.devices[0];
	const place = `${device?.id} ${aim.half}`;
	const entered = useRef<string | null>(null);
	// After an entry the next place to read is said, and the keyboard is there.
	useEffect(() => {
		if (entered.current === null || entered.current === place) return;
		entered.current = null;
		heading.current?.focus({ preventScroll: true });
	}, [place]);
	if (!device) return <p className="m-0 py-4">A box without a device: nothing to read at its face.</p>;
	const Entry = call.drill ? PutOn : entries[aim.tool];
	const held =
		basics.plugs.includes(aim.tool) &&
		readBefore !== place &&
		call.diagnosis.hidden.some((d) => d.holds && d.at === device.id);

	const read = (half: Half, tool: Tool) =>
		call.readings.some(
			(r) => !r.withdrawn && r.reading.at === device.id && r.reading.half === half && r.reading.tool === tool,
		);
	const send = (made: Entered) => {
		setLast(made);
		add.mutate(made);
	};
	const state = Object.keys(call.state).length ? { state: call.state } : {};
	const goOn = (tool: Tool) => {
		const other = aim.half === 'top' ? 'bottom' : 'top';
		entered.current = place;
		// Both halves are read: on to the other one, where that is still to do.
		const asked = tool !== 'plug' && call.move.at === device.id && call.move.tool === tool; // it was this one alone
		if (!asked && !read(other, tool)) setAim({ ...aim, device: device.id, half: other });
		else onward();
	};
	const enter = (shown: Shown) => {
		const onPoints = shown.point !== undefined || shown.between !== undefined;
		const where = onPoints
			? {}
			: shown.tool === 'device-button' || shown.tool === 'light'
				? { at: device.id }
				: { at: device.id, half: aim.half };
		send({ id: newID(), reading: { ...shown, ...where, ...state } });
		if (byHalf.includes(shown.tool) && !onPoints && !call.drill) goOn(aim.tool);
	};
	const cannot = () => {
		send({ id: newID(), reading: { tool: aim.tool, at: device.id, half: aim.half, mode: aim.mode, skipped: true } });
		onward();
	};

	return (
		<div className="grid grid-cols-1 content-start gap-2">
			<div className="flex items-center gap-x-3">
				<h2
					ref={heading}
					tabIndex={-1}
					className="m-0 min-w-0 grow truncate text-xl/tight font-bold outline-none wide:text-2xl"
					title={stop.label}
				>
					{stop.label}
				</h2>
				<div className="flex shrink-0 gap-px bg-rule">
					{halves.map((half) => (
						<button
							key={half}
							type="button"
							aria-pressed={aim.half === half}
							onClick={() => setAim({ ...aim, device: device.id, half })}
							className="flex min-h-11 items-center gap-2 bg-sheet px-2 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
						>
							<HalfMark half={half} />
							<span className="max-[359px]:sr-only">
								{half === 'top' ? 'Top' : 'Bottom'} <span className="sr-only">half</span>
							</span>
							<span className="bg-sheet">
								<Delta delta={call.halves.find((h) => h.device === device.id && h.half === half)?.delta} size={32} />
							</span>
						</button>
					))}
				</div>
			</div>
			{stop.devices.length > 1 && (
				<fieldset className="m-0 flex gap-1 border-0 p-0">
					<legend className="sr-only">Which device</legend>
					{stop.devices.map((d, i) => (
						<button
							key={d.id}
							type="button"
							aria-pressed={d.id === device.id}
							onClick={() => setAim({ ...aim, device: d.id })}
							className="min-h-11 border-b-2 border-transparent px-3 aria-pressed:border-accent aria-pressed:font-bold"
						>
							{places[i] ?? `${i + 1}th`} {d.kind === 'gfci' ? 'GFCI' : d.kind}
						</button>
					))}
				</fieldset>
			)}
			<div className="hidden wide:block">
				<ToolBar aim={aim} setAim={setAim} />
			</div>
			<div className="grid grid-cols-1 content-start gap-3 wide:bg-sheet wide:p-3" data-testid="entry" data-next>
				{held ? (
					<div className="grid gap-2 py-2">
						<p className="m-0 text-lg">
							<b>No plug tester goes in here.</b> Its button, and whatever is touched, may be live. The danger is
							excluded first.
						</p>
						<Button kind="main" className="min-h-14" onClick={() => setAim({ ...aim, tool: 'sensor' })}>
							Sensor on its slots
						</Button>
						<Button kind="quiet" className="justify-self-start" onClick={() => setReadBefore(place)}>
							It was read before; enter that
						</Button>
					</div>
				) : (
					<Entry
						key={aim.tool}
						place={`${call.id}.${device.id}.${aim.half}`}
						call={call}
						stop={stop}
						device={device}
						half={aim.half}
						tool={aim.tool}
						setTool={(tool) => setAim({ ...aim, tool })}
						basics={basics}
						mode={aim.mode ?? 'high-z'}
						setMode={(mode) => setAim({ ...aim, mode })}
						busy={add.isPending && add.failureCount === 0}
						enter={enter}
						keys={keys}
					/>
				)}
			</div>
			<div className="flex min-h-11 flex-wrap items-center gap-x-3">
				{byHalf.includes(aim.tool) && !call.drill && (
					<Button kind="quiet" disabled={add.isPending} onClick={cannot}>
						Cannot reach it
					</Button>
				)}
				{children}
			</div>
			<Problem error={add.error} again={last ? () => send(last) : undefined} />
		</div>
	);
}

const places = ['1st', '2nd', '3rd'];

/** Which half of the duplex is meant. */
function HalfMark({ half }: { half: Half }) {
	return (
		<svg width="14" height="26" viewBox="0 0 14 26" aria-hidden="true">
			{halves.map((h, i) => (
				<rect
					key={h}
					x="1.500"
					y={1.5 + i * 12.5}
					width="11"
					height="10"
					fill={h === half ? 'currentColor' : 'none'}
					stroke="currentColor"
					strokeWidth="1.600"
				/>
			))}
		</svg>
	);
}

/** The testers, one tap each, along the entry. */
export function ToolBar({ aim, setAim }: { aim: Aim; setAim: (aim: Aim) => void }) {
	return (
		<fieldset className="m-0 flex overflow-x-auto border-0 p-0">
			<legend className="sr-only">Tester</legend>
			{tools.map((t, i) => (
				<button
					key={t.tool}
					type="button"
					aria-pressed={serves(t, aim.tool)}
					aria-keyshortcuts={`${i + 1}`}
					onClick={() => setAim({ ...aim, tool: t.tool })}
					className="min-h-11 min-w-14 grow border-t-4 border-rule px-1 aria-pressed:border-accent aria-pressed:font-bold"
				>
					{t.short}
					<span aria-hidden="true" className="ml-1 text-sm font-normal text-soft max-wide:hidden">
						{i + 1}
					</span>
				</button>
			))}
		</fieldset>
	);
}

import { type ReactNode, type RefObject, useState } from 'react';
import type { Basics, Call, Half, Mode, Stop, Tool } from '../api/client';
import { type Entered, useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { Delta } from '../delta/Delta';
import { Problem } from '../ui/Problem';
import { timeOf } from '../ui/words';
import { AnalyzerEntry } from './AnalyzerEntry';
import { ButtonEntry } from './ButtonEntry';
import { type EntryKeys, type EntryProps, LampEntry, MeterEntry, PlugEntry, SensorEntry } from './entries';
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
	keys: RefObject<EntryKeys | null>;
}

const halves: Half[] = ['top', 'bottom'];
const entries: Record<Tool, (props: EntryProps) => ReactNode> = {
	plug: PlugEntry,
	meter: MeterEntry,
	sensor: SensorEntry,
	lamp: LampEntry,
	'plug-button': ButtonEntry,
	'device-button': ButtonEntry,
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
export function ReadingPanel({ call, stop, basics, aim, setAim, keys }: Props) {
	const add = useAddReading(call.id);
	const [last, setLast] = useState<Entered | null>(null);
	const device = stop.devices.find((d) => d.id === aim.device) ?? stop.devices[0];
	if (!device) return <p className="m-0 py-4">A box without a device: nothing to read at its face.</p>;
	const Entry = entries[aim.tool];

	const read = (half: Half, tool: Tool) =>
		call.readings.some(
			(r) => !r.withdrawn && r.reading.at === device.id && r.reading.half === half && r.reading.tool === tool,
		);
	const send = (entered: Entered) => {
		setLast(entered);
		add.mutate(entered);
	};
	const enter = (shown: Shown) => {
		const onPoints = shown.point !== undefined || shown.between !== undefined;
		const where = onPoints
			? {}
			: shown.tool === 'device-button'
				? { at: device.id }
				: { at: device.id, half: aim.half };
		const state = Object.keys(call.state).length ? { state: call.state } : {};
		send({ id: newID(), reading: { ...shown, ...where, ...state } });
		// Both halves are read: on to the other one, where that is still to do.
		const other = aim.half === 'top' ? 'bottom' : 'top';
		if (byHalf.includes(shown.tool) && !onPoints && !read(other, aim.tool))
			setAim({ ...aim, device: device.id, half: other });
	};

	return (
		<div className="grid content-start gap-3">
			{stop.devices.length > 1 && (
				<div className="flex gap-1">
					{stop.devices.map((d) => (
						<button
							key={d.id}
							type="button"
							aria-pressed={d.id === device.id}
							onClick={() => setAim({ ...aim, device: d.id })}
							className="min-h-11 border-b-2 border-transparent px-3 aria-pressed:border-accent aria-pressed:font-bold"
						>
							{d.id}
						</button>
					))}
				</div>
			)}
			<div className="grid gap-x-4 gap-y-3 wide:grid-cols-[1fr_9.5rem]">
				<div className="grid content-start gap-4 max-wide:order-2 wide:order-1">
					<div className="grid gap-px bg-rule max-wide:grid-cols-2">
						{halves.map((half) => (
							<button
								key={half}
								type="button"
								aria-pressed={aim.half === half}
								onClick={() => setAim({ ...aim, device: device.id, half })}
								className="flex min-h-13 items-center gap-2 bg-sheet px-2 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper max-wide:justify-center"
							>
								<HalfMark half={half} />
								<span className="grow text-left max-wide:grow-0">
									{half === 'top' ? 'Top' : 'Bottom'} <span className="sr-only">half</span>
								</span>
								<span className="bg-sheet">
									<Delta delta={call.halves.find((h) => h.device === device.id && h.half === half)?.delta} size={38} />
								</span>
							</button>
						))}
					</div>
					<ToolBar aim={aim} setAim={setAim} />
				</div>
				<div className="grid content-start gap-3 bg-sheet p-3 max-wide:order-3 wide:order-0" data-testid="entry">
					<Entry
						key={aim.tool + device.id + aim.half}
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
				</div>
			</div>
			<div className="min-h-6">
				<p className="m-0 text-soft" role="status">
					{add.isPending
						? add.failureCount
							? 'Not saved yet: the server does not answer. Trying again.'
							: 'Saving'
						: add.isSuccess
							? `Saved ${timeOf(new Date().toISOString())}`
							: ''}
				</p>
				<Problem error={add.error} again={last ? () => send(last) : undefined} />
			</div>
		</div>
	);
}

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

/** The testers, one tap each: a column beside the entry, or the edge of a phone. */
export function ToolBar({ aim, setAim, edge }: { aim: Aim; setAim: (aim: Aim) => void; edge?: boolean }) {
	return (
		<fieldset className={`m-0 border-0 p-0 ${edge ? 'flex overflow-x-auto' : 'hidden border-t border-rule wide:grid'}`}>
			<legend className="sr-only">Tester</legend>
			{tools.map((t, i) => (
				<button
					key={t.tool}
					type="button"
					aria-pressed={serves(t, aim.tool)}
					onClick={() => setAim({ ...aim, tool: t.tool })}
					className={
						edge
							? 'min-h-14 min-w-[4.4rem] grow border-t-4 border-rule px-1 aria-pressed:border-accent aria-pressed:font-bold'
							: 'flex min-h-11 items-center border-b border-l-4 border-rule border-l-transparent px-2 text-left hover:bg-wash aria-pressed:border-l-accent aria-pressed:font-bold'
					}
				>
					{edge ? t.short : t.words}
					{!edge && <kbd className="ml-auto font-sans text-soft">{i + 1}</kbd>}
				</button>
			))}
		</fieldset>
	);
}

import { useState } from 'react';
import type { Basics, Call, Half, Stop, StopChange } from '../api/client';
import { useAddLoad, useChangeStop, useRemoveLoad, useRemoveStop } from '../api/hooks';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Ticked } from '../ui/Ticked';
import { useTyped } from '../ui/typed';
import { measure } from '../ui/units';
import { numberIn } from '../ui/words';
import { PlaceConditions, PlaceInOrder } from './Known';

/** Corrects a stop and the cable that feeds it; each change is saved as it is made. */
export function StopEditor({ call, stop, basics }: { call: Call; stop: Stop; basics: Basics }) {
	const change = useChangeStop(call.id);
	const remove = useRemoveStop(call.id);
	const [wrong, setWrong] = useState<Error | null>(null);
	const save = (what: StopChange) => {
		setWrong(null);
		change.mutate({ box: stop.box, change: what });
	};
	const gfci = stop.devices[0]?.kind === 'gfci';
	const threeSlots = stop.devices.some((d) => d.slots !== 2);
	return (
		<div className="grid gap-3">
			<div className="flex flex-wrap items-end gap-3">
				<Typed words="name" value={stop.label} save={(label) => save({ label })} wide />
				<Typed
					words={`cable to here, ${measure('ft').unit}`}
					value={String(measure('ft').shown(stop.cable.feet))}
					numeric
					save={(ft) =>
						Number.isNaN(numberIn(ft))
							? setWrong(new Error(`Cable: “${ft}” is not a number of ${measure('ft').unit}.`))
							: save({ feet: measure('ft').read(numberIn(ft)) })
					}
				/>
				<label className="grid gap-1 text-soft">
					gauge
					<select className={field} value={stop.cable.awg} onChange={(e) => save({ awg: Number(e.target.value) })}>
						{basics.gauges.map((g) => (
							<option key={g} value={g}>
								{g} AWG
							</option>
						))}
					</select>
				</label>
			</div>
			<div className="flex flex-wrap items-center gap-x-5 gap-y-1">
				<Ticked
					words="cable has a ground wire"
					value={stop.cable.conductors.includes('ground')}
					save={(ground) => save({ ground })}
				/>
				<Ticked words="face has a ground slot" value={threeSlots} save={(three) => save({ slots: three ? 3 : 2 })} />
				{stop.devices.length > 0 && <Ticked words="a GFCI" value={gfci} save={(is) => save({ gfci: is })} />}
				<label className="flex min-h-11 items-center gap-2 text-soft">
					hangs in it
					<select
						aria-label="Hangs in it"
						className={field}
						value={stop.devices.length}
						onChange={(e) => save({ devices: Number(e.target.value) })}
					>
						<option value={0}>nothing: a junction</option>
						<option value={1}>one device</option>
						<option value={2}>two side by side</option>
						<option value={3}>three</option>
						<option value={4}>four</option>
					</select>
				</label>
				{stop.ends > 1 && stop.makeup && (
					<label className="flex min-h-11 items-center gap-2 text-soft">
						made up
						<select
							aria-label="Made up"
							className={field}
							value={stop.makeup}
							onChange={(e) => save({ makeup: e.target.value as StopChange['makeup'] })}
						>
							<option value="feed-through">
								{gfci ? 'on through LOAD: it protects what follows' : 'through the device'}
							</option>
							<option value="pigtail">
								{gfci ? 'what follows is on LINE: not protected' : 'pigtails and splices'}
							</option>
						</select>
					</label>
				)}
				<Button kind="quiet" className="ml-auto" disabled={remove.isPending} onClick={() => remove.mutate(stop.box)}>
					Take {stop.label} off the run
				</Button>
			</div>
			<PlaceConditions call={call} stop={stop} />
			<PlaceInOrder call={call} stop={stop} />
			<Plugged call={call} stop={stop} basics={basics} />
			<Problem error={wrong ?? change.error ?? remove.error} />
		</div>
	);
}

function Typed({
	words,
	value,
	save,
	numeric,
	wide,
}: {
	words: string;
	value: string;
	save: (v: string) => void;
	numeric?: boolean;
	wide?: boolean;
}) {
	const [typed, setTyped] = useState(value);
	return (
		<label className={`grid gap-1 text-soft ${wide ? 'grow' : ''}`}>
			{words}
			<input
				className={`${field} ${numeric ? 'mono w-24 text-right' : 'w-full font-bold'}`}
				inputMode={numeric ? 'decimal' : undefined}
				value={typed}
				onChange={(e) => setTyped(e.target.value)}
				onBlur={() => typed.trim() !== value && save(typed)}
				onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
			/>
		</label>
	);
}

/** What is plugged in here. */
function Plugged({ call, stop, basics }: { call: Call; stop: Stop; basics: Basics }) {
	const add = useAddLoad(call.id);
	const remove = useRemoveLoad(call.id);
	const [watts, setWatts, take] = useTyped();
	const [half, setHalf] = useState<Half>('top');
	const [wrong, setWrong] = useState<Error | null>(null);
	const device = stop.devices[0];
	if (!device) return null;
	const plug = () => {
		const w = numberIn(watts);
		if (Number.isNaN(w)) {
			setWrong(new Error(`Plugged in: “${watts}” is not a number of watts.`));
			return;
		}
		setWrong(null);
		take(() => add.mutateAsync({ at: device.id, half, watts: w }));
	};
	return (
		<div className="flex flex-wrap items-end gap-x-3 gap-y-1 border-t border-rule pt-2">
			<label className="grid gap-1 text-soft">
				plugged in here
				<select
					aria-label="Plugged in here"
					className={field}
					value=""
					onChange={(e) => e.target.value && add.mutate({ at: device.id, half, watts: Number(e.target.value) })}
				>
					<option value="">pick what it is</option>
					{basics.appliances.map((x) => (
						<option key={x.words} value={x.watts}>
							{x.words}, {x.watts} W
						</option>
					))}
				</select>
			</label>
			<label className="grid gap-1 text-soft">
				half
				<select className={field} value={half} onChange={(e) => setHalf(e.target.value as Half)}>
					<option value="top">top</option>
					<option value="bottom">bottom</option>
				</select>
			</label>
			<label className="grid gap-1 text-soft">
				or its watts
				<input
					aria-label="plugged in, watts"
					className={`${field} mono w-24 text-right`}
					inputMode="decimal"
					value={watts}
					onChange={(e) => setWatts(e.target.value)}
					onKeyDown={(e) => e.key === 'Enter' && plug()}
				/>
			</label>
			<Button onClick={plug} disabled={watts.trim() === ''}>
				Plug in
			</Button>
			{call.loads
				.filter((l) => stop.devices.some((d) => d.id === l.at))
				.map((l) => (
					<Button key={l.id} kind="quiet" onClick={() => remove.mutate(l.id)}>
						Unplug {l.watts} W, {l.half}
					</Button>
				))}
			<Problem error={wrong ?? add.error ?? remove.error} />
		</div>
	);
}

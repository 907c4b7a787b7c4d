import { useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Basics, Call, Half } from '../api/client';
import { useAddReading, useBasics, useCall, useSetChanged } from '../api/hooks';
import { newID } from '../api/newID';
import { DangerBand } from '../calls/DangerBand';
import { HazardButton, Hazards } from '../calls/Hazards';
import { MoveLink } from '../calls/NextMove';
import { Delta } from '../delta/Delta';
import { LampRow, lampPlaces } from '../readings/Lamps';
import { TeachLamps } from '../readings/TeachLamps';
import { type Lamps, lampDelta } from '../readings/tools';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';

/** Most outlets of a house are sound: one tap each, two for an odd one. */
export function SweepScreen() {
	const id = Number(useParams().call);
	const call = useCall(id);
	const basics = useBasics();
	const go = useNavigate();
	useEffect(() => {
		if (call.data) document.title = `Sweep, ${call.data.title}, Elvat`;
	}, [call.data]);
	return (
		<div className="min-h-dvh">
			<header className="flex items-center gap-3 border-b-2 border-ink py-1.5 pr-2 pl-3 wide:pl-5">
				<Link
					to={`/calls/${id}`}
					aria-label="Back to the call"
					aria-keyshortcuts="h"
					className="grid size-11 shrink-0 place-items-center hover:bg-wash"
				>
					<Mark />
				</Link>
				<h1 className="m-0 min-w-0 grow truncate text-lg/tight font-bold">
					Sweep <span className="font-normal text-soft">{call.data?.title}</span>
				</h1>
				{call.data && <HazardButton call={call.data} />}
				<ThemeButton />
			</header>
			{call.data && <Hazards call={call.data} />}
			{call.data && (
				<DangerBand call={call.data} exclude={(d) => go(`/calls/${id}?at=${d.at}&tool=${d.tool ?? 'sensor'}`)} />
			)}
			<main className="mx-auto grid max-w-3xl gap-5 px-4 py-5">
				<Problem error={call.error ?? basics.error} />
				{call.data?.cautionsReadAt === null && (
					<p className="m-0 text-lg">
						The standing cautions come first.{' '}
						<Link className="underline underline-offset-4" to={`/calls/${id}`}>
							Read them
						</Link>
					</p>
				)}
				{call.data?.cautionsReadAt && basics.data && <Sweep call={call.data} basics={basics.data} />}
			</main>
		</div>
	);
}

function Sweep({ call, basics }: { call: Call; basics: Basics }) {
	const [teaching, setTeaching] = useState(false);
	if (basics.lamps.length === 0 || teaching) return <TeachLamps known={basics.lamps} done={() => setTeaching(false)} />;
	const device = call.sweep.left[0];
	return (
		<>
			{device && call.sweep.held.includes(device) ? (
				<Held call={call} />
			) : device ? (
				<Outlet key={device} call={call} device={device} basics={basics} />
			) : (
				<End call={call} />
			)}
			<Button kind="quiet" className="justify-self-start" onClick={() => setTeaching(true)}>
				Another tester: teach its lamps
			</Button>
		</>
	);
}

/** What is left is not for a plug tester: the danger there is excluded first. */
function Held({ call }: { call: Call }) {
	const labels = call.sweep.held.map(
		(device) => call.stops.find((s) => s.devices.some((d) => d.id === device))?.label ?? device,
	);
	return (
		<section className="grid gap-4" aria-label="Left out of the sweep">
			<h2 className="m-0 text-3xl font-bold">{labels.join(', ')}</h2>
			<p className="m-0 text-lg">
				No plug tester goes in there: its button, and whatever is touched, may be live. The danger is excluded first.
			</p>
			<MoveLink call={call} />
		</section>
	);
}

const halves: Half[] = ['top', 'bottom'];

/** One outlet: as it should be is one tap for both halves; an odd one is its lamps, then the half. */
function Outlet({ call, device, basics }: { call: Call; device: string; basics: Basics }) {
	const { lamps, patterns } = basics;
	const sound = patterns[0]?.lamps ?? {};
	const add = useAddReading(call.id);
	const changed = useSetChanged(call.id);
	const [odd, setOdd] = useState<Lamps | null>(null);
	const stop = call.stops.find((s) => s.devices.some((d) => d.id === device));
	const left = call.sweep.left.length;
	const state = Object.keys(call.state).length ? { state: call.state } : {};
	const enter = (half: Half, shown: Lamps) =>
		add.mutate({ id: newID(), reading: { at: device, half, tool: 'plug', lamps: shown, ...state } });
	// A half read before keeps what it showed.
	const todo = halves.filter(
		(half) =>
			!call.readings.some(
				(r) => !r.withdrawn && r.reading.at === device && r.reading.half === half && r.reading.tool === 'plug',
			),
	);
	const sweep = (shown: Record<Half, Lamps>) => {
		for (const half of todo) enter(half, shown[half]);
	};
	const takeOdd = (l: Lamps) => (todo.length === 1 ? sweep({ top: l, bottom: l }) : setOdd(l));
	return (
		<section className="grid gap-4" aria-label="This outlet">
			<div className="flex items-baseline gap-3">
				<h2 className="m-0 grow text-3xl font-bold">{stop?.label ?? device}</h2>
				<p className="m-0 text-soft" role="status">
					{left === 1 ? 'the last one' : `${left} outlets left`}
				</p>
			</div>
			{odd === null ? (
				<>
					<button
						type="button"
						disabled={add.isPending}
						aria-keyshortcuts="y"
						onClick={() => sweep({ top: sound, bottom: sound })}
						className="grid min-h-40 place-items-center content-center gap-2 bg-accent text-xl font-bold text-on-accent disabled:opacity-45"
					>
						As it should be, {todo.length === 1 ? `${todo[0]} half` : 'both halves'}
						<LampRow lamps={lamps} shown={sound} />
					</button>
					<p className="m-0">Otherwise, what it shows:</p>
					<div className="grid grid-cols-2 gap-px bg-rule wide:grid-cols-4 [&>:last-child]:col-span-2">
						{patterns.slice(1).map(({ name, lamps: l }) => (
							<button
								key={name}
								type="button"
								disabled={add.isPending}
								onClick={() => takeOdd(l)}
								aria-label={`Odd: ${lamps.map((p, i) => `${lampPlaces[i]} ${l[p]}`).join(', ')}: ${name}`}
								className="grid min-h-20 place-items-center gap-1 bg-sheet p-2 enabled:hover:bg-wash"
							>
								<span aria-hidden="true" className="flex items-center gap-3">
									<Delta delta={lampDelta(l)} size={32} />
									<LampRow lamps={lamps} shown={l} size={28} />
								</span>
								<b aria-hidden="true" className="text-center">
									{name}
								</b>
							</button>
						))}
					</div>
				</>
			) : (
				<>
					<div className="flex items-center gap-4 bg-sheet p-4">
						<LampRow lamps={lamps} shown={odd} />
						<Delta delta={lampDelta(odd)} size={64} />
						<Button kind="quiet" className="ml-auto" onClick={() => setOdd(null)}>
							Back
						</Button>
					</div>
					<p className="m-0">In which half? The other is then as it should be.</p>
					<div className="grid grid-cols-3 gap-3">
						<Button className="min-h-16" onClick={() => sweep({ top: odd, bottom: sound })}>
							Top
						</Button>
						<Button className="min-h-16" onClick={() => sweep({ top: sound, bottom: odd })}>
							Bottom
						</Button>
						<Button kind="main" className="min-h-16" onClick={() => sweep({ top: odd, bottom: odd })}>
							Both
						</Button>
					</div>
				</>
			)}
			<label className="flex min-h-11 items-center gap-2">
				<input
					type="checkbox"
					className="size-6 accent-accent"
					checked={call.changed.includes(device)}
					onChange={(e) => changed.mutate({ device, changed: e.target.checked })}
				/>
				this device was changed lately
			</label>
			<Problem error={add.error ?? changed.error} />
		</section>
	);
}

/** What lamps cannot clear, and the one reading each outlet still needs. */
function End({ call }: { call: Call }) {
	const { needs } = call.sweep;
	return (
		<section className="grid gap-4" aria-label="End of the sweep">
			<h2 className="m-0 text-3xl font-bold">
				{call.stops.length ? 'Every outlet is read' : 'No outlet on this run yet'}
			</h2>
			{needs.length === 0 ? (
				<p className="m-0 text-lg">
					Lamps can say no more. What they showed is on the run; what they cannot show stays open.
				</p>
			) : (
				<>
					<p className="m-0 text-lg">
						{needs.length === 1 ? 'One outlet needs' : `${needs.length} outlets need`} one more reading, which lamps
						cannot give:
					</p>
					<ul className="m-0 list-none border-t-2 border-ink p-0">
						{needs.map((n) => (
							<li key={n.at} className="border-b border-rule">
								<Link to={`/calls/${call.id}?at=${n.at}&tool=${n.tool}`} className="grid gap-1 py-3 hover:bg-wash">
									<b className="text-xl">{n.say}</b>
									<span className="text-soft">{n.why}</span>
								</Link>
							</li>
						))}
					</ul>
				</>
			)}
			<MoveLink call={call} />
			<Link to={`/calls/${call.id}`} className="inline-flex min-h-11 items-center underline underline-offset-4">
				Back to the call
			</Link>
		</section>
	);
}

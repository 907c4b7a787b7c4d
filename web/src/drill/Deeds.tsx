import { Link } from 'react-router';
import type { Call, Reading, Stop } from '../api/client';
import { useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';

/** What else can be done in a drill than put a tester on: where on a call the advice stands. */
export function Deeds({ call, stop }: { call: Call; stop: Stop }) {
	const add = useAddReading(call.id);
	const drill = call.drill;
	if (!drill || drill.over) return null;
	const enter = (reading: Reading) => add.mutate({ id: newID(), reading });
	const gfci = stop.devices.find((d) => d.kind === 'gfci');
	const opened = drill.opened.includes(stop.box);
	return (
		<div className="grid gap-5">
			<section aria-label="Came in by" className="border-b-2 border-ink pb-3">
				<p className="m-0 text-soft">It came in by</p>
				<h2 className="m-0 text-2xl/tight font-bold tracking-tight">{drill.words}</h2>
				<p className="m-0 mt-2">
					Pick an outlet on the run, a tester, and put it on. What comes first is yours to say.
				</p>
			</section>
			<section aria-label="At this box" className="grid gap-2">
				<h3 className="m-0 text-base font-bold">{stop.label}</h3>
				<div className="flex flex-wrap gap-2">
					{opened ? (
						<Link
							to={`/calls/${call.id}/boxes/${stop.box}`}
							className="inline-flex min-h-11 items-center border-2 border-ink px-4 font-bold hover:bg-wash"
						>
							Wire it by hand
						</Link>
					) : (
						<Button disabled={add.isPending} onClick={() => enter({ tool: 'eyes', site: stop.box, found: false })}>
							Open this box
						</Button>
					)}
					<Link
						to={`/calls/${call.id}/dead?box=${stop.box}`}
						className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
					>
						Breaker off, prove it dead
					</Link>
					{gfci && (
						<Button
							disabled={add.isPending}
							onClick={() => enter({ tool: 'act', act: 'reset', at: gfci.id, held: true })}
						>
							Press its reset
						</Button>
					)}
					<Button
						kind="quiet"
						disabled={add.isPending}
						onClick={() => enter({ tool: 'hint', hint: 'live-plate', site: stop.box, yes: false })}
					>
						Sensor to the closed plate
					</Button>
				</div>
			</section>
			<section aria-label="On the run" className="grid gap-2">
				<h3 className="m-0 text-base font-bold">On the whole run</h3>
				<div className="flex flex-wrap gap-2">
					<Button disabled={add.isPending} onClick={() => enter({ tool: 'act', act: 'unplug-all' })}>
						Unplug everything
					</Button>
					<Button disabled={add.isPending} onClick={() => enter({ tool: 'act', act: 'switches-on' })}>
						Every wall switch on
					</Button>
					<Button disabled={add.isPending} onClick={() => enter({ tool: 'act', act: 'reset-gfcis', found: false })}>
						Reset every GFCI
					</Button>
					<Button disabled={add.isPending} onClick={() => enter({ tool: 'act', act: 'reset-breaker', held: true })}>
						Breaker off and on
					</Button>
				</div>
			</section>
			<Problem error={add.error} />
		</div>
	);
}

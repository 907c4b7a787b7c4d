import type { Call, Half, Stop } from '../api/client';
import { useAddReading, useBasics } from '../api/hooks';
import { newID } from '../api/newID';
import { Problem } from '../ui/Problem';

/** What turned out to be plugged in, one tap: it explains readings, and stays as the state of the circuit. */
export function PluggedIn({ call, stop, half }: { call: Call; stop: Stop; half: Half }) {
	const add = useAddReading(call.id);
	const sizes = useBasics().data?.plugged ?? [];
	const device = stop.devices[0];
	if (!device) return null;
	const here = call.readings.filter(
		(r) => r.reading.act === 'plugged' && !r.withdrawn && stop.devices.some((d) => d.id === r.reading.at),
	);
	return (
		<div className="flex flex-wrap items-center gap-x-2 gap-y-1">
			<span className="text-soft">
				{here.length > 0 ? `Plugged in here: about ${here.map((r) => r.reading.watts).join(' and ')} W. ` : ''}
				Found plugged in here:
			</span>
			{sizes.map((s) => (
				<button
					key={s.watts}
					type="button"
					disabled={add.isPending}
					className="min-h-11 px-2 underline decoration-hair underline-offset-4 hover:bg-wash"
					onClick={() =>
						add.mutate({
							id: newID(),
							reading: { tool: 'act', act: 'plugged', at: device.id, half, watts: s.watts },
						})
					}
				>
					{s.words}
				</button>
			))}
			<Problem error={add.error} />
		</div>
	);
}

import type { Call } from '../api/client';
import { useAddReading, useMarkReading, useSetState } from '../api/hooks';
import { newID } from '../api/newID';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { stateNow } from './state';

/** The state readings are taken in, set once: breaker, what is switched on, what has tripped. */
export function StateBar({ call }: { call: Call }) {
	const set = useSetState(call.id);
	const now = stateNow(call);
	const swap = (list: string[], id: string) => (list.includes(id) ? list.filter((x) => x !== id) : [...list, id]);
	const place = (device: string) => call.stops.find((s) => s.devices.some((d) => d.id === device))?.label ?? device;
	const guards = call.stops.flatMap((s) =>
		s.devices.filter((d) => d.kind === 'gfci').map((d) => ({ id: d.id, words: s.label })),
	);
	return (
		<>
			<fieldset className="m-0 flex flex-wrap items-center gap-x-2 border-0 p-0">
				<legend className="sr-only">The state readings are taken in</legend>
				<Switch
					words="Breaker"
					is={now.breakerOn ? 'on' : 'off'}
					on={now.breakerOn}
					flip={() => set.mutate({ ...call.state, breakerOn: !now.breakerOn })}
				/>
				{call.loads.map((l) => (
					<Switch
						key={l.id}
						words={`${l.watts} W at ${place(l.at)}`}
						is={now.loadsOn.includes(l.id) ? 'on' : 'off'}
						on={now.loadsOn.includes(l.id)}
						flip={() => set.mutate({ ...call.state, loadsOn: swap(now.loadsOn, l.id) })}
					/>
				))}
				{guards.map((g) => (
					<Switch
						key={g.id}
						words={`GFCI at ${g.words}`}
						is={now.tripped.includes(g.id) ? 'tripped' : 'holds'}
						on={!now.tripped.includes(g.id)}
						flip={() => set.mutate({ ...call.state, tripped: swap(now.tripped, g.id) })}
					/>
				))}
				<Unplugged call={call} />
				{Object.keys(call.state).length > 0 && (
					<Button kind="quiet" onClick={() => set.mutate({})}>
						as usual again
					</Button>
				)}
			</fieldset>
			{call.stateProblems.length > 0 && (
				<p className="m-0 mb-2 border-l-4 border-accent pl-3" role="status">
					No longer on the run, and left out of its state: {call.stateProblems.join(', ')}.
				</p>
			)}
			<Problem error={set.error} />
		</>
	);
}

/** Whether everything is unplugged from here on: one tap, and one to take it back. */
function Unplugged({ call }: { call: Call }) {
	const add = useAddReading(call.id);
	const mark = useMarkReading(call.id);
	const said = call.readings.find((r) => r.reading.act === 'unplug-all' && !r.reading.skipped && !r.withdrawn);
	return (
		<Switch
			words="Plugged in"
			is={said ? 'nothing' : 'not said'}
			on={said === undefined}
			flip={() =>
				said
					? mark.mutate({ reading: said.id, withdrawn: true })
					: add.mutate({ id: newID(), reading: { tool: 'act', act: 'unplug-all' } })
			}
		/>
	);
}

function Switch({ words, is, on, flip }: { words: string; is: string; on: boolean; flip: () => void }) {
	return (
		<button
			type="button"
			aria-pressed={on}
			onClick={flip}
			className="flex min-h-11 items-center gap-2 px-2 hover:bg-wash"
		>
			<span aria-hidden="true" className={`grid h-6 w-3 border-2 border-ink ${on ? 'content-start' : 'content-end'}`}>
				<i className={`h-2.5 ${on ? 'bg-ink' : 'bg-accent'}`} />
			</span>
			{words} <b>{is}</b>
		</button>
	);
}

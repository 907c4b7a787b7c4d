import type { Call, State } from '../api/client';

/** The circuit's state as it is now: what was said of it, else as its file says. */
export function stateNow(call: Call): Required<Pick<State, 'breakerOn' | 'loadsOn' | 'tripped'>> {
	return {
		breakerOn: call.state.breakerOn ?? true,
		loadsOn: call.state.loadsOn ?? call.loads.filter((l) => l.on).map((l) => l.id),
		tripped: call.state.tripped ?? call.stops.flatMap((s) => s.devices.filter((d) => d.tripped).map((d) => d.id)),
	};
}

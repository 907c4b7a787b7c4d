import type { Call, Delta, Half, Stop } from '../api/client';
import { describe } from '../delta/shape';
import { percent } from '../ui/words';

export const halves: Half[] = ['top', 'bottom'];

/** What was read last of a half. */
export function found(call: Call, device: string, half: Half): Delta | undefined {
	return call.halves.find((h) => h.device === device && h.half === half)?.delta;
}

/** Whether what feeds the box is likely at best. */
export function assumed(call: Call, box: string): boolean {
	return call.diagnosis.places?.find((p) => p.box === box)?.sure === false;
}

/** A stop in words, for those who do not see it. */
export function label(call: Call, p: { stop: Stop }, weight: number | undefined): string {
	const read = p.stop.devices.flatMap((d) => halves.map((h) => `${h} half ${describe(found(call, d.id, h))}`));
	const kind = p.stop.devices.some((d) => d.kind === 'gfci') ? ', a GFCI' : '';
	const suspicion = weight ? `, ${percent(weight)} of suspicion` : '';
	const sure = assumed(call, p.stop.box) ? ', not sure' : '';
	return `${p.stop.label}, fed from ${p.stop.from === 'panel' ? 'the panel' : (call.stops.find((s) => s.box === p.stop.from)?.label ?? p.stop.from)}${sure}${kind}${suspicion}; ${read.join('; ')}`;
}

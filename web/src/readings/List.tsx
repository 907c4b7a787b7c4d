import type { Call, Reading, Stop } from '../api/client';
import { useMarkReading } from '../api/hooks';
import { Delta } from '../delta/Delta';
import { Problem } from '../ui/Problem';
import { timeOf } from '../ui/words';

function where(stop: Stop | undefined, r: Reading): string {
	if (r.tool === 'fixed') return 'Repair';
	if (r.tool === 'act' && !r.at) return 'Done';
	if (r.asked) return 'The customer';
	if (r.point || r.between) return 'Opened box';
	const place = stop?.label ?? (r.site === 'panel' ? 'The panel' : (r.at ?? ''));
	return r.half ? `${place}, ${r.half}` : place;
}

/** Everything read on the call, newest first; what was taken back stays, struck out. */
export function ReadingList({ call, pick }: { call: Call; pick: (box: string) => void }) {
	const mark = useMarkReading(call.id);
	const stopOf = (r: Reading) => call.stops.find((s) => s.box === r.site || s.devices.some((d) => d.id === r.at));
	if (call.readings.length === 0)
		return <p className="m-0 py-3 text-soft">Nothing read yet. Record as found before loosening anything.</p>;
	return (
		<>
			<Problem error={mark.error} />
			<ol className="m-0 list-none p-0" aria-label="Readings, newest first">
				{call.readings.map((r) => {
					const stop = stopOf(r.reading);
					const out = r.withdrawn || r.problem !== undefined;
					return (
						<li key={r.id} className="flex flex-wrap items-center gap-x-3 border-b border-rule py-1">
							<span className={out ? 'opacity-40' : ''}>
								<Delta delta={r.delta} size={40} />
							</span>
							<button
								type="button"
								className="min-h-11 min-w-0 grow basis-0 text-left hover:bg-wash max-wide:basis-[70%]"
								onClick={() => stop && pick(stop.box)}
							>
								<span className={`block font-bold ${r.withdrawn ? 'line-through' : ''}`}>{where(stop, r.reading)}</span>
								<span className={`block tabular-nums ${r.withdrawn ? 'line-through' : ''}`}>{r.says}</span>
								{r.state && <span className="block text-soft">{r.state}</span>}
								{r.doubtful && <span className="block font-bold">Doubtful: counts little</span>}
								{r.problem && <span className="block text-soft">Left out of account: {r.problem}</span>}
							</button>
							<span className="text-soft max-wide:ml-auto">{timeOf(r.takenAt)}</span>
							{!out && (
								<button
									type="button"
									aria-pressed={r.doubtful}
									className="min-h-11 min-w-11 px-1 underline decoration-hair underline-offset-4"
									onClick={() => mark.mutate({ reading: r.id, doubtful: !r.doubtful })}
									aria-label={`${r.doubtful ? 'Trust' : 'Doubt'}: ${where(stop, r.reading)}, ${r.says}`}
								>
									{r.doubtful ? 'trust' : 'doubt'}
								</button>
							)}
							{!call.drill && (
								<button
									type="button"
									className="min-h-11 min-w-11 px-2 underline decoration-hair underline-offset-4"
									onClick={() => mark.mutate({ reading: r.id, withdrawn: !r.withdrawn })}
									aria-label={`${r.withdrawn ? 'Put back' : 'Undo'}: ${where(stop, r.reading)}, ${r.says}`}
								>
									{r.withdrawn ? 'put back' : 'undo'}
								</button>
							)}
						</li>
					);
				})}
			</ol>
		</>
	);
}

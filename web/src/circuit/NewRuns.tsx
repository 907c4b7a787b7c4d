import { Link, useNavigate } from 'react-router';
import type { Call } from '../api/client';
import { useNewRuns, useStartNewRun } from '../api/hooks';
import { useMay } from '../api/shop';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';

/** The new runs planned on the call, and the ways to begin one: a circuit of its own, or an outlet more on this run. */
export function NewRuns({ call, box }: { call: Call; box?: string }) {
	const all = useNewRuns(call.id);
	const start = useStartNewRun(call.id);
	const go = useNavigate();
	const may = useMay('work');
	const begin = (what: { box?: string; from?: string }) =>
		start.mutate(what, { onSuccess: (id) => go(`/calls/${call.id}/circuit/${id}`) });
	const stop = call.stops.find((s) => s.box === box);
	return (
		<section aria-label="New wiring" className="grid gap-1 border-t-2 border-ink pt-2">
			<h3 className="m-0 text-base font-bold">New wiring</h3>
			{all.data?.map((r) => (
				<Link
					key={r.order.id}
					to={`/calls/${call.id}/circuit/${r.order.id}`}
					className="flex min-h-11 items-center gap-3 border-b border-rule hover:bg-wash"
				>
					<b className="underline decoration-hair underline-offset-4">{r.order.name || 'New circuit'}</b>
					<span className="ml-auto text-soft">
						{r.laidAt
							? 'laid'
							: r.plan
								? `${r.plan.breaker.amps} A, ${r.done.length} of ${r.plan.steps.length} steps`
								: 'no plan yet'}
					</span>
				</Link>
			))}
			{may && (
				<div className="flex flex-wrap gap-x-4">
					<Button kind="quiet" disabled={start.isPending} onClick={() => begin(stop ? { box: stop.box } : {})}>
						{stop ? `A new circuit to ${stop.label}` : 'A new circuit'}
					</Button>
					{stop && (
						<Button kind="quiet" disabled={start.isPending} onClick={() => begin({ from: stop.box })}>
							One more outlet from {stop.label}
						</Button>
					)}
				</div>
			)}
			<Problem error={start.error ?? all.error} />
		</section>
	);
}

/** From the ways on of an outlet without a ground: those that are new wiring are planned, with what is known. */
export function PlanIt({ call, box, way }: { call: number; box: string; way: string }) {
	const start = useStartNewRun(call);
	const go = useNavigate();
	const may = useMay('work');
	if (!may || (way !== 'new-cable' && way !== 'new-circuit')) return null;
	return (
		<>
			<Button
				className="mt-1 print:hidden"
				disabled={start.isPending}
				onClick={() =>
					start.mutate(
						{ box, grounded: way === 'new-cable' },
						{ onSuccess: (id) => go(`/calls/${call}/circuit/${id}`) },
					)
				}
			>
				{way === 'new-cable' ? 'Plan the new cable' : 'Plan the new circuit'}
			</Button>
			<Problem error={start.error} />
		</>
	);
}

import { Link } from 'react-router';
import type { Call, NewRun, NewRunPlan, NewRunStep } from '../api/client';
import { useSetNewRunSteps } from '../api/hooks';
import { useMay } from '../api/shop';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';

/** The order of work, part by part; the panel's is a licensed person's list. */
export function Steps({ call, run, plan }: { call: Call; run: NewRun; plan: NewRunPlan }) {
	const set = useSetNewRunSteps(call.id, run.order.id);
	const may = useMay('override');
	const done = set.isPending ? (set.variables ?? run.done) : run.done;
	const tick = (s: NewRunStep) =>
		set.mutate(done.includes(s.code) ? done.filter((d) => d !== s.code) : [...done, s.code]);
	const next = plan.steps.find((s) => !done.includes(s.code));
	return (
		<div className="grid content-start gap-4">
			<Problem error={set.error} />
			{run.parts.map((part) => {
				const steps = plan.steps.filter((s) => s.part === part.part);
				if (steps.length === 0) return null;
				const licensed = steps.some((s) => s.licensed);
				return (
					<section key={part.part} aria-label={part.words} className={licensed ? 'border-2 border-ink px-3 py-2' : ''}>
						<h2 className="m-0 border-b-2 border-ink text-base font-bold">{part.words}</h2>
						{licensed && (
							<p className="m-0 py-1">
								A list for a licensed person, and no more than that. Local law says who is. Nobody works in a panel by a
								list alone.
							</p>
						)}
						<ol className="m-0 list-none p-0">
							{steps.map((s) => (
								<li
									key={s.code}
									aria-current={s === next ? 'step' : undefined}
									className="grid grid-cols-[1fr_auto] gap-x-2 border-b border-rule py-1 aria-[current]:bg-wash aria-[current]:outline-2 aria-[current]:outline-accent print:outline-0"
								>
									<div className="min-w-0 py-1.5 pl-2">
										<span className={done.includes(s.code) ? 'text-soft' : 'font-bold'}>{s.do}</span>
										{s.detail && <span className="block text-soft">{s.detail}</span>}
										{s.section && <span className="block text-soft">NEC {s.section}. Check what is adopted here.</span>}
										{s.part === 'make-up' && s.outlet && <BoxSteps plan={plan} outlet={s.outlet} />}
										{s.part === 'start' && s.outlet && (
											<Link
												to={`/calls/${call.id}/${s.code === 'dead' ? 'dead' : `boxes/${s.outlet}`}`}
												className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
											>
												{s.code === 'dead' ? 'Prove it dead' : 'The opened box'}
											</Link>
										)}
										{s.caution && (
											<div className="pt-1">
												<Caution>{s.caution}</Caution>
											</div>
										)}
									</div>
									<label className="grid size-11 place-items-center print:hidden">
										<input
											type="checkbox"
											className="size-6 accent-accent"
											aria-label={`Done: ${s.do}`}
											title={s.licensed && !may ? 'A licensed person of the shop says so' : undefined}
											checked={done.includes(s.code)}
											disabled={Boolean(run.laidAt) || (s.licensed && !may)}
											onChange={() => tick(s)}
										/>
									</label>
								</li>
							))}
						</ol>
					</section>
				);
			})}
		</div>
	);
}

/** The make-up of a box of the new run, folded. */
function BoxSteps({ plan, outlet }: { plan: NewRunPlan; outlet: string }) {
	const box = plan.boxes.find((b) => b.outlet === outlet);
	if (!box) return null;
	const fill = box.plan.fill;
	return (
		<details>
			<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
				its make-up; fill {fill.requiredIn3} of {fill.availableIn3} in³
			</summary>
			<ol className="m-0 grid gap-1 pb-2 pl-5">
				{box.plan.steps
					.filter((s) => !['dead', 'pull', 'dead-again'].includes(s.code))
					.map((s) => (
						<li key={s.code}>
							{s.do} <span className="text-soft">{s.detail}</span>
						</li>
					))}
			</ol>
		</details>
	);
}

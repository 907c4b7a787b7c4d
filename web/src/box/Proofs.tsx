import type { OpenedBox, Proof } from '../api/client';
import { Delta } from '../delta/Delta';

/** What the testers will show when it is done, outlet by outlet, beside what the old wiring gives. */
export function Proofs({ opened }: { opened: OpenedBox }) {
	const plan = opened.plan;
	return (
		<div className="grid gap-4">
			{plan.proof ? (
				<Outlets title="When the plan is done" proof={plan.proof} />
			) : (
				<p className="m-0">There is no plan to prove: {plan.stopped}</p>
			)}
			{plan.asFound && <Outlets title="As it is wired now, by the model" proof={plan.asFound} />}
			<p className="m-0 text-soft">
				Worked out on the circuit model, nothing switched on. Both halves are read again after the breaker is on.
			</p>
		</div>
	);
}

function Outlets({ title, proof }: { title: string; proof: Proof }) {
	return (
		<section aria-label={title}>
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">{title}</h2>
			<ul className="m-0 list-none p-0">
				{together(proof.outlets).map((o) => (
					<li key={`${o.at} ${o.half}`} className="flex items-center gap-3 border-b border-rule py-1">
						<Delta delta={o.delta} />
						<span className="min-w-0 grow">
							<b className="block truncate">
								{o.label}, {o.words}
							</b>
							<span className={o.problems.length ? 'font-bold' : 'text-soft'}>
								{o.problems.length ? o.problems.join('; ') : o.says}
								{o.behind.length > 0 && `, behind ${o.behind.join(' and ')}`}
							</span>
						</span>
					</li>
				))}
			</ul>
		</section>
	);
}

type Outlet = Proof['outlets'][number];

/** Both halves in one row where they are alike. */
function together(outlets: Outlet[]): (Outlet & { words: string })[] {
	const rows: (Outlet & { words: string })[] = [];
	for (const o of outlets) {
		const top = rows.at(-1);
		const alike =
			top?.at === o.at &&
			top.problems.join() === o.problems.join() &&
			top.protected.join() === o.protected.join() &&
			JSON.stringify(top.delta) === JSON.stringify(o.delta);
		if (top && alike) top.words = 'both halves';
		else rows.push({ ...o, words: o.half });
	}
	return rows;
}

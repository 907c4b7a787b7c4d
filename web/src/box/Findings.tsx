import type { Finding, Plan } from '../api/client';

const words = { danger: 'DANGER', must: 'MUST', should: 'SHOULD', note: 'NOTE' };

function Standing({ f }: { f: Finding }) {
	return (
		<span className="text-soft">{f.section ? `NEC ${f.section}, ${f.edition}. ${f.check}` : `${f.practice}.`}</span>
	);
}

/** The findings, the heaviest first; the numbers are those of the pins in the drawing. */
export function Findings({ plan }: { plan: Plan }) {
	if (plan.findings.length === 0) return <p className="m-0">Nothing found wrong in this box.</p>;
	return (
		<ol className="m-0 list-none p-0" aria-label="Findings">
			{plan.findings.map((f, i) => (
				<li key={`${f.code} ${f.text}`} className="grid grid-cols-[2.2rem_1fr] gap-2 border-b border-rule py-2">
					<b className="mono pt-0.5 text-center text-lg">{i + 1}</b>
					<div>
						<p className="m-0">
							<b
								className={`mr-2 inline-block px-1.5 ${f.severity === 'danger' || f.severity === 'must' ? 'bg-ink text-paper' : 'border border-ink'}`}
							>
								{words[f.severity]}
							</b>
							<b className="font-bold">{f.text}</b>
						</p>
						<p className="m-0 mt-1">
							{f.cured && <b>The plan puts it right. </b>}
							{f.fix}
						</p>
						<p className="m-0">
							<Standing f={f} />
						</p>
					</div>
				</li>
			))}
		</ol>
	);
}

/** What is not known and decides. */
export function Asks({ plan }: { plan: Plan }) {
	if (plan.asks.length === 0) return null;
	return (
		<section className="mb-3 border-l-4 border-accent pl-3" aria-label="Not known">
			<h2 className="m-0 text-base font-bold">Not known, and it decides</h2>
			<ul className="m-0 list-none p-0">
				{plan.asks.map((a) => (
					<li key={a.field} className="py-0.5">
						{a.words}
					</li>
				))}
			</ul>
		</section>
	);
}

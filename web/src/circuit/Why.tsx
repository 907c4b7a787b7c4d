import type { NewRunPlan, WhyChosen } from '../api/client';
import { Caution } from '../ui/Caution';
import { protectionWords } from './words';

/** Why the breaker, the wire and the way are as they are. */
export function Why({ plan, wide }: { plan: NewRunPlan; wide?: boolean }) {
	const c = plan.conductor;
	const name = (id: string) => plan.boxes.find((b) => b.outlet === id)?.label ?? id;
	return (
		<>
			<div className="grid content-start gap-4">
				<section aria-label="The breaker">
					<Heading>
						Breaker: {plan.breaker.amps} A, {protectionWords[plan.breaker.protection]}
					</Heading>
					{plan.load.shares.length > 0 && (
						<ul className="m-0 list-none p-0">
							{plan.load.shares.map((s) => (
								<li key={s.outlet} className="flex gap-3 border-b border-rule py-1">
									<span className="grow">
										{s.words}
										{s.assumed && <span className="text-soft">, taken as usual: read its nameplate</span>}
									</span>
									<span className="mono">
										{s.watts} W, {Math.round(s.amps * 10) / 10} A
									</span>
								</li>
							))}
						</ul>
					)}
					<Reasons all={plan.breaker.why} />
				</section>
				<section aria-label="The conductor">
					<Heading>Conductor: {c.awg} AWG copper</Heading>
					<Reasons all={c.why} />
					<p className="m-0 py-1">
						Ampacity <span className="mono">{c.derated}</span>
					</p>
					<p className="m-0 py-1">
						Drop to {name(c.drop.outlet)} <span className="mono">{c.drop.working}</span>,{' '}
						{Math.round(c.drop.percent * 10) / 10} %; 3 % is aimed at.
					</p>
				</section>
			</div>
			<div className={`grid content-start gap-4 ${wide ? 'max-wide:mt-4' : ''}`}>
				<section aria-label="Protection, outlet by outlet">
					<Heading>Protection, outlet by outlet</Heading>
					<ul className="m-0 list-none p-0">
						{plan.guarded.map((g) => (
							<li key={g.outlet} className="border-b border-rule py-1">
								<b>{name(g.outlet)}</b>{' '}
								{g.device
									? 'the GFCI hangs here'
									: g.by === 'panel'
										? 'by the breaker'
										: g.by
											? `by the GFCI at ${name(g.by)}`
											: 'no ground-fault protection'}
								<span className="block text-soft">
									{g.gfci.why} (NEC {g.gfci.section}). Arc fault: {g.afci.why} (NEC {g.afci.section}).
								</span>
							</li>
						))}
					</ul>
				</section>
				<section aria-label="The way">
					<Heading>The way</Heading>
					<ul className="m-0 list-none p-0">
						{plan.stretches.map((s) => (
							<li key={s.outlet} className="border-b border-rule py-1">
								<b>To {name(s.outlet)}</b> {s.words}
								<Reasons all={s.why} />
								{s.legs.map(
									(leg) =>
										leg.pipe && (
											<p key={leg.words} className="m-0">
												Fill <span className="mono">{leg.pipe.working}</span>
											</p>
										),
								)}
							</li>
						))}
					</ul>
				</section>
				<Caution>
					Rows are from memory, in our own words. Check what is adopted here; the authority having jurisdiction decides.
				</Caution>
			</div>
		</>
	);
}

function Heading({ children }: { children: React.ReactNode }) {
	return <h2 className="m-0 border-b-2 border-ink text-base font-bold">{children}</h2>;
}

function Reasons({ all }: { all: WhyChosen[] }) {
	return (
		<ul className="m-0 list-none p-0">
			{all.map((w) => (
				<li key={w.text} className="py-1">
					{w.text}.{' '}
					<span className="text-soft">{w.section ? `NEC ${w.section}, ${w.edition}.` : `${w.practice}.`}</span>
				</li>
			))}
		</ul>
	);
}

import type { ReactNode } from 'react';
import type { Plan, Verdict, Way } from '../api/client';
import { Caution } from '../ui/Caution';

const rows = [
	{ key: 'gfci', words: 'Ground-fault protection' },
	{ key: 'afci', words: 'Arc-fault protection' },
	{ key: 'tamperResistant', words: 'Tamper-resistant' },
	{ key: 'weatherResistant', words: 'Weather-resistant' },
	{ key: 'cover', words: 'Cover' },
] as const;

/** What the code asks at this place, and the ways on where no ground arrives. */
export function Required({ plan, lead }: { plan: Plan; lead?: (way: Way) => ReactNode }) {
	const r = plan.requires;
	return (
		<div className="grid gap-4">
			{r.ungrounded.length > 0 && <Ways ways={r.ungrounded} lead={lead} />}
			<ul className="m-0 list-none p-0" aria-label="What the code asks">
				{rows.map(({ key, words }) => (
					<Row key={key} words={words} v={r[key]} />
				))}
				<li className="border-b border-rule py-2">
					<p className="m-0 flex gap-2">
						<b className="grow">Receptacle rating</b>
						<b>
							{r.minAmps.required === r.maxAmps.required
								? `${r.minAmps.required} A`
								: `${r.minAmps.required} or ${r.maxAmps.required} A`}
						</b>
					</p>
					<p className="m-0 text-soft">
						{r.minAmps.why}. NEC {r.minAmps.section}, {r.minAmps.edition}.
					</p>
				</li>
			</ul>
			<Caution>
				Rows are from memory, in our own words. Check what is adopted here; the authority having jurisdiction decides.
			</Caution>
		</div>
	);
}

function Row({ words, v }: { words: string; v: Verdict }) {
	return (
		<li className="border-b border-rule py-2">
			<p className="m-0 flex gap-2">
				<b className="grow">{words}</b>
				<b className={v.required ? 'bg-ink px-1.5 text-paper' : 'text-soft'}>
					{v.required ? (v.kind ? `required, ${v.kind}` : 'required') : 'not asked for'}
				</b>
			</p>
			<p className="m-0 text-soft">
				{v.why}. {v.local ? 'Local' : 'NEC'} {v.section}, {v.edition}.
			</p>
		</li>
	);
}

/** The ways on for an outlet without a ground, side by side. */
function Ways({ ways, lead }: { ways: Way[]; lead?: (way: Way) => ReactNode }) {
	return (
		<section aria-label="No ground arrives: the ways on">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">No ground arrives: the ways on</h2>
			<ul className="m-0 list-none p-0">
				{ways.map((w) => (
					<li key={w.key} className="border-b border-rule py-2">
						<p className="m-0 flex flex-wrap items-baseline gap-x-3">
							<b className={w.permitted ? '' : 'text-soft line-through'}>{w.name}</b>
							{w.recommended && <b className="bg-accent px-1.5 text-on-accent">best here</b>}
							{!w.permitted && <b className="border border-ink px-1.5">not permitted here</b>}
							<span className="mono ml-auto">
								${Math.round(w.cost)}, {Math.round(w.minutes)} min
							</span>
						</p>
						{w.why && <p className="m-0">{w.why}</p>}
						<p className="m-0">
							<b>Gives</b> {w.gives.join(', ')}.{w.lacks.length > 0 && ' '}
							{w.lacks.length > 0 && (
								<>
									<b>Lacks</b> {w.lacks.join(', ')}.
								</>
							)}
						</p>
						<p className="m-0 text-soft">
							{w.parts.join(', ')}.
							{w.markings.length > 0 && ` Marked ${w.markings.map((m) => `“${m}”`).join(' and ')}.`} NEC {w.section},{' '}
							{w.edition}. {w.check}
						</p>
						{lead?.(w)}
					</li>
				))}
			</ul>
			<p className="m-0 text-soft">
				A plain three-slot device with no ground, or a neutral joined to the ground screw, is never an answer.
			</p>
		</section>
	);
}

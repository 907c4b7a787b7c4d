import { ChevronDown } from 'lucide-react';
import { Accordion } from 'radix-ui';
import { useState } from 'react';
import type { Call, Danger, Suspect } from '../api/client';
import { BetweenEntry } from '../readings/BetweenEntry';
import { Button } from '../ui/Button';
import { Beside, useSpanish, Whose } from '../ui/Spanish';
import { capital, percent, percentParts } from '../ui/words';
import { EvidenceList } from './Evidence';

interface Props {
	call: Call;
	pick: (site: string) => void;
	/** Goes to a danger's outlet with the sensor in hand. */
	exclude: (danger: Danger) => void;
}

/** Suspects less likely than this, and beyond so many, are a tap away. */
const worthShowing = 0.01;
const mostShown = 5;

/** The suspects, most probable first, each with its reason a tap away. */
export function Suspects({ call, pick, exclude }: Props) {
	const [spanish, toggle] = useSpanish();
	const { suspects, unexplained, hidden } = call.diagnosis;
	const [all, setAll] = useState(false);
	const likely = suspects.filter((s) => s.probability >= worthShowing).slice(0, mostShown);
	const shown = all ? suspects : likely;
	const rest = suspects.length - likely.length;
	const others = suspects.slice(likely.length).reduce((sum, s) => sum + s.probability, 0);
	return (
		<section aria-label="Suspects">
			<Accordion.Root type="multiple" className="grid">
				{shown.map((s) => (
					<Row key={JSON.stringify(s.faults) + s.name + s.place} call={call} s={s} pick={pick} />
				))}
			</Accordion.Root>
			<p className="m-0 border-b border-rule py-2 text-soft">
				{!all && rest > 0 && <>{percent(others)} something else on this list. </>}
				{percent(unexplained)} none of these: three faults at once, or something not looked for.
				{rest > 0 && (
					<button
						type="button"
						onClick={() => setAll(!all)}
						className="ml-2 min-h-11 underline decoration-hair underline-offset-4"
					>
						{all ? 'Only the likely ones' : `${rest} less likely`}
					</button>
				)}
			</p>
			{hidden.length > 0 && (
				<section className="mt-3" aria-label="Dangers not excluded">
					<b className="bg-ink px-2 py-0.5 text-paper">Still possible, until a reading excludes it</b>
					<ul className="m-0 mt-1 list-none p-0">
						{hidden.map((d) => (
							<li key={d.name + d.at}>
								<button
									type="button"
									onClick={() => exclude(d)}
									title={d.why}
									className="grid min-h-11 w-full items-center gap-x-4 border-b border-rule py-1 text-left hover:bg-wash wide:grid-cols-[1fr_auto]"
								>
									<span>
										<b>{capital(d.name)}</b>{' '}
										{d.site === 'panel' ? 'in the panel' : (call.stops.find((s) => s.box === d.site)?.label ?? d.at)}
									</span>
									<span className="text-soft">
										{d.do}
										<Beside said={[d.saidDo]} words={spanish} />
									</span>
									<Beside said={[d.saidWhy]} words={spanish} className="wide:col-span-2" />
								</button>
								{d.between && <BetweenEntry call={call} tool="meter" between={d.between} />}
							</li>
						))}
					</ul>
					<div className="flex flex-wrap items-center gap-x-3">
						{toggle}
						<Whose words={spanish} />
					</div>
				</section>
			)}
		</section>
	);
}

function Row({ call, s, pick }: { call: Call; s: Suspect; pick: (site: string) => void }) {
	return (
		<Accordion.Item value={JSON.stringify(s.faults) + s.place} className="border-b border-rule" data-suspect={s.name}>
			<Accordion.Header className="m-0 font-normal">
				<Accordion.Trigger className="group grid w-full grid-cols-[5.4rem_1fr_auto] items-center gap-3 bg-transparent py-2 text-left hover:bg-wash">
					<Share p={s.probability} />
					<span>
						<b>{capital(s.name)}</b> <span>{s.place}</span>
						{s.warm && s.heat !== undefined && (
							<b className="block">{Math.round(s.heat)} W of heat in it under a heavy load: stop using it.</b>
						)}
						<span className="block text-soft">{short(s)}</span>
					</span>
					<span className="flex min-h-11 items-center gap-1 pr-1">
						why <ChevronDown size={18} aria-hidden="true" className="group-data-[state=open]:rotate-180" />
					</span>
				</Accordion.Trigger>
			</Accordion.Header>
			<div
				aria-hidden="true"
				className="h-[5px] bg-accent"
				style={{ width: `${Math.max(0.6, 100 * s.probability)}%` }}
			/>
			<Accordion.Content className="grid gap-2 py-2 wide:pl-[6.2rem]">
				<p className="m-0">{capital(s.why)}.</p>
				<EvidenceList call={call} faults={s.faults} beside={s.beside ?? []} />
				{s.site && s.site !== 'elsewhere' && (
					<Button kind="quiet" className="justify-self-start" onClick={() => pick(s.site)}>
						Show it on the run
					</Button>
				)}
				{s.alikePlaces.length > 0 && (
					<div>
						<p className="m-0">No reading so far tells it apart from</p>
						<ul className="m-0 pl-5">
							{s.alikePlaces.map((a) => (
								<li key={a}>{a}</li>
							))}
							{s.alikeCount > s.alikePlaces.length && <li>and {s.alikeCount - s.alikePlaces.length} less likely</li>}
						</ul>
					</div>
				)}
			</Accordion.Content>
		</Accordion.Item>
	);
}

/** A probability in large figures. */
export function Share({ p }: { p: number }) {
	const [figure, sign] = percentParts(p);
	return (
		<span className="text-right whitespace-nowrap">
			<b className="mono text-2xl">{figure}</b> <span>{sign}</span>
		</span>
	);
}

/** The reason in a few words: how it fits, and what it cannot be told from. */
function short(s: Suspect): string {
	const fits = s.why.split(';')[0] ?? '';
	const n = s.alikeCount;
	return n ? `${fits}; not yet told from ${n === 1 ? 'one other' : `${n} others`}` : fits;
}

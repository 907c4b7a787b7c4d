import { ChevronDown } from 'lucide-react';
import { Accordion } from 'radix-ui';
import { useState } from 'react';
import type { Call, Danger, Suspect } from '../api/client';
import { Button } from '../ui/Button';
import { capital, percent, percentParts } from '../ui/words';

interface Props {
	call: Call;
	pick: (site: string) => void;
	/** Goes to a danger's outlet with the sensor in hand. */
	exclude: (danger: Danger) => void;
}

/** Suspects less likely than this are a tap away. */
const worthShowing = 0.01;

/** The suspects, most probable first, each with its reason a tap away. */
export function Suspects({ call, pick, exclude }: Props) {
	const { suspects, unexplained, hidden } = call.diagnosis;
	const [all, setAll] = useState(false);
	const likely = suspects.filter((s) => s.probability >= worthShowing);
	const shown = all ? suspects : likely;
	const rest = suspects.length - likely.length;
	return (
		<section aria-label="Suspects">
			<Accordion.Root type="multiple" className="grid">
				{shown.map((s) => (
					<Row key={JSON.stringify(s.faults) + s.name} s={s} pick={pick} />
				))}
			</Accordion.Root>
			<p className="m-0 border-b border-rule py-2 text-soft">
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
				<div className="flex flex-wrap items-center gap-x-3 py-2">
					<b className="bg-ink px-2 py-0.5 text-paper">Still possible</b>
					{hidden.map((d) => (
						<button
							key={d.at}
							type="button"
							onClick={() => exclude(d)}
							className="min-h-11 text-left underline decoration-hair underline-offset-4 hover:decoration-ink"
						>
							{d.name} at {call.stops.find((s) => s.devices.some((v) => v.id === d.at))?.label ?? d.at}
						</button>
					))}
				</div>
			)}
		</section>
	);
}

function Row({ s, pick }: { s: Suspect; pick: (site: string) => void }) {
	return (
		<Accordion.Item value={JSON.stringify(s.faults)} className="border-b border-rule" data-suspect={s.name}>
			<Accordion.Header className="m-0 font-normal">
				<Accordion.Trigger className="group grid w-full grid-cols-[5.4rem_1fr_auto] items-center gap-3 bg-transparent py-2 text-left hover:bg-wash">
					<Share p={s.probability} />
					<span>
						<b>{capital(s.name)}</b> <span>{s.place}</span>
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
			<Accordion.Content className="grid gap-2 py-2 pl-[6.2rem]">
				<p className="m-0">{capital(s.why)}.</p>
				{s.site && (
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
	const n = s.alikePlaces.length;
	return n ? `${fits}; not yet told from ${n === 1 ? 'one other' : `${n} others`}` : fits;
}

import { ChevronDown } from 'lucide-react';
import { Collapsible } from 'radix-ui';
import { useState } from 'react';
import type { Call, Conditions, Phoned } from '../api/client';
import { useAddEntry, useAddReading, useSetConditions } from '../api/hooks';
import { newID } from '../api/newID';
import { TellHazard } from '../calls/Hazards';
import { Button, field } from '../ui/Button';
import type { Words } from '../ui/language';
import { Problem } from '../ui/Problem';
import { useSpanish, Whose } from '../ui/Spanish';
import { Ticked } from '../ui/Ticked';
import { Answers } from './Answers';

export const complaints: { kind: NonNullable<Conditions['complaint']>; words: string }[] = [
	{ kind: '', words: 'not said' },
	{ kind: 'dead', words: 'an outlet is dead' },
	{ kind: 'part-dead', words: 'half of a room or more is dead' },
	{ kind: 'intermittent', words: 'one half is dead, or comes and goes' },
	{ kind: 'tester', words: 'a tester or an inspector says it is wrong' },
	{ kind: 'two-slot', words: 'old two-slot outlets' },
	{ kind: 'no-reset', words: 'a GFCI will not reset' },
	{ kind: 'trips', words: 'a GFCI trips now and then' },
	{ kind: 'no-trip', words: 'a GFCI does not trip when tested' },
	{ kind: 'warm', words: 'warm, buzzing or scorched' },
	{ kind: 'off-unnoticed', words: 'a freezer or pump went off unnoticed' },
	{ kind: 'half-dead', words: 'one half of an outlet is dead' },
	{ kind: 'dimming', words: 'lights dim when something starts' },
];

const before: { since: NonNullable<Conditions['since']>; words: string }[] = [
	{ since: '', words: 'not said' },
	{ since: 'storm', words: 'since the storm' },
	{ since: 'painter', words: 'since the painter, or other work' },
	{ since: 'heavy', words: 'since something heavy was plugged in' },
];

/** No answer is ticked for the electrician: what nobody looked at is not known. */
const grounds: { ground: NonNullable<Conditions['ground']>; words: string }[] = [
	{ ground: '', words: 'as the run is drawn' },
	{ ground: 'unknown', words: 'nobody knows' },
	{ ground: 'wire', words: 'a wire, seen' },
	{ ground: 'conduit', words: 'metal conduit or listed armour' },
	{ ground: 'none', words: 'none' },
];

/** Before driving: what to ask the customer, a tap away. Each answer is evidence. */
export function Phone({ call }: { call: Call }) {
	const asked = call.diagnosis.phone;
	const [spanish, toggle] = useSpanish();
	if (asked.length === 0 || call.stops.length === 0) return null;
	return (
		<Collapsible.Root className="border-b-2 border-ink pb-2">
			<Collapsible.Trigger className="group flex min-h-11 w-full items-center gap-2 text-left hover:bg-wash">
				<b className="text-lg">Still on the phone?</b>
				<span className="grow text-soft">{asked.length} things to ask before driving</span>
				<ChevronDown size={20} aria-hidden="true" className="group-data-[state=open]:rotate-180" />
			</Collapsible.Trigger>
			<Collapsible.Content>
				<section className="grid grid-cols-[minmax(0,1fr)] gap-1" aria-label="On the phone">
					<Complaint call={call} />
					<div className="flex flex-wrap items-center gap-x-3">
						{toggle}
						<Whose words={spanish} />
					</div>
					<ul className="m-0 list-none p-0">
						{asked.map((q) => (
							<Question key={q.key} call={call} q={q} spanish={spanish} />
						))}
					</ul>
				</section>
			</Collapsible.Content>
		</Collapsible.Root>
	);
}

function Complaint({ call }: { call: Call }) {
	const set = useSetConditions(call.id);
	return (
		<div className="flex flex-wrap items-center gap-x-4 gap-y-1">
			<Choice
				words="Complaint"
				value={call.conditions.complaint ?? ''}
				all={complaints.map((c) => [c.kind, c.words])}
				choose={(complaint) => set.mutate({ complaint })}
			/>
			<Choice
				words="It began"
				value={call.conditions.since ?? ''}
				all={before.map((b) => [b.since, b.words])}
				choose={(since) => set.mutate({ since })}
			/>
			<Choice
				words="Ground"
				value={call.conditions.ground ?? ''}
				all={grounds.map((g) => [g.ground, g.words])}
				choose={(ground) => set.mutate({ ground })}
			/>
			<Ticked words="thirty years or older" value={call.conditions.old ?? false} save={(old) => set.mutate({ old })} />
			<Problem error={set.error} />
		</div>
	);
}

function Choice<V extends string>(of: { words: string; value: V; all: [V, string][]; choose: (value: V) => void }) {
	return (
		<label className="flex max-w-full items-center gap-2">
			<span className="shrink-0">{of.words}</span>
			<select className={`${field} min-w-0`} value={of.value} onChange={(e) => of.choose(e.target.value as V)}>
				{of.all.map(([value, words]) => (
					<option key={value} value={value}>
						{words}
					</option>
				))}
			</select>
		</label>
	);
}

/** Told on the telephone: it stands on every screen until somebody has looked. */
function DangerAnswers({ call }: { call: Call }) {
	const [telling, tell] = useState(false);
	const add = useAddEntry(call.id);
	const none = () =>
		add.mutate({
			id: newID(),
			entry: { kind: 'note', text: 'Asked on the telephone: no heat, smell, scorching, sparks, water or shock.' },
		});
	return (
		<div className="grid gap-2">
			<div className="flex gap-2">
				<Button aria-pressed={telling} onClick={() => tell(true)}>
					Yes
				</Button>
				<Button disabled={add.isPending || add.isSuccess} onClick={none}>
					None of it
				</Button>
			</div>
			{telling && <TellHazard call={call} by="customer" done={() => tell(false)} />}
			<Problem error={add.error} />
		</div>
	);
}

interface QuestionProps {
	call: Call;
	q: Phoned;
	/** Where it is to be read out in Spanish too. */
	spanish?: Words;
}

function Question({ call, q, spanish }: QuestionProps) {
	const place = call.stops.find((s) => s.devices.some((d) => d.id === q.at))?.label ?? '';
	const add = useAddReading(call.id);
	const say = (works: boolean) => add.mutate({ id: newID(), reading: { tool: 'told', at: q.at, half: q.half, works } });
	return (
		<li className="grid items-center gap-x-4 gap-y-1 border-t border-rule py-2 wide:grid-cols-[1fr_auto]">
			<p className="m-0">
				<b>{q.say}</b> <span className="text-soft">{q.why}</span>
				{spanish && (
					<b lang="es" className="block font-normal">
						{q.at ? spanish.say('phone.outlet', place) : spanish.say(`phone.${q.key}`)}
					</b>
				)}
			</p>
			{q.asked && <Answers call={call} asked={q.asked} />}
			{q.key === 'danger' && <DangerAnswers call={call} />}
			{q.at && (
				<div className="flex gap-2">
					<Button disabled={add.isPending} onClick={() => say(true)}>
						works
					</Button>
					<Button disabled={add.isPending} onClick={() => say(false)}>
						dead
					</Button>
				</div>
			)}
			<Problem error={add.error} />
		</li>
	);
}

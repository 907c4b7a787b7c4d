import { ChevronDown } from 'lucide-react';
import { useState } from 'react';
import type { Call, Test } from '../api/client';
import { MoveLink } from '../calls/NextMove';
import { Delta } from '../delta/Delta';
import { describe } from '../delta/shape';
import { BetweenEntry } from '../readings/BetweenEntry';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { minutes, percent } from '../ui/words';
import { Acted, Finished, Hinted, PowerOff, Skip } from './Acted';
import { Answers } from './Answers';
import { Looked, PutRight } from './Looked';

const deadFirst =
	'Power off and proven dead before the cover comes off: tester proven on a live source, all pairs of both halves, each hot slot to an independent ground, tester proven again. Local code and the authority having jurisdiction decide who may.';

const qualifiedOnly =
	'Only for a qualified person, and never where a shared neutral or a second circuit is possible: everyone else stops here. Power off and proven dead before each end is touched; caps tugged before it goes on.';

const manner: Record<Test['do'], string> = {
	reading: 'nothing opened',
	open: 'power off',
	separate: 'qualified persons only',
	ask: 'no tester',
	map: 'finds the order',
	act: 'nothing opened',
	fix: 'power off',
	'power-off': 'before anything else',
	done: 'nothing left to look for',
};

const heads: Partial<Record<Test['do'], string>> = { fix: 'Put it right', done: 'Done', 'power-off': 'Now' };

/** What is advised, and what was chosen of the rest instead. */
export function useAdvice(call: Call) {
	const next = call.diagnosis.next;
	// What has no place of its own on the run is answered where the advice stands, so it comes up when it is
	// chosen: for as long as nothing else has come first, and never over a breaker that is to go off.
	const [chosen, choose] = useState({ over: '', say: '' });
	const first = next[0];
	const other = chosen.over === first?.say ? next.find((t) => t.say === chosen.say) : undefined;
	const off = first?.do === 'power-off';
	const now = (off ? undefined : other) ?? first;
	return {
		now,
		rest: next.filter((t) => t !== now && !(off && answeredHere(t))),
		choose: (t: Test) => choose({ over: first?.say ?? '', say: t.say }),
	};
}

type Advised = ReturnType<typeof useAdvice>;

/** Answered where the advice stands, and nowhere on the run. */
export function answeredHere(t: Test): boolean {
	return t.do === 'act' || Boolean(t.asked ?? t.hint ?? t.between);
}

interface Props {
	call: Call;
	advice: Advised;
	/** Goes to where the test is done, with its tester in hand. */
	go: (test: Test) => void;
	/** On a phone the sentence stands at the thumb, with its button. */
	docked?: boolean;
}

/** What to do now, in one sentence, how long and how safe. */
export function AdviceHead({ now, level }: { now: Test; level?: 'dock' }) {
	const Say = level === 'dock' ? 'h2' : 'p';
	return (
		<>
			<p className="m-0 font-bold text-accent">
				{now.again ? 'Read again what was wrong' : (heads[now.do] ?? 'Do now')}
				{now.do !== 'done' && now.do !== 'fix' && <>, {minutes(now.minutes)}</>},{' '}
				{now.tool === 'ohms' ? 'power off' : manner[now.do]}
			</p>
			<Say
				className={`m-0 mt-1 font-bold tracking-tight text-balance ${level === 'dock' ? 'text-xl/tight' : 'text-2xl/tight wide:text-[1.7rem]/tight'}`}
			>
				{now.say}
			</Say>
		</>
	);
}

/** The one button of the advice, or the answers it asks for. */
export function AdviceAct({ call, now, go }: { call: Call; now: Test; go: (test: Test) => void }) {
	if (now.asked) return <Answers call={call} asked={now.asked} />;
	if (now.do === 'act') return <Acted call={call} act={now} />;
	if (now.do === 'done') return <Finished call={call} />;
	if (now.do === 'power-off') return <PowerOff call={call} />;
	if (now.do === 'fix') return null;
	if (now.hint) return <Hinted call={call} test={now} />;
	if (now.between) return <BetweenEntry call={call} tool="ohms" between={now.between} />;
	const opens = now.do === 'open' && call.stops.some((s) => s.box === now.site);
	if (opens) return <MoveLink call={call} words="Breaker off first" />;
	return (
		<Button kind="main" className="min-h-14 px-6 text-lg max-wide:w-full" onClick={() => go(now)}>
			{now.do === 'reading' ? 'Enter it' : 'Show the box'}
		</Button>
	);
}

/** Whether the advice is to be done with the power off. */
const isDead = (t: Test) => t.do === 'open' || t.tool === 'ohms' || (t.do === 'map' && t.site !== undefined);

/** What to do now with why, how long, and how safe; on a phone the button is at the thumb. */
export function Advice({ call, advice, go, docked }: Props) {
	const { now, rest, choose } = advice;
	if (call.stops.length === 0 || !now) return null;
	return (
		<>
			<PutRight call={call} />
			<section className="border-b-2 border-ink pb-3" aria-label="Do now" data-next>
				<div className="flex flex-wrap items-center gap-x-5 gap-y-3">
					<div className="min-w-64 grow basis-0">
						<div className={docked ? 'max-wide:hidden' : ''}>
							<AdviceHead now={now} />
						</div>
						<p className="m-0 mt-1 text-soft">{now.why}</p>
					</div>
					<div className="max-wide:hidden">
						<AdviceAct call={call} now={now} go={go} />
					</div>
				</div>
				{now.caution && now.do !== 'power-off' && (
					<div className="mt-2">
						{now.grave ? <Caution>{now.caution}</Caution> : <p className="m-0 text-soft">{now.caution}</p>}
					</div>
				)}
				{(isDead(now) || now.do === 'separate') && (
					<div className="mt-3">
						<Caution>{now.do === 'separate' ? qualifiedOnly : deadFirst}</Caution>
						{now.do === 'open' && <Looked call={call} opening={now} />}
					</div>
				)}
				<div className="flex flex-wrap items-start gap-x-4">
					<Outcomes test={now} />
					<span className="mt-1 max-wide:hidden">
						<Skip call={call} test={now} />
					</span>
				</div>
				<Batch words="While you stand there" tests={call.diagnosis.here} go={go} />
				<Batch words="First, while the power is still on" tests={call.diagnosis.beforeOff} go={go} />
				{rest.length > 0 && now.do !== 'done' && (
					<Alternatives then={rest} go={(t) => (answeredHere(t) ? choose(t) : go(t))} />
				)}
			</section>
		</>
	);
}

/** What each outcome would mean, a tap away. */
export function Outcomes({ test }: { test: Test }) {
	const [open, setOpen] = useState(false);
	if (!test.outcomes?.length) return null;
	return (
		<div className={`mt-1 min-w-0 ${open ? 'w-full' : ''}`}>
			<button
				type="button"
				aria-expanded={open}
				onClick={() => setOpen(!open)}
				className="flex min-h-11 items-center gap-1 underline decoration-hair underline-offset-4"
			>
				What each outcome would mean
				<ChevronDown size={18} aria-hidden="true" className={open ? 'rotate-180' : ''} />
			</button>
			{open && <OutcomeList outcomes={test.outcomes} />}
		</div>
	);
}

function OutcomeList({ outcomes }: { outcomes: NonNullable<Test['outcomes']> }) {
	return (
		<ul className="m-0 list-none p-0" aria-label="Outcomes">
			{outcomes.map((o) => (
				<li
					key={o.words + o.then}
					className="grid grid-cols-[auto_3.6rem_1fr] items-center gap-3 border-t border-rule py-1.5"
				>
					{describe(o.delta) === 'not read' ? <span /> : <Delta delta={o.delta} size={38} />}
					<span className="mono text-right font-bold">{percent(o.probability)}</span>
					<span>
						<b>{o.words}.</b> {o.then}
					</span>
				</li>
			))}
		</ul>
	);
}

/** Readings worth taking on the same walk. */
function Batch({ words, tests, go }: { words: string; tests: Test[]; go: (test: Test) => void }) {
	if (tests.length === 0) return null;
	return (
		<section className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1" aria-label={words}>
			<b>{words}:</b>
			{tests.map((t) => (
				<Button key={t.say} kind="quiet" onClick={() => go(t)}>
					{t.say}
				</Button>
			))}
		</section>
	);
}

function Alternatives({ then, go }: { then: Test[]; go: (test: Test) => void }) {
	return (
		<ul className="m-0 mt-1 list-none p-0" aria-label="Or else">
			{then.slice(0, 3).map((t) => (
				<Alternative key={t.say} test={t} go={go} />
			))}
		</ul>
	);
}

function Alternative({ test, go }: { test: Test; go: (test: Test) => void }) {
	const [open, setOpen] = useState(false);
	return (
		<li>
			<div className="flex">
				<button
					type="button"
					onClick={() => go(test)}
					className="flex min-h-11 min-w-0 grow items-center gap-2 text-left text-soft hover:bg-wash hover:text-ink"
				>
					<span className="shrink-0">or</span>
					<span className="grow">{test.say}</span>
					<span className="shrink-0">{minutes(test.minutes)}</span>
				</button>
				<button
					type="button"
					aria-expanded={open}
					onClick={() => setOpen(!open)}
					className="grid min-h-11 w-11 shrink-0 place-items-center hover:bg-wash"
					aria-label={`What it would mean: ${test.say}`}
				>
					<ChevronDown size={18} aria-hidden="true" className={open ? 'rotate-180' : ''} />
				</button>
			</div>
			{open && <OutcomeList outcomes={test.outcomes ?? []} />}
		</li>
	);
}

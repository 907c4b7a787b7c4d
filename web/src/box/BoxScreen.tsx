import { useEffect, useRef, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Box, Call, OpenedBox } from '../api/client';
import { useBox, useCall, useMakeUp, useSetBox } from '../api/hooks';
import { SetTwice, UndoButtons } from '../calls/Beside';
import { DangerBand } from '../calls/DangerBand';
import { HazardButton, Hazards } from '../calls/Hazards';
import { NextMove } from '../calls/NextMove';
import { Phases } from '../calls/Phases';
import { PlanIt } from '../circuit/NewRuns';
import { WireScreen } from '../drill/WireScreen';
import { useDraft } from '../readings/draft';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { timeOf } from '../ui/words';
import { PicturesOf } from '../work/Pictures';
import { Asks } from './Answers';
import { BoxDrawing } from './Drawing';
import { BoxEntry } from './Entry';
import { FillBar } from './Fill';
import { Findings } from './Findings';
import { Kinds } from './Kinds';
import { faceOf, faceOfSwitch } from './layout';
import { Parts } from './Parts';
import { Photograph } from './Photograph';
import { Proofs } from './Proofs';
import { Required } from './Required';
import { Steps, ToDead } from './Steps';
import { WhatWasIt } from './WhatWasIt';

const sheets = [
	{ key: 'steps', words: 'Steps' },
	{ key: 'findings', words: 'Findings' },
	{ key: 'code', words: 'Code asks' },
	{ key: 'proof', words: 'Proof' },
	{ key: 'parts', words: 'Parts' },
] as const;
type SheetKey = (typeof sheets)[number]['key'];
type Shown = 'plan' | 'found' | 'both' | 'photograph';

/** The opened box of a call: what is in it, what goes where, and the steps. */
export function BoxScreen() {
	const params = useParams();
	const call = Number(params.call);
	const id = params.box ?? '';
	const opened = useBox(call, id);
	const drill = useCall(call).data?.drill;
	useEffect(() => {
		if (opened.data) document.title = `${opened.data.label}, Elvat`;
	}, [opened.data]);
	if (drill) return <WireScreen id={call} box={id} />;
	if (opened.data) return <Loaded key={id} call={call} id={id} opened={opened.data} />;
	return (
		<main className="grid gap-4 p-6">
			<h1 className="m-0 text-xl font-bold">{opened.error ? 'This box cannot be shown' : 'Opening the box'}</h1>
			<Problem error={opened.error} again={() => opened.refetch()} />
			<Link to={`/calls/${call}`} className="inline-flex min-h-11 items-center underline underline-offset-4">
				Back to the call
			</Link>
		</main>
	);
}

function Loaded({ call, id, opened }: { call: number; id: string; opened: OpenedBox }) {
	const about = useCall(call);
	const go = useNavigate();
	const set = useSetBox(call, id);
	// Until the server has it, what is entered is kept in the browser: a reload loses nothing.
	const [draft, setDraft, drop] = useDraft<Box | null>(`box.${call}.${id}`, null);
	const box = draft ?? opened.box;
	const [entering, setEntering] = useState(!opened.recorded || draft !== null);
	const [shown, setShown] = useState<Shown>('plan');
	const [sheet, setSheet] = useState<SheetKey>('steps');
	const [picked, pick] = useState('');
	const plan = opened.plan;
	const lit = plan.steps.find((s) => s.code === picked)?.points ?? [];
	const save = (next: Box) => {
		setDraft(next);
		set.mutate(next, { onSuccess: drop });
	};
	const unsent = useRef(draft);
	// biome-ignore lint/correctness/useExhaustiveDependencies: once, for what an earlier page had not sent
	useEffect(() => {
		if (unsent.current) save(unsent.current);
	}, []);
	const wide = shown === 'both';
	// On a phone what the plan asks stands over the drawing, until it is answered.
	const asks = !entering && plan.asks.length > 0;
	// Until it is said what it was, that question stands before all else.
	const asked = about.data?.move.kind === 'look-in' && about.data.move.box === id;
	return (
		<div className="box-page flex min-h-dvh flex-col">
			<header className="flex flex-col border-b-2 border-ink wide:flex-row">
				<div className="flex min-w-0 grow items-center gap-x-3 py-1.5 pr-2 pl-3 wide:pl-5">
					<Link
						to={`/calls/${call}`}
						aria-label="Back to the call"
						aria-keyshortcuts="h"
						className="grid size-11 shrink-0 place-items-center hover:bg-wash print:hidden"
					>
						<Mark />
					</Link>
					<div className="min-w-0 grow">
						<h1 className="m-0 truncate text-lg/tight font-bold">{opened.label}</h1>
						<p className="m-0 truncate text-soft">
							opened box
							{about.data && `, ${about.data.title}, breaker ${about.data.breaker.label || '?'}`}
						</p>
					</div>
					<Button kind="quiet" className="max-wide:hidden print:hidden" onClick={() => window.print()}>
						Print
					</Button>
					<span className="flex print:hidden">
						{about.data && <UndoButtons call={about.data} />}
						{about.data && <HazardButton call={about.data} place={opened.box.id} />}
						<ThemeButton />
					</span>
				</div>
				{about.data && (
					<div className="contents print:hidden">
						<Phases call={about.data} />
					</div>
				)}
			</header>
			{about.data && <Hazards call={about.data} />}
			<main className="flex grow flex-col">
				{about.data && (
					<DangerBand call={about.data} exclude={(d) => go(`/calls/${call}?at=${d.at}&tool=${d.tool ?? 'sensor'}`)} />
				)}
				{about.data && <SetTwice call={about.data} className="mx-4 mt-3 wide:mx-6" />}
				{about.data && asked && (
					<div className="px-4 pt-3 wide:px-6">
						<WhatWasIt call={about.data} opened={opened} />
					</div>
				)}
				{asks && (
					<aside aria-label="Asked" className="px-4 pt-3 wide:hidden print:hidden">
						<Asks plan={plan} box={box} save={save} />
					</aside>
				)}
				<Standing opened={opened} call={call} toFindings={() => [setEntering(false), setSheet('findings')]} />
				<div
					className={`flex grow flex-col wide:grid wide:content-start ${wide ? '' : 'wide:grid-cols-[minmax(0,8fr)_minmax(400px,5fr)]'}`}
				>
					<section
						className={`min-w-0 pt-2 pb-3 max-wide:contents wide:px-5 ${wide ? '' : 'wide:sticky wide:top-0 wide:self-start'}`}
						aria-label="Drawing of the box"
					>
						<Showing shown={shown} setShown={setShown} />
						<div className="max-wide:px-3">
							<Problem error={set.error} />
						</div>
						<Picture
							opened={{ ...opened, box }}
							shown={shown}
							lit={sheet === 'steps' ? lit : []}
							call={call}
							save={save}
							tall={entering}
						/>
					</section>
					<section
						className={`min-w-0 border-rule px-4 pt-2 pb-6 wide:px-5 ${wide ? 'border-t' : 'wide:border-l'} ${shown === 'photograph' ? 'print:hidden' : ''}`}
						aria-label="The work"
					>
						{entering ? (
							<BoxEntry opened={{ ...opened, box }} save={save} close={() => setEntering(false)} />
						) : (
							<>
								<div className="mb-2 flex flex-wrap gap-x-1 border-b-2 border-ink print:hidden" role="tablist">
									{sheets.map((s, i) => (
										<button
											key={s.key}
											type="button"
											role="tab"
											aria-selected={sheet === s.key}
											aria-keyshortcuts={`${showings.length + 1 + i}`}
											onClick={() => setSheet(s.key)}
											className="min-h-11 px-2.5 max-wide:px-1.5 aria-selected:bg-ink aria-selected:font-bold aria-selected:text-paper"
										>
											{s.words}
											{s.key === 'findings' && plan.findings.length > 0 && ` ${plan.findings.length}`}
										</button>
									))}
								</div>
								<Sheet
									sheet={sheet}
									opened={{ ...opened, box }}
									call={call}
									about={about.data}
									save={save}
									picked={picked}
									pick={pick}
									toFindings={() => setSheet('findings')}
								/>
								<Button className="mt-4 print:hidden" onClick={() => setEntering(true)}>
									Correct what is in the box
								</Button>
								{about.data && (
									<div className="mt-6 print:hidden">
										<PicturesOf call={about.data} phase="make-up" box={id} />
									</div>
								)}
							</>
						)}
					</section>
				</div>
			</main>
			{entering && (
				<div className="sticky bottom-0 z-11 border-t-2 border-ink bg-paper px-4 py-2 wide:hidden" data-next>
					<Button
						kind="main"
						className="min-h-14 w-full text-lg"
						onClick={() => {
							setEntering(false);
							window.scrollTo(0, 0);
						}}
					>
						To the plan
					</Button>
				</div>
			)}
			{/* While the box is entered, the plan is the next move. */}
			{about.data && !entering && <NextMove call={about.data} screen="box" box={id} />}
		</div>
	);
}

interface StandingProps {
	opened: OpenedBox;
	call: number;
	toFindings: () => void;
}

/** One line on where the plan stands: stopped, proven, or with something to mend first. */
function Standing({ opened, call, toFindings }: StandingProps) {
	const plan = opened.plan;
	if (opened.madeAt) {
		return (
			<p className="m-0 bg-ink px-4 py-2 font-bold text-paper wide:px-6">
				Made up as planned at {timeOf(opened.madeAt)}.{' '}
				<Link to={`/calls/${call}/prove`} className="underline underline-offset-4">
					Prove it
				</Link>
			</p>
		);
	}
	if (plan.stopped) {
		const dangerous = plan.findings.some((f) => f.stop && f.severity === 'danger');
		return (
			<div className="flex border-b-2 border-ink">
				{dangerous && <i aria-hidden="true" className="stripes w-4 shrink-0" />}
				<p className="m-0 px-4 py-2 text-lg wide:px-6">
					<b>Nothing is planned.</b> {plan.stopped}
				</p>
			</div>
		);
	}
	const open = opened.open.length;
	return (
		<p className="m-0 border-b border-rule px-4 py-2 wide:px-6">
			{open > 0 && (
				<button
					type="button"
					onClick={toFindings}
					className="mr-3 inline-flex min-h-11 items-center bg-ink px-3 font-bold text-paper print:min-h-0"
				>
					{toMend(open)}
				</button>
			)}
			{plan.issued ? (
				<>
					<b>Proven on the circuit model:</b> wired so, no outlet is left reversed, dead, unprotected or unbonded.{' '}
					<span className="text-soft">
						Not proven by it: joints, torque, what is hidden; the readings with the breaker on are for that.
					</span>
				</>
			) : (
				<b>The plan leaves something wrong; the findings say what.</b>
			)}
		</p>
	);
}

const showings: { key: Shown; words: string }[] = [
	{ key: 'plan', words: 'Planned' },
	{ key: 'found', words: 'As found' },
	{ key: 'both', words: 'Side by side' },
	{ key: 'photograph', words: 'Photograph' },
];

function Showing({ shown, setShown }: { shown: Shown; setShown: (s: Shown) => void }) {
	return (
		<div className="mb-2 flex flex-wrap gap-x-2 gap-y-1 max-wide:px-3 max-wide:pt-2 print:hidden">
			{showings.map((s, i) => (
				<button
					key={s.key}
					type="button"
					aria-pressed={shown === s.key}
					aria-keyshortcuts={`${i + 1}`}
					onClick={() => setShown(s.key)}
					className={`min-h-11 border-2 border-ink px-3 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper ${s.key === 'both' ? 'max-wide:hidden' : ''}`}
				>
					{s.words}
				</button>
			))}
		</div>
	);
}

interface PictureProps {
	opened: OpenedBox;
	shown: Shown;
	lit: string[];
	call: number;
	save: (box: Box) => void;
	/** Something is being entered below: the drawing gives way. */
	tall: boolean;
}

function Picture({ opened, shown, lit, call, save, tall }: PictureProps) {
	const { box, plan } = opened;
	const pins = plan.findings.map((finding, i) => ({ finding, number: i + 1 }));
	const planned = (
		<BoxDrawing
			box={box}
			faces={[
				...[...(box.device ? [box.device] : []), ...(box.others ?? [])].map((v) => faceOf(v, v.id)),
				...(box.switches ?? []).map((s) => faceOfSwitch(s.id)),
			]}
			landings={plan.wiring}
			lit={lit}
			pins={pins.filter((p) => !p.finding.cured)}
			label={`The box as planned: ${plan.wiring.length} wires landed`}
		/>
	);
	const old =
		box.existing?.id ||
		opened.landings
			.flat()
			.find((p) => /^[^@:]+\./.test(p))
			?.split('.')[0] ||
		'old';
	const found =
		opened.landings.length > 0 && box.existing ? (
			<BoxDrawing
				box={box}
				faces={[faceOf(box.existing, old)]}
				landings={opened.landings}
				pins={pins}
				label={`The box as found: ${opened.landings.length} wires landed`}
			/>
		) : (
			<p className="m-0 max-w-prose border-2 border-rule p-4 text-soft">
				Not recorded yet. Say how it is wired now under “Correct what is in the box”, or point at each wire on the
				photograph of the pulled device.
			</p>
		);
	if (shown === 'photograph') {
		return (
			<div className="max-wide:px-3">
				<Photograph call={call} opened={opened} save={save} />
			</div>
		);
	}
	if (shown === 'found') return <div className="max-wide:px-3">{found}</div>;
	if (shown === 'plan') {
		return (
			<>
				{/* On a phone it stays in sight while the steps go by. */}
				<div
					className={
						tall
							? 'max-wide:px-3'
							: 'max-wide:sticky max-wide:top-0 max-wide:z-10 max-wide:border-b max-wide:border-rule max-wide:bg-paper max-wide:px-3 max-wide:pb-1'
					}
				>
					{planned}
				</div>
				<div className="pt-2 max-wide:order-last max-wide:px-3 max-wide:pb-4">
					<FillBar fill={plan.fill} />
				</div>
			</>
		);
	}
	return (
		<div className="grid gap-4 max-wide:px-3 wide:grid-cols-2">
			<figure className="m-0 min-w-0">
				<figcaption className="font-bold">As found</figcaption>
				{found}
			</figure>
			<figure className="m-0 min-w-0">
				<figcaption className="font-bold">Planned</figcaption>
				{planned}
			</figure>
		</div>
	);
}

interface SheetProps {
	sheet: SheetKey;
	opened: OpenedBox;
	call: number;
	about: Call | undefined;
	save: (box: Box) => void;
	picked: string;
	pick: (step: string) => void;
	toFindings: () => void;
}

function Sheet({ sheet, opened, call, about, save, picked, pick, toFindings }: SheetProps) {
	const plan = opened.plan;
	switch (sheet) {
		case 'findings':
			return (
				<>
					<div className="max-wide:hidden print:block">
						<Asks plan={plan} box={opened.box} save={save} />
					</div>
					<Findings call={call} opened={opened} save={save} />
				</>
			);
		case 'code':
			return (
				<>
					<Required plan={plan} lead={(way) => <PlanIt call={call} box={opened.box.id} way={way.key} />} />
					<Kinds call={call} box={opened.box} save={save} />
				</>
			);
		case 'proof':
			return <Proofs opened={opened} />;
		case 'parts':
			return <Parts opened={opened} />;
		default:
			return (
				<>
					{about && !(about.move.kind === 'look-in' && about.move.box === opened.box.id) && (
						<WhatWasIt call={about} opened={opened} />
					)}
					<div className="max-wide:hidden print:block">
						<Asks plan={plan} box={opened.box} save={save} />
					</div>
					<Steps call={call} opened={opened} save={save} picked={picked} pick={pick} />
					<MakeUp call={call} opened={opened} toFindings={toFindings} />
				</>
			);
	}
}

/** At the thumb of a phone, over whatever is scrolled under it. */
const thumb =
	'max-wide:sticky max-wide:bottom-0 max-wide:z-11 max-wide:-mx-4 max-wide:border-t-2 max-wide:border-ink max-wide:bg-paper max-wide:px-4 max-wide:py-2';

function MakeUp({ call, opened, toFindings }: { call: number; opened: OpenedBox; toFindings: () => void }) {
	const made = useMakeUp(call, opened.box.id);
	if (!opened.plan.proof || opened.madeAt) return null;
	if (opened.open.length > 0) {
		return (
			<>
				<p className="m-0 mt-3 text-soft print:hidden">
					What must be so is mended, or left by a named qualified person, before the box is made up.
				</p>
				<div className={`mt-2 grid print:hidden ${thumb}`}>
					<Button kind="main" className="min-h-14 text-lg wide:justify-self-start" onClick={toFindings}>
						{toMend(opened.open.length)}
					</Button>
				</div>
			</>
		);
	}
	return (
		<>
			<div className="mt-3 grid gap-2 print:hidden">
				<Caution>
					Local code and the authority having jurisdiction win over this plan. Licensed or otherwise permitted persons
					only.
				</Caution>
				<p className="m-0 text-soft">The run is then as planned; earlier readings stay as found. Undo on the call.</p>
			</div>
			<div className={`mt-2 grid gap-1 print:hidden ${thumb}`}>
				<Problem error={made.error} />
				{made.error && <ToDead call={call} />}
				<Button
					kind="main"
					className="min-h-14 text-lg wide:justify-self-start"
					disabled={made.isPending}
					onClick={() => made.mutate(undefined, { onSuccess: () => window.scrollTo(0, 0) })}
				>
					It is made up so
				</Button>
			</div>
		</>
	);
}

const toMend = (n: number) => `${n} ${n === 1 ? 'thing' : 'things'} to mend first`;

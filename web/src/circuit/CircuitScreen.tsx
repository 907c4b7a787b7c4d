import { useEffect, useRef, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Call, Finding, NewRun, NewRunOrder, NewRunPlan } from '../api/client';
import { useAcceptInNewRun, useCall, useLayNewRun, useNewCall, useNewRun, useSetNewRun } from '../api/hooks';
import { useMay } from '../api/shop';
import { Headline, Standing } from '../box/Findings';
import { Materials } from '../box/Parts';
import { SetTwice, UndoButtons } from '../calls/Beside';
import { DangerBand } from '../calls/DangerBand';
import { HazardButton, Hazards } from '../calls/Hazards';
import { Delta } from '../delta/Delta';
import { useDraft } from '../readings/draft';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { ByName } from '../work/ByName';
import { Bends } from './Bends';
import { Order } from './Order';
import { Steps } from './Steps';
import { WayDrawing } from './WayDrawing';
import { Why } from './Why';
import { hours, protectionWords } from './words';

const sheets = [
	{ key: 'order', words: 'Ordered' },
	{ key: 'steps', words: 'Steps' },
	{ key: 'why', words: 'Why so' },
	{ key: 'findings', words: 'Findings' },
	{ key: 'parts', words: 'Parts' },
	{ key: 'proof', words: 'Proof' },
] as const;
type SheetKey = (typeof sheets)[number]['key'];

/** A new run: what it serves, the way it takes, and everything that follows from that. */
export function CircuitScreen() {
	const params = useParams();
	const id = Number(params.call);
	const call = useCall(id);
	const run = useNewRun(id, params.run ?? '');
	useEffect(() => {
		if (run.data) document.title = `${run.data.order.name || 'New circuit'}, Elvat`;
	}, [run.data]);
	if (run.data && call.data) return <Loaded key={run.data.order.id} call={call.data} run={run.data} />;
	return (
		<main className="grid gap-4 p-6">
			<h1 className="m-0 text-xl font-bold">{run.error ? 'This circuit cannot be shown' : 'Opening the circuit'}</h1>
			<Problem error={run.error ?? call.error} again={() => run.refetch()} />
			<Link to={`/calls/${id}`} className="inline-flex min-h-11 items-center underline underline-offset-4">
				Back to the call
			</Link>
		</main>
	);
}

function Loaded({ call, run }: { call: Call; run: NewRun }) {
	const go = useNavigate();
	const set = useSetNewRun(call.id, run.order.id);
	// Until it is kept, what is entered stays in the browser: a reload loses nothing.
	const [draft, setDraft, drop] = useDraft<NewRunOrder | null>(`new-run.${call.id}.${run.order.id}`, null);
	const order = draft ?? run.order;
	const [sheet, setSheet] = useState<SheetKey>(run.done.length > 0 ? 'steps' : 'order');
	const save = (next: NewRunOrder) => {
		setDraft(next);
		set.mutate(next, { onSuccess: drop });
	};
	const unsent = useRef(draft);
	// biome-ignore lint/correctness/useExhaustiveDependencies: once, for what an earlier page had not sent
	useEffect(() => {
		if (unsent.current) save(unsent.current);
	}, []);
	const plan = run.plan;
	const open = run.open.length;
	return (
		<div className="flex min-h-dvh flex-col">
			<header className="flex items-center gap-3 border-b-2 border-ink py-1.5 pr-2 pl-3 wide:pl-5">
				<Link
					to={`/calls/${call.id}`}
					aria-label="Back to the call"
					aria-keyshortcuts="h"
					className="grid size-11 shrink-0 place-items-center hover:bg-wash print:hidden"
				>
					<Mark />
				</Link>
				<div className="min-w-0 grow">
					<h1 className="m-0 truncate text-lg/tight font-bold">{order.name || 'New circuit'}</h1>
					<p className="m-0 truncate text-soft">
						{(order.from ?? 'panel') === 'panel' ? 'a new circuit' : 'the run goes on'}, {call.title}
					</p>
				</div>
				<Button kind="quiet" className="max-wide:hidden print:hidden" onClick={() => window.print()}>
					Print
				</Button>
				<span className="flex print:hidden">
					<UndoButtons call={call} />
					<HazardButton call={call} />
					<ThemeButton />
				</span>
			</header>
			<Hazards call={call} />
			<main className="flex grow flex-col">
				<DangerBand call={call} exclude={(d) => go(`/calls/${call.id}?at=${d.at}&tool=${d.tool ?? 'sensor'}`)} />
				<SetTwice call={call} className="mx-4 mt-3 wide:mx-6" />
				{plan && <Answer plan={plan} />}
				<div className="px-4 wide:px-6">
					<Problem error={set.error} />
					{run.wrong && <Problem error={new Error(run.wrong)} />}
				</div>
				{plan && (
					<section aria-label="Drawing of the way" className="border-b border-rule px-4 py-3 wide:px-6">
						<WayDrawing
							plan={plan}
							pick={(outlet) => {
								setSheet('order');
								setTimeout(() => document.getElementById(`outlet-${outlet}`)?.scrollIntoView({ block: 'start' }));
							}}
						/>
					</section>
				)}
				<div className="grid grow content-start gap-x-8 px-4 pb-24 wide:grid-cols-[minmax(0,1fr)_minmax(0,1fr)] wide:px-6">
					<div
						className="col-span-full mt-2 mb-3 flex flex-wrap gap-x-1 border-b-2 border-ink print:hidden"
						role="tablist"
					>
						{sheets.map((s) => (
							<button
								key={s.key}
								type="button"
								role="tab"
								aria-selected={sheet === s.key}
								onClick={() => setSheet(s.key)}
								className="min-h-11 px-2.5 max-wide:px-1.5 aria-selected:bg-ink aria-selected:font-bold aria-selected:text-paper"
							>
								{s.words}
								{s.key === 'findings' && plan && plan.findings.length > 0 && ` ${plan.findings.length}`}
							</button>
						))}
					</div>
					{sheet === 'order' ? (
						<>
							<Order run={run} order={order} save={save} />
							{plan && (
								<div className="grid content-start gap-4 max-wide:mt-6">
									{plan.asks.length > 0 && <Asked plan={plan} order={order} />}
									<Bends plan={plan} />
									{plan.asks.length === 0 && <Why plan={plan} />}
								</div>
							)}
						</>
					) : plan ? (
						<Sheet sheet={sheet} call={call} run={run} plan={plan} />
					) : (
						<p className="m-0">There is no plan of it as it is ordered. What is wrong stands above.</p>
					)}
				</div>
			</main>
			<Onward call={call} run={run} open={open} show={setSheet} />
		</div>
	);
}

/** What it comes to, at arm's length. */
function Answer({ plan }: { plan: NewRunPlan }) {
	const c = plan.conductor;
	const cells: [string, string, string][] = [
		[
			`${plan.breaker.amps} A`,
			plan.breaker.protection === 'unknown' ? '' : (protectionWords[plan.breaker.protection] ?? ''),
			`breaker${plan.breaker.label ? ` ${plan.breaker.label}` : ', no number yet'}`,
		],
		[
			`${c.awg} AWG`,
			plan.stretches
				.map((s) => s.method)
				.filter((m, i, all) => all.indexOf(m) === i)
				.join(' and '),
			`carries ${round(c.ampacity)} A`,
		],
		[`${round(c.drop.percent)} %`, `${round(c.drop.volts)} V`, `drop over ${Math.round(c.drop.feet)} ft`],
		[`${hours(plan.minutes.least)} to ${hours(plan.minutes.most)}`, '', `usually ${hours(plan.minutes.usual)}`],
		[
			`$${Math.round(plan.parts + plan.labour)}`,
			'',
			`parts $${Math.round(plan.parts)}, labour $${Math.round(plan.labour)}`,
		],
	];
	return (
		<ul aria-label="What it comes to" className="m-0 flex list-none flex-wrap border-b-2 border-ink p-0">
			{cells.map(([large, beside, under]) => (
				<li key={under} className="grow basis-36 border-r border-rule px-4 py-2 last:border-0 wide:px-6">
					<b className="text-2xl">{large}</b> <span>{beside}</span>
					<span className="block text-soft">{under}</span>
				</li>
			))}
		</ul>
	);
}

const round = (v: number) => (v >= 10 ? Math.round(v) : Math.round(v * 10) / 10);

/** What is not known and decides. */
function Asked({ plan, order }: { plan: NewRunPlan; order: NewRunOrder }) {
	// Where it is said: the outlet's part of the order, or the panel's.
	const part = (field: string) => {
		const [of, id] = field.split('.');
		return of === 'outlets' || of === 'boxes' ? `outlet-${id}` : 'the-panel';
	};
	const outlet = (field: string) =>
		order.outlets.length > 1 ? order.outlets.find((o) => `outlet-${o.id}` === part(field))?.label : undefined;
	const show = (field: string) => {
		const at = document.getElementById(part(field));
		for (const more of at?.querySelectorAll('details') ?? []) more.open = true;
		at?.scrollIntoView({ block: 'start' });
		at?.querySelector<HTMLElement>('input, select, button')?.focus({ preventScroll: true });
	};
	return (
		<section aria-label="Not known" className="border-l-4 border-accent pl-3">
			<h2 className="m-0 text-base font-bold">Not known, and it decides</h2>
			<ul className="m-0 list-none p-0">
				{plan.asks.map((a) => (
					<li key={a.field + a.words} className="border-b border-rule last:border-0">
						<button
							type="button"
							className="min-h-11 w-full py-1.5 text-left underline decoration-hair underline-offset-4"
							onClick={() => show(a.field)}
						>
							{outlet(a.field) && `${outlet(a.field)}: `}
							{a.words}
						</button>
					</li>
				))}
			</ul>
		</section>
	);
}

interface SheetProps {
	sheet: SheetKey;
	call: Call;
	run: NewRun;
	plan: NewRunPlan;
}

function Sheet({ sheet, call, run, plan }: SheetProps) {
	switch (sheet) {
		case 'steps':
			return (
				<>
					<Steps call={call} run={run} plan={plan} />
					<div className="grid content-start gap-4">
						<Bends plan={plan} />
					</div>
				</>
			);
		case 'why':
			return <Why plan={plan} wide />;
		case 'findings':
			return <Findings call={call} run={run} plan={plan} />;
		case 'parts':
			return (
				<>
					<div className="grid content-start gap-4">
						<Materials materials={plan.materials} />
						<Link
							to={`/calls/${call.id}/price`}
							className="inline-flex min-h-11 items-center font-bold underline decoration-hair underline-offset-4"
						>
							Quote and invoice
						</Link>
					</div>
					<section aria-label="Minutes" className="grid content-start max-wide:mt-6">
						<h2 className="m-0 border-b-2 border-ink text-base font-bold">Minutes</h2>
						<ul className="m-0 list-none p-0">
							{plan.minutes.parts.map((m) => (
								<li key={m.words} className="flex gap-3 border-b border-rule py-1.5">
									<span className="grow">{m.words}</span>
									<span className="mono">{Math.round(m.usual)}</span>
								</li>
							))}
							<li className="flex gap-3 border-t-2 border-ink py-1.5">
								<b className="grow">
									Usually; of ten such jobs, eight between {hours(plan.minutes.least)} and {hours(plan.minutes.most)}
								</b>
								<b className="mono">{Math.round(plan.minutes.usual)}</b>
							</li>
						</ul>
					</section>
				</>
			);
		default:
			return <Predicted plan={plan} />;
	}
}

/** What the testers will show, outlet by outlet. */
function Predicted({ plan }: { plan: NewRunPlan }) {
	return (
		<section aria-label="When it is done" className="grid content-start gap-3">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">When it is done</h2>
			<ul className="m-0 list-none p-0">
				{plan.boxes.map((b) => {
					const outlet = b.plan.proof?.outlets.find((o) => o.at === b.box.device?.id);
					return (
						<li key={b.outlet} className="flex items-center gap-3 border-b border-rule py-1">
							{outlet && <Delta delta={outlet.delta} />}
							<span className="min-w-0 grow">
								<b className="block">{b.label}</b>
								<span className={outlet?.problems.length ? 'font-bold' : 'text-soft'}>
									{outlet ? (outlet.problems.length ? outlet.problems.join('; ') : outlet.says) : 'no plan yet'}
									{outlet && outlet.behind.length > 0 && `, behind ${outlet.behind.join(' and ')}`}
								</span>
							</span>
						</li>
					);
				})}
			</ul>
			<p className="m-0 text-soft">
				Worked out on the circuit model. Once it is laid, each is read again and held against this.
			</p>
		</section>
	);
}

function Findings({ call, run, plan }: { call: Call; run: NewRun; plan: NewRunPlan }) {
	const [leaving, setLeaving] = useState<Finding | null>(null);
	const accept = useAcceptInNewRun(call.id, run.order.id);
	const may = useMay('override');
	if (plan.findings.length === 0) return <p className="m-0">Nothing stands against it.</p>;
	return (
		<ol className="col-span-full m-0 max-w-3xl list-none p-0" aria-label="Findings">
			{plan.findings.map((f) => {
				const by = run.accepted.find((a) => a.key === f.key);
				return (
					<li key={f.key + f.text} className="border-b border-rule py-2">
						<Headline f={f} />
						<p className="m-0 mt-1">
							{f.cured && <b>The plan puts it right. </b>}
							{by && (
								<b>
									Left as it is, {by.by}: {by.why}.{' '}
								</b>
							)}
							{f.fix}
						</p>
						<p className="m-0">
							<Standing f={f} />
						</p>
						{run.open.includes(f.key) && !f.stop && may && !run.laidAt && (
							<Button kind="quiet" aria-expanded={leaving === f} onClick={() => setLeaving(leaving === f ? null : f)}>
								Leave it, by name
							</Button>
						)}
						{leaving === f && (
							<ByName
								label="Leave the finding"
								words="Leave it so and record it"
								who="who answers for it"
								busy={accept.isPending}
								error={accept.error}
								answer={(taken) =>
									accept.mutate(
										{ key: f.key, by: `${taken.who}, ${taken.standing}`, why: taken.reason },
										{ onSuccess: () => setLeaving(null) },
									)
								}
							>
								<Caution>
									A qualified person only, where local law lets it be left. It stands on the paper, with name and
									reason.
								</Caution>
							</ByName>
						)}
					</li>
				);
			})}
		</ol>
	);
}

/** The one next move, at the thumb. */
function Onward({ call, run, open, show }: { call: Call; run: NewRun; open: number; show: (sheet: SheetKey) => void }) {
	const go = useNavigate();
	const lay = useLayNewRun(call.id, run.order.id);
	const begin = useNewCall();
	const own = (run.order.from ?? 'panel') === 'panel';
	const prove = () => {
		if (!own) return go(`/calls/${call.id}/prove`);
		begin.mutate(
			{
				title: run.plan?.name ?? 'New circuit',
				complaint: `New circuit, laid on the call “${call.title}”`,
				...(call.site > 0 ? { site: call.site } : {}),
				laid: { ...run.order },
			},
			{ onSuccess: (now) => go(`/calls/${now.id}/prove`) },
		);
	};
	const left = run.gate.missing.length;
	return (
		<div className="sticky bottom-0 grid gap-2 border-t-2 border-ink bg-paper px-4 py-2 wide:px-6 print:hidden">
			<Problem error={lay.error ?? begin.error} />
			<div className="flex flex-wrap items-center gap-x-4 gap-y-1">
				<p className="m-0 grow" aria-live="polite">
					{run.laidAt ? (
						<b>Laid. Every outlet is proven now.</b>
					) : open > 0 ? (
						<>
							<b>{open === 1 ? 'One finding' : `${open} findings`} to mend</b>, or left by a named person.
						</>
					) : left > 0 ? (
						<>
							Next: <b>{run.gate.missing[0]}</b>
						</>
					) : (
						<b>All of it is done.</b>
					)}
				</p>
				{run.laidAt ? (
					<Button kind="main" className="max-wide:w-full" disabled={begin.isPending} onClick={prove}>
						Prove it
					</Button>
				) : open > 0 ? (
					<Button kind="main" className="max-wide:w-full" onClick={() => show('findings')}>
						Go through the findings
					</Button>
				) : left > 0 ? (
					<Button kind="main" className="max-wide:w-full" onClick={() => show('steps')}>
						Go on with the steps
					</Button>
				) : (
					<Button
						kind="main"
						className="max-wide:w-full"
						disabled={lay.isPending}
						onClick={() => lay.mutate(undefined as never)}
					>
						It is laid
					</Button>
				)}
			</div>
		</div>
	);
}

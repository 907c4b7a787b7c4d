import { type FormEvent, type ReactNode, useState } from 'react';
import { Link } from 'react-router';
import type { Call, Entry, Report, Work } from '../api/client';
import { useAddEntry, useReport } from '../api/hooks';
import { newID } from '../api/newID';
import { Clock } from '../day/Clock';
import { Delta } from '../delta/Delta';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { useTyped } from '../ui/typed';
import { dayOf, timeOf } from '../ui/words';
import { WorkFrame } from './Frame';
import { GateLine } from './Gates';
import { Pictures } from './Pictures';
import { ResultLink } from './ResultLink';
import { Signature, SignaturePad } from './Signature';

/** Hand over: what the report will say, the papers, and who hands it to whom. */
export function HandOverScreen() {
	return (
		<WorkFrame title="Hand over" screen="hand-over">
			{(call, work) =>
				call.drill ? (
					<p className="m-0 text-lg">
						A drill is handed to nobody, and has no papers: it is ended above, and{' '}
						<Link to={`/calls/${call.id}/drill`} className="underline underline-offset-4">
							its score
						</Link>{' '}
						tells what it came to.
					</p>
				) : (
					<>
						<div className="grid content-start gap-6 wide:order-2">
							{work.handedOver ? (
								<>
									<p className="m-0 bg-ink px-4 py-3 text-lg font-bold text-paper">
										Handed over at {timeOf(work.handedOver)}.
									</p>
									<ResultLink call={call} />
								</>
							) : (
								<>
									<GateLine call={call} gate={work.handOver} />
									<Sign call={call} work={work} />
								</>
							)}
							<Clock call={call} />
							<Papers call={call} />
							<Additions call={call} />
							<Pictures call={call} work={work} phase="hand over" all />
						</div>
						<Preview call={call} />
					</>
				)
			}
		</WorkFrame>
	);
}

function Sign({ call, work }: { call: Call; work: Work }) {
	const add = useAddEntry(call.id);
	const [who, setWho] = useState('');
	const [to, setTo] = useState('');
	const [signature, setSignature] = useState('');
	const submit = (e: FormEvent) => {
		e.preventDefault();
		add.mutate({ id: newID(), entry: { kind: 'handed-over', who, to, signature: signature || undefined } });
	};
	return (
		<form onSubmit={submit} className="grid gap-2" aria-label="Hand over">
			<label className="grid gap-1 text-soft">
				handed over by
				<input className={field} value={who} onChange={(e) => setWho(e.target.value)} />
			</label>
			<label className="grid gap-1 text-soft">
				to
				<input className={field} value={to} onChange={(e) => setTo(e.target.value)} />
			</label>
			<SignaturePad path={signature} keep={setSignature} name={to} />
			<Problem error={add.error} />
			<Button
				type="submit"
				kind={work.handOver.open ? 'main' : 'plain'}
				className="min-h-14 text-lg"
				disabled={add.isPending}
			>
				Hand it over
			</Button>
		</form>
	);
}

const papers = [
	{ name: 'report.pdf', words: 'Report' },
	{ name: 'labels.pdf', words: 'Directory and labels' },
	{ name: 'readings.csv', words: 'Readings, as a table' },
	{ name: 'tests.ics', words: 'GFCI tests, for a calendar' },
	{ name: 'run.svg', words: 'The run, drawn' },
];

function Papers({ call }: { call: Call }) {
	return (
		<section aria-label="Papers">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">Papers</h2>
			<ul className="m-0 list-none p-0">
				{papers.map((p) => (
					<li key={p.name} className="border-b border-rule">
						<a
							href={`/api/v1/calls/${call.id}/papers/${p.name}`}
							target="_blank"
							rel="noreferrer"
							className="flex min-h-11 items-center gap-3 underline decoration-hair underline-offset-4"
						>
							<b className="grow">{p.words}</b>
							<span className="mono text-soft">{p.name.split('.')[1]}</span>
						</a>
					</li>
				))}
				<li className="border-b border-rule">
					<Link
						to={`/calls/${call.id}/price`}
						className="flex min-h-11 items-center font-bold underline decoration-hair underline-offset-4"
					>
						Quote and invoice
					</Link>
				</li>
				<li className="border-b border-rule">
					<a
						href={`/api/v1/calls/${call.id}/circuit`}
						download
						className="flex min-h-11 items-center gap-3 underline decoration-hair underline-offset-4"
					>
						<b className="grow">The circuit file</b>
						<span className="mono text-soft">json</span>
					</a>
				</li>
			</ul>
		</section>
	);
}

/** What goes into the report besides: a marking put on, a part used, a note. */
function Additions({ call }: { call: Call }) {
	const add = useAddEntry(call.id);
	const [kind, setKind] = useState<'marking' | 'part' | 'note'>('note');
	const [text, setText, take] = useTyped();
	const submit = (e: FormEvent) => {
		e.preventDefault();
		take((text) => {
			const entry: Entry = { kind, text, ...(kind === 'part' ? { count: 1 } : {}) };
			return add.mutateAsync({ id: newID(), entry });
		});
	};
	return (
		<form onSubmit={submit} className="grid gap-2" aria-label="Add to the report">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">Add to the report</h2>
			<div className="flex flex-wrap gap-2">
				<select
					aria-label="what"
					className={field}
					value={kind}
					onChange={(e) => setKind(e.target.value as typeof kind)}
				>
					<option value="note">note</option>
					<option value="marking">marking put on</option>
					<option value="part">part used</option>
				</select>
				<input
					aria-label="in words"
					className={`${field} grow`}
					value={text}
					onChange={(e) => setText(e.target.value)}
				/>
				<Button type="submit">Add</Button>
			</div>
			<Problem error={add.error} />
		</form>
	);
}

function Preview({ call }: { call: Call }) {
	const report = useReport(call.id);
	const r = report.data;
	return (
		<article className="content-start bg-sheet p-4 wide:p-6" aria-label="The report">
			<Problem error={report.error} again={() => report.refetch()} />
			{r && (
				<>
					<h2 className="m-0 text-2xl font-bold">{r.title}</h2>
					<p className="m-0 text-soft">
						{[r.shop, r.breaker, `called ${dayOf(r.calledAt)} ${timeOf(r.calledAt)}`].filter(Boolean).join(', ')}
					</p>
					{r.complaint && <p className="m-0">Complaint: {r.complaint}</p>}
					<p className="m-0 mt-3 text-lg font-bold">{r.standing}</p>
					{r.by && (
						<p className="m-0">
							Handed over by {r.by} to {r.to}.
						</p>
					)}
					{r.signature && <Signature path={r.signature} words={`Signed by ${r.to}`} />}
					<Part title="Cause" lines={r.cause} />
					<AsFound r={r} />
					<Part title="What was done" lines={r.done?.map((d) => `${timeOf(d.at)} ${d.words}`)} />
					<Part title="Gates passed by a person" lines={r.overrides} />
					<Part
						title="Findings put right"
						lines={r.fixedFindings?.map((f) => `${f.text}${f.section ? ` NEC ${f.section}, ${f.edition}.` : ''}`)}
					/>
					<Part
						title="Findings left open"
						lines={r.openFindings?.map(
							(f) => `${f.text} ${f.fix}${f.section ? ` NEC ${f.section}, ${f.edition}.` : ''}`,
						)}
					/>
					<Part title="Markings applied" lines={r.markings} />
					<Part title="Parts" lines={r.parts} />
					<Part title="Next tests due" lines={r.due?.map((d) => `${dayOf(d.when)}: ${d.what}`)} />
					<Part title="Cautions" lines={r.cautions} />
				</>
			)}
		</article>
	);
}

function Part({ title, lines, children }: { title: string; lines?: string[] | null; children?: ReactNode }) {
	if (!lines?.length && !children) return null;
	return (
		<section className="mt-4" aria-label={title}>
			<h3 className="m-0 border-b border-ink text-base font-bold">{title}</h3>
			{children}
			<ul className="m-0 list-none p-0">
				{lines?.map((line) => (
					<li key={line} className="py-0.5 whitespace-pre-wrap">
						{line}
					</li>
				))}
			</ul>
		</section>
	);
}

function AsFound({ r }: { r: Report }) {
	if (!r.asFound?.length) return null;
	return (
		<Part title="As found">
			<ul className="m-0 grid list-none gap-x-6 p-0 wide:grid-cols-2">
				{r.asFound
					.filter((o) => o.half)
					.map((o) => (
						<li key={`${o.label} ${o.half}`} className="flex items-center gap-2 py-0.5">
							<Delta delta={o.delta} size={36} />
							<span>
								{o.label}
								{o.half && `, ${o.half}`}
							</span>
						</li>
					))}
			</ul>
		</Part>
	);
}

import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import type { Call, CallPrice, PriceLine, PricePaper } from '../api/client';
import { useAcceptQuote, useCallPrice, useCreditInvoice, useIssueInvoice, useMakeQuote } from '../api/day';
import { useCall } from '../api/hooks';
import { useMay } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dateOf, numberIn, percent } from '../ui/words';
import { Signature, SignaturePad } from '../work/Signature';
import { money, percentOf } from './words';

/** What a call costs: the quote before it, the invoice after it. */
export function PriceScreen() {
	const id = Number(useParams().call);
	const call = useCall(id);
	const price = useCallPrice(id);
	const back = `/calls/${id}`;
	if (!call.data || !price.data) {
		return (
			<Page
				title={call.error || price.error ? 'This price cannot be shown' : 'Working it out'}
				back={back}
				backWords="Back to the call"
			>
				<Problem error={call.error ?? price.error} again={() => price.refetch()} />
			</Page>
		);
	}
	return (
		<Page title="Price" under={call.data.title} back={back} backWords="Back to the call">
			<div className="grid gap-x-10 gap-y-6 wide:grid-cols-2">
				<Quote call={call.data} price={price.data} />
				<Invoice call={call.data} price={price.data} />
			</div>
			<p className="m-0 max-w-3xl text-soft">
				What is charged stands on the{' '}
				<Link to="/practice/prices" className="underline underline-offset-4">
					price list
				</Link>
				. Nothing is paid here.
			</p>
		</Page>
	);
}

interface Props {
	call: Call;
	price: CallPrice;
}

interface Chosen {
	discount: string;
	minutes: string;
	tasks: string[];
}

/** What can be chosen of a paper before it is made. */
function Choice({
	price,
	usual,
	choice,
	set,
}: {
	price: CallPrice;
	/** The minutes that are charged where nobody says others. */
	usual: string;
	choice: Chosen;
	set: (choice: Chosen) => void;
}) {
	const { discounts, tasks } = price.list;
	return (
		<div className="flex flex-wrap items-center gap-x-4 gap-y-2 text-soft">
			<label className="flex items-center gap-2">
				minutes
				<input
					className={`${field} mono w-20 text-right`}
					inputMode="decimal"
					placeholder={usual}
					value={choice.minutes}
					onChange={(e) => set({ ...choice, minutes: e.target.value })}
				/>
			</label>
			{discounts && discounts.length > 0 && (
				<label className="flex items-center gap-2">
					discount
					<select
						className={field}
						value={choice.discount}
						onChange={(e) => set({ ...choice, discount: e.target.value })}
					>
						<option value="">none</option>
						{discounts.map((d) => (
							<option key={d.name} value={d.name}>
								{d.name}, {percentOf(d.basis)}
							</option>
						))}
					</select>
				</label>
			)}
			{tasks?.map((t) => (
				<label key={t.code} className="flex min-h-11 items-center gap-2">
					<input
						type="checkbox"
						className="size-6 accent-accent"
						checked={choice.tasks.includes(t.code)}
						onChange={(e) =>
							set({
								...choice,
								tasks: e.target.checked ? [...choice.tasks, t.code] : choice.tasks.filter((x) => x !== t.code),
							})
						}
					/>
					{t.words}, {money(t.cents, price.list.currency)}
				</label>
			))}
		</div>
	);
}

/** As it is asked for: what was not touched is as the call says. */
function asked(choice: Chosen) {
	const minutes = numberIn(choice.minutes);
	return {
		...(choice.discount ? { discount: choice.discount } : {}),
		...(Number.isNaN(minutes) ? {} : { minutes }),
		...(choice.tasks.length > 0 ? { tasks: choice.tasks } : {}),
	};
}

const minutesOf = (paper: PricePaper | undefined) => {
	const labour = paper?.lines.find((n) => n.kind === 'labour');
	return labour ? String(labour.count) : '';
};

function Quote({ call, price }: Props) {
	const make = useMakeQuote(call.id);
	const accept = useAcceptQuote(call.id);
	const may = useMay('plan');
	const [choice, setChoice] = useState<Chosen>({ discount: '', minutes: '', tasks: [] });
	const shown = useCallPrice(call.id, asked(choice));
	const [anew, setAnew] = useState(false);
	const [by, setBy] = useState('');
	const [signature, sign] = useState('');
	const quote = price.quote;
	return (
		<Part title={quote && !anew ? 'Quote' : 'What it would come to'}>
			<Paper paper={quote && !anew ? quote : (shown.data?.now ?? price.now)} />
			{anew ? null : quote?.accepted ? (
				<div>
					<p className="m-0">
						<b>Accepted by {quote.accepted.by}</b>, {dateOf(quote.accepted.at)}.
					</p>
					{quote.accepted.signature && (
						<Signature path={quote.accepted.signature} words={`Signature of ${quote.accepted.by}`} />
					)}
				</div>
			) : (
				quote &&
				may && (
					<form
						aria-label="The customer accepts"
						className="grid gap-2 border-l-4 border-accent pl-3"
						onSubmit={(e) => {
							e.preventDefault();
							accept.mutate({ by, signature: signature || undefined });
						}}
					>
						<label className="grid gap-1 text-soft">
							who accepts it
							<input className={field} value={by} onChange={(e) => setBy(e.target.value)} />
						</label>
						<SignaturePad path={signature} keep={sign} name={by || 'the customer'} />
						<Button kind="main" type="submit" className="justify-self-start" disabled={accept.isPending || !by.trim()}>
							The customer accepts the quote
						</Button>
						<Problem error={accept.error} />
					</form>
				)
			)}
			{may && (!quote || anew) && <Choice price={price} usual={minutesOf(price.now)} choice={choice} set={setChoice} />}
			{may && (
				<div className="flex flex-wrap items-center gap-2">
					{quote && !anew ? (
						<Button kind="quiet" onClick={() => setAnew(true)}>
							Make it anew
						</Button>
					) : (
						<Button
							kind="main"
							disabled={make.isPending}
							onClick={() => make.mutate(asked(choice), { onSuccess: () => setAnew(false) })}
						>
							Keep it as the quote
						</Button>
					)}
					{anew && (
						<Button kind="quiet" onClick={() => setAnew(false)}>
							As it was
						</Button>
					)}
					{quote && !anew && (
						<a
							href={`/api/v1/calls/${call.id}/quote.pdf`}
							className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
						>
							Quote as PDF
						</a>
					)}
				</div>
			)}
			<Problem error={make.error ?? shown.error} />
		</Part>
	);
}

function Invoice({ call, price }: Props) {
	const issue = useIssueInvoice(call.id);
	const credit = useCreditInvoice(call.id);
	const may = useMay('plan');
	const [choice, setChoice] = useState<Chosen>({ discount: price.quote?.discount?.name ?? '', minutes: '', tasks: [] });
	const shown = useCallPrice(call.id, asked(choice));
	const invoice = shown.data ? shown.data.invoice : price.invoice;
	const most = price.quote?.accepted ? price.quote.most : undefined;
	const [why, setWhy] = useState('');
	const open = price.issued.filter((i) => !i.of && !i.credited);
	useEffect(() => {
		document.title = `Price, ${call.title}, Elvat`;
	}, [call.title]);
	return (
		<Part title="Invoice">
			{price.issued.map((i) => (
				<div key={i.number} className="grid gap-1 border-b border-rule pb-2">
					<p className="m-0 flex flex-wrap items-baseline gap-x-3">
						<b className="text-lg">
							{i.of ? 'Credit note' : 'Invoice'} {i.document.number}
						</b>
						<span className={i.credited ? 'line-through' : ''}>
							{money(i.document.totals.gross, i.document.currency)}
						</span>
						<span className="text-soft">
							{dateOf(i.document.at)}
							{i.of && `, takes back ${i.document.of}: ${i.document.why}`}
							{i.credited && ', credited'}
						</span>
					</p>
					<p className="m-0 flex flex-wrap gap-x-4">
						{(['pdf', 'xml', 'csv'] as const).map((as) => (
							<a
								key={as}
								href={`/api/v1/invoices/${i.number}/invoice.${as}`}
								className="inline-flex min-h-11 min-w-11 items-center underline decoration-hair underline-offset-4"
							>
								{{ pdf: 'PDF', xml: 'UBL', csv: 'CSV' }[as]}
							</a>
						))}
					</p>
				</div>
			))}
			{may && open[0] && (
				<form
					aria-label="Credit it"
					className="flex flex-wrap items-center gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						if (open[0]) credit.mutate({ invoice: open[0].number, why }, { onSuccess: () => setWhy('') });
					}}
				>
					<label className="flex min-w-0 grow items-center gap-2 text-soft">
						what was wrong with {open[0].document.number}
						<input className={`${field} min-w-0 grow`} value={why} onChange={(e) => setWhy(e.target.value)} />
					</label>
					<Button type="submit" disabled={credit.isPending || !why.trim()}>
						Credit it
					</Button>
					<Problem error={credit.error} />
				</form>
			)}
			{open.length === 0 && (
				<>
					{invoice ? <Paper paper={invoice} /> : <p className="m-0">{shown.data?.nothing ?? price.nothing}</p>}
					{invoice && most !== undefined && invoice.totals.gross > most && (
						<b className="border-l-4 border-ink pl-2">
							Above the {money(most, invoice.currency)} that were accepted at the most: say so before it is issued.
						</b>
					)}
					{may && (
						<>
							<p className="m-0 text-soft">
								Of what was used up, and the minutes between <i>arrived</i> and <i>done</i>.
								{!call.appointment?.doneAt && ' The call is not done yet.'}
							</p>
							<Choice price={price} usual={minutesOf(price.invoice)} choice={choice} set={setChoice} />
							<Button
								kind={call.appointment?.doneAt ? 'main' : 'plain'}
								className="justify-self-start"
								disabled={issue.isPending || shown.isPlaceholderData || !invoice}
								onClick={() => issue.mutate(asked(choice))}
							>
								Issue the invoice
							</Button>
							<p className="m-0 text-soft">
								It gets the next number, and is not changed any more: what is wrong is credited.
							</p>
						</>
					)}
					<Problem error={issue.error ?? shown.error} />
				</>
			)}
		</Part>
	);
}

/** The lines of a paper with their sums. */
function Paper({ paper }: { paper: PricePaper }) {
	const t = paper.totals;
	const cash = (cents: number) => money(cents, paper.currency);
	return (
		<div className="grid gap-2">
			<Lines lines={paper.lines} currency={paper.currency} />
			<dl className="m-0 grid grid-cols-[1fr_auto] gap-x-4 border-t-2 border-ink pt-1">
				{paper.discount && (
					<>
						<dt>
							{paper.discount.name}, {percentOf(paper.discount.basis)} off
						</dt>
						<dd className="mono m-0 text-right">{cash(-t.discount)}</dd>
					</>
				)}
				{t.taxes
					.filter((x) => x.rate > 0)
					.map((x) => (
						<div key={x.rate} className="contents">
							<dt>
								Tax {percentOf(x.rate)} of {cash(x.base)}
							</dt>
							<dd className="mono m-0 text-right">{cash(x.tax)}</dd>
						</div>
					))}
				<dt className="text-lg font-bold">All of it</dt>
				<dd className="mono m-0 text-right text-lg font-bold">{cash(t.gross)}</dd>
			</dl>
			{paper.options && paper.options.length > 0 && (
				<section aria-label="If it is this or that">
					<h3 className="m-0 border-b border-hair text-base font-bold">If it is</h3>
					<ul className="m-0 list-none p-0">
						{paper.options.map((o) => (
							<li key={o.words} className="flex gap-3 border-b border-rule py-1">
								<span className="grow">
									{o.words} <span className="text-soft">{percent(o.probability)}</span>
								</span>
								<b className="mono">{cash(o.totals.gross)}</b>
							</li>
						))}
					</ul>
				</section>
			)}
			{paper.paper === 'quote' && paper.least !== undefined && paper.most !== undefined && (
				<p className="m-0 text-lg">
					<b>
						Between {cash(paper.least)} and {cash(paper.most)}
					</b>
					, tax and all; eight of ten such calls lie between.
				</p>
			)}
		</div>
	);
}

function Lines({ lines, currency }: { lines: PriceLine[]; currency: string }) {
	return (
		<ul className="m-0 list-none p-0">
			{lines.map((n) => (
				<li
					key={n.kind + n.code + n.words}
					className="grid grid-cols-[5rem_1fr_auto] gap-x-3 border-b border-rule py-1"
				>
					<span className="mono text-right">
						{n.count}
						{n.unit && ` ${n.unit}`}
					</span>
					<span>{n.words}</span>
					<span className="mono text-right">{money(n.net, currency)}</span>
				</li>
			))}
		</ul>
	);
}

import { ArrowDown, ArrowLeft, ArrowRight, ArrowUp } from 'lucide-react';
import { type DragEvent, type InputHTMLAttributes, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { CallSummary, DayBook, PlannedStop, VanDay } from '../api/client';
import { useAppoint, useClocks, useDay, useDayOrder, useEndFeed, useMakeFeed, useSetDaySettings } from '../api/day';
import { useMay } from '../api/shop';
import { hours } from '../circuit/words';
import { counted } from '../shop/VansScreen';
import { Button, field } from '../ui/Button';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dateOf, dayOf, numberIn } from '../ui/words';

/** Today, by the clocks of this machine. */
export const today = () => dayAfter(new Date(), 0);

function dayAfter(from: Date, days: number): string {
	const at = new Date(from);
	at.setDate(at.getDate() + days);
	return `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, '0')}-${String(at.getDate()).padStart(2, '0')}`;
}

/** The day as a plan: each van's calls in order, when it is where, what is late, and what to take along. */
export function DaySheet() {
	const date = useParams().date ?? today();
	const day = useDay(date);
	const go = useNavigate();
	const noon = new Date(`${date}T12:00:00`);
	const to = (days: number) => go(`/days/${dayAfter(noon, days)}`);
	return (
		<Page
			title="Day sheet"
			under={dayOf(noon)}
			actions={
				<span className="flex print:hidden">
					<Button kind="quiet" aria-label="Day before" onClick={() => to(-1)}>
						<ArrowLeft size={20} aria-hidden="true" />
					</Button>
					<Button kind="quiet" aria-label="Day after" onClick={() => to(1)}>
						<ArrowRight size={20} aria-hidden="true" />
					</Button>
					<Button kind="quiet" className="max-wide:hidden" onClick={() => window.print()}>
						Print
					</Button>
				</span>
			}
		>
			<Problem error={day.error} again={() => day.refetch()} />
			{day.data && (
				<>
					{day.data.vans.length === 0 && (
						<p className="m-0 text-lg">
							<b>No call has this day yet.</b> Put one on a van below.
						</p>
					)}
					{day.data.vans.map((v) => (
						<Van key={v.van} date={date} van={v} known={day.data.known} />
					))}
					<Open date={date} book={day.data} />
					<Settings key={JSON.stringify(day.data.settings)} book={day.data} />
					<Clocks />
				</>
			)}
		</Page>
	);
}

function Van({ date, van, known }: { date: string; van: VanDay; known: string[] }) {
	const order = useDayOrder(date);
	const may = useMay('plan');
	const [dragged, setDragged] = useState<number | null>(null);
	const ids = van.calls.map((c) => c.id);
	const move = (from: number, to: number) => {
		if (to < 0 || to >= ids.length || from === to) return;
		const next = [...ids];
		next.splice(to, 0, ...next.splice(from, 1));
		order.mutate({ van: van.van, calls: next });
	};
	const late = van.sheet.stops.filter((s) => s.trouble.length > 0).length;
	return (
		<Part
			title={van.van || 'No van yet'}
			aside={
				<span className="pb-1 text-soft">
					{van.sheet.stops.length > 0 &&
						`ends ${van.sheet.ends}, ${Math.round(van.sheet.drive)} min of driving${late > 0 ? `, ${late} in trouble` : ''}`}
				</span>
			}
		>
			<ol className="m-0 list-none p-0" aria-label={`Calls of ${van.van || 'no van'}`}>
				{van.calls.map((c, i) => {
					const s = van.sheet.stops[i];
					if (!s) return null;
					const gap = van.sheet.gaps.find(
						(g) => g.after === (i === 0 ? '' : String(van.calls[i - 1]?.id)) && g.to === s.starts,
					);
					return (
						<li
							key={c.id}
							draggable={may}
							onDragStart={() => setDragged(i)}
							onDragOver={(e: DragEvent) => e.preventDefault()}
							onDrop={(e: DragEvent) => {
								e.preventDefault();
								if (dragged !== null) move(dragged, i);
								setDragged(null);
							}}
							className="border-b border-rule"
						>
							<p className="m-0 py-1 text-soft empty:hidden">{before(s, gap)}</p>
							<div className="grid grid-cols-[auto_1fr] items-start gap-x-4 pb-2 wide:grid-cols-[auto_1fr_auto]">
								<span className="mono text-xl leading-tight font-bold">
									{s.starts}
									<span className="block text-base font-normal text-soft">to {s.ends}</span>
								</span>
								<span className="min-w-0">
									<Link to={`/calls/${c.id}`} className="inline-flex min-h-11 flex-wrap items-center gap-x-2 text-lg">
										<b className="underline decoration-hair underline-offset-4">{c.title}</b>
										{c.urgent && <b className="bg-ink px-1.5 text-paper">{c.appointment?.urgent || 'danger'} first</b>}
									</Link>
									<span className="block">{c.complaint}</span>
									<span className="block text-soft">
										{c.siteName !== c.title && `${c.siteName}. `}
										{c.appointment?.from || c.appointment?.to
											? `Promised ${c.appointment.from ?? ''} to ${c.appointment.to ?? 'the evening'}. `
											: ''}
										{c.minutes && `${hours(c.minutes.least)} to ${hours(c.minutes.most)}. `}
										{c.appointment?.arrivedAt &&
											`Arrived ${s.starts}${c.appointment.doneAt ? `, done ${s.ends}. ` : '. '}`}
										{s.slack !== undefined && s.slack >= 0 && `${span(s.slack)} of slack. `}
										{s.early !== s.late && `Begins ${s.early} at the earliest, ${s.late} at the latest.`}
									</span>
									{s.trouble.map((t) => (
										<b key={t} className="block border-l-4 border-ink pl-2">
											{t}
										</b>
									))}
								</span>
								{may && (
									<span className="flex print:hidden max-wide:col-start-2 max-wide:-ml-2">
										<Button
											kind="quiet"
											aria-label={`${c.title} earlier`}
											disabled={i === 0 || order.isPending}
											onClick={() => move(i, i - 1)}
										>
											<ArrowUp size={20} aria-hidden="true" />
										</Button>
										<Button
											kind="quiet"
											aria-label={`${c.title} later`}
											disabled={i === ids.length - 1 || order.isPending}
											onClick={() => move(i, i + 1)}
										>
											<ArrowDown size={20} aria-hidden="true" />
										</Button>
									</span>
								)}
								{may && (
									<details className="col-start-2 wide:col-end-4 print:hidden">
										<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
											Day, window, van, drive
										</summary>
										<Put key={JSON.stringify(c.appointment)} call={c} date={date} known={known} words="Keep it" />
									</details>
								)}
							</div>
						</li>
					);
				})}
			</ol>
			<Problem error={order.error} />
			<p className="m-0 text-soft">
				Order: {van.sheet.method}.{' '}
				{van.byHand && may && (
					<Button kind="quiet" onClick={() => order.mutate({ van: van.van, calls: [] })}>
						Let it be planned again
					</Button>
				)}
			</p>
			<Near van={van} />
			<TakeAlong van={van} />
			{may && <Feed van={van} />}
		</Part>
	);
}

const how = { asked: 'as somebody said', distance: 'by distance', assumed: 'assumed' };

const span = (minutes: number) => (minutes >= 120 ? hours(minutes) : `${Math.round(minutes)} min`);

/** What comes before a stop: the drive, the wait, the time that is free. */
function before(s: PlannedStop, gap?: { from: string; to: string }): string {
	const said = [];
	if (s.drive >= 1) said.push(`${Math.round(s.drive)} min drive, ${how[s.how]}`);
	if (s.wait >= 1) said.push(`${span(s.wait)} to wait`);
	return said.join(', ') + (gap ? ` (${gap.from} to ${gap.to} free)` : '');
}

/** Tests that are due near where there is time. */
function Near({ van }: { van: VanDay }) {
	if (van.near.length === 0) return null;
	return (
		<section aria-label="Fits into the gaps">
			<h3 className="m-0 border-b border-hair text-base font-bold">Fits into the gaps: tests that are due</h3>
			<ul className="m-0 list-none p-0">
				{van.near.map((n) => (
					<li key={`${n.run} ${n.device}`} className="flex flex-wrap gap-x-3 border-b border-rule py-1">
						<b>{n.label}</b>
						<span className="grow">
							{n.house}, {n.address}
						</span>
						<span className="text-soft">due {dateOf(n.due)}</span>
					</li>
				))}
			</ul>
		</section>
	);
}

function TakeAlong({ van }: { van: VanDay }) {
	if (van.takeAlong.length === 0) return null;
	const short = van.takeAlong.filter((p) => p.short > 0);
	return (
		<details className="print:hidden">
			<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
				Take along for the day: {van.takeAlong.length} things, {short.length} to fetch
			</summary>
			<ul className="m-0 list-none p-0" aria-label={`Take along on ${van.van}`}>
				{van.takeAlong.map((p) => (
					<li key={p.item} className="grid grid-cols-[4.5rem_1fr_auto] gap-x-3 border-b border-rule py-1">
						<b className="mono">{counted(p.count, p.unit ?? '')}</b>
						<span>
							{p.item} <span className="text-soft">{p.why}</span>
						</span>
						<span className={p.short > 0 ? 'font-bold' : 'text-soft'}>
							{p.short > 0 ? `fetch ${counted(p.short, p.unit ?? '')}` : 'on the van'}
						</span>
					</li>
				))}
			</ul>
		</details>
	);
}

/** The van's calendar for a calendar program. */
function Feed({ van }: { van: VanDay }) {
	const make = useMakeFeed();
	const end = useEndFeed();
	if (!van.van) return null;
	return (
		<div className="-ml-2 flex flex-wrap items-center gap-x-3 print:hidden">
			<Button kind="quiet" disabled={make.isPending} onClick={() => make.mutate(van.van)}>
				{van.feed ? 'A new address for its calendar' : 'Its calendar, for a calendar program'}
			</Button>
			{van.feed && (
				<Button kind="quiet" onClick={() => end.mutate(van.van)}>
					Close the calendar
				</Button>
			)}
			{make.data && (
				<p className="m-0 basis-full">
					Whoever has this address reads where the van goes. It is shown this once:{' '}
					<b className="mono wrap-anywhere">{window.location.origin + make.data.path}</b>
				</p>
			)}
			<Problem error={make.error ?? end.error} />
		</div>
	);
}

/** Calls in hand that no day has: put on a van. */
function Open({ date, book }: { date: string; book: DayBook }) {
	const may = useMay('plan');
	if (book.open.length === 0) return null;
	return (
		<Part title="In hand, without a day">
			<ul className="m-0 list-none p-0" aria-label="In hand, without a day">
				{book.open.map((c) => (
					<li key={c.id} className="border-b border-rule py-2">
						<p className="m-0">
							<Link
								to={`/calls/${c.id}`}
								className="inline-flex min-h-11 items-center font-bold underline decoration-hair underline-offset-4"
							>
								{c.title}
							</Link>{' '}
							{c.complaint}{' '}
							{c.minutes && (
								<span className="text-soft">
									{hours(c.minutes.least)} to {hours(c.minutes.most)}
								</span>
							)}
						</p>
						{may && <Put call={c} date={date} known={book.known} words="On this day" />}
					</li>
				))}
			</ul>
		</Part>
	);
}

/** What was arranged for a call: its day, window, van, and the drive there where somebody knows it. */
function Put({ call, date, known, words }: { call: CallSummary; date: string; known: string[]; words: string }) {
	const put = useAppoint();
	const was = call.appointment;
	const [now, setNow] = useState({
		van: was?.van || known[0] || 'Van 1',
		date: was?.date || date,
		from: was?.from ?? '',
		to: was?.to ?? '',
		travel: was?.travel === undefined ? '' : String(was.travel),
	});
	const box = (key: keyof typeof now, label: string, more: InputHTMLAttributes<HTMLInputElement>) => (
		<label className="flex items-center gap-1 text-soft">
			{label}
			<input
				{...more}
				className={`${field} ${more.className ?? ''}`}
				value={now[key]}
				onChange={(e) => setNow({ ...now, [key]: e.target.value })}
			/>
		</label>
	);
	return (
		<form
			aria-label={`Put ${call.title} on a van`}
			className="flex flex-wrap items-center gap-x-3 gap-y-2 print:hidden"
			onSubmit={(e) => {
				e.preventDefault();
				const { travel, ...change } = now;
				put.mutate({ call: call.id, change: { ...change, travel: travel.trim() ? numberIn(travel) : -1 } });
			}}
		>
			{box('van', 'van', { list: 'vans', className: 'w-28' })}
			<datalist id="vans">
				{known.map((v) => (
					<option key={v} value={v} />
				))}
			</datalist>
			{box('date', 'day', { type: 'date' })}
			{box('from', 'promised', { type: 'time', 'aria-label': 'Promised from' })}
			{box('to', 'to', { type: 'time', 'aria-label': 'Promised to' })}
			{box('travel', 'drive, min', { inputMode: 'decimal', className: 'mono w-16 text-right' })}
			<Button type="submit" disabled={put.isPending || !now.van.trim() || Number.isNaN(numberIn(now.travel || '0'))}>
				{words}
			</Button>
			<Problem error={put.error} />
		</form>
	);
}

/** When the day begins and ends, and from where. */
function Settings({ book }: { book: DayBook }) {
	const set = useSetDaySettings();
	const may = useMay('manage');
	const [now, setNow] = useState({
		starts: book.settings.starts,
		ends: book.settings.ends,
		lat: String(book.settings.base?.lat ?? ''),
		lon: String(book.settings.base?.lon ?? ''),
		mph: String(book.settings.mph ?? ''),
	});
	if (!may) return null;
	const put = (key: keyof typeof now) => (e: { target: { value: string } }) =>
		setNow({ ...now, [key]: e.target.value });
	return (
		<details className="print:hidden">
			<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
				The working day: {book.settings.starts} to {book.settings.ends}
			</summary>
			<form
				aria-label="The working day"
				className="flex flex-wrap items-center gap-3"
				onSubmit={(e) => {
					e.preventDefault();
					const base =
						now.lat.trim() && now.lon.trim() ? { lat: numberIn(now.lat), lon: numberIn(now.lon) } : undefined;
					set.mutate({ starts: now.starts, ends: now.ends, base, mph: now.mph.trim() ? numberIn(now.mph) : undefined });
				}}
			>
				<label className="flex items-center gap-1 text-soft">
					from <input type="time" className={field} value={now.starts} onChange={put('starts')} />
				</label>
				<label className="flex items-center gap-1 text-soft">
					to <input type="time" className={field} value={now.ends} onChange={put('ends')} />
				</label>
				<label className="flex items-center gap-1 text-soft">
					the yard's latitude{' '}
					<input className={`${field} mono w-28`} inputMode="decimal" value={now.lat} onChange={put('lat')} />
				</label>
				<label className="flex items-center gap-1 text-soft">
					longitude <input className={`${field} mono w-28`} inputMode="decimal" value={now.lon} onChange={put('lon')} />
				</label>
				<label className="flex items-center gap-1 text-soft">
					miles an hour{' '}
					<input className={`${field} mono w-20`} inputMode="decimal" value={now.mph} onChange={put('mph')} />
				</label>
				<Button type="submit" disabled={set.isPending}>
					Keep it
				</Button>
				<Problem error={set.error} />
			</form>
		</details>
	);
}

/** Planned against real, of the newest calls. */
function Clocks() {
	const clocks = useClocks();
	if (!clocks.data || clocks.data.calls.length === 0) return null;
	const { learned } = clocks.data;
	return (
		<Part title="Planned and real">
			<table className="w-full border-collapse text-left">
				<thead>
					<tr className="border-b-2 border-ink">
						<th scope="col" className="py-1">
							call
						</th>
						<th scope="col" className="text-right">
							expected, min
						</th>
						<th scope="col" className="text-right">
							found after
						</th>
						<th scope="col" className="text-right">
							took
						</th>
					</tr>
				</thead>
				<tbody>
					{clocks.data.calls.map((c) => (
						<tr key={c.id} className="border-b border-rule">
							<td className="py-1">
								<Link
									to={`/calls/${c.id}`}
									className="inline-flex min-h-11 items-center underline decoration-hair underline-offset-4"
								>
									{c.title}
								</Link>
							</td>
							<td className="mono text-right">
								{Math.round(c.expected.usual)} ({Math.round(c.expected.least)} to {Math.round(c.expected.most)})
							</td>
							<td className="mono text-right">{c.found === undefined ? '' : Math.round(c.found)}</td>
							<td className="mono text-right font-bold">{Math.round(c.took)}</td>
						</tr>
					))}
				</tbody>
			</table>
			<p className="m-0 text-soft">
				{learned.calls} {learned.calls === 1 ? 'call' : 'calls'} counted: what is expected is taken times{' '}
				{learned.factor.toFixed(2)}, its range times {learned.widen.toFixed(2)}.
			</p>
		</Part>
	);
}

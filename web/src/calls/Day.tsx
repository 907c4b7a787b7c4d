import { type FormEvent, useEffect, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { CallSummary } from '../api/client';
import { useBasics, useCalls, useCallsBefore, useNewCall, useSetExample } from '../api/hooks';
import { useMay, useSearch } from '../api/shop';
import { Install } from '../phone/Install';
import { Button, field } from '../ui/Button';
import { Nav } from '../ui/Nav';
import { OpenFile } from '../ui/OpenFile';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { capital, dateOf, dayOf, timeOf } from '../ui/words';
import { trackLook } from './Phases';

/** The calls: each with its complaint, its phase and what holds it up. */
export function Day() {
	const calls = useCalls();
	const basics = useBasics();
	const [adding, setAdding] = useState(false);
	document.title = 'Day, Elvat';
	const none = calls.data?.length === 0;
	const may = useMay('work');
	const today = inOrder(calls.data ?? []).filter((c) => !c.handedOver || isFresh(c));
	const before = (calls.data ?? []).filter((c) => c.handedOver && !isFresh(c));
	return (
		<div className="min-h-dvh">
			<header className="flex items-center gap-3 border-b-2 border-ink py-1.5 pr-2 pl-4 wide:pl-6">
				<Mark />
				<h1 className="m-0 grow text-lg/tight font-bold">
					Elvat <span className="font-normal text-soft">{basics.data?.shop}</span>
				</h1>
				<span className="max-wide:hidden">
					<Nav />
				</span>
				<ThemeButton />
			</header>
			<div className="border-b border-rule wide:hidden print:hidden">
				<Nav />
			</div>
			<main className="mx-auto grid max-w-6xl gap-5 px-4 py-6 wide:px-6">
				<div className="flex flex-wrap items-end gap-4">
					<h2 className="m-0 grow text-3xl font-bold">{dayOf(new Date())}</h2>
					{!adding && !none && may && (
						<Button kind="main" className="print:hidden" aria-keyshortcuts="c" onClick={() => setAdding(true)}>
							New call
						</Button>
					)}
				</div>
				{(adding || none) && <NewCall close={none ? undefined : () => setAdding(false)} />}
				<Install worked={(calls.data ?? []).some((c) => c.readings > 0)} />
				<Problem error={calls.error} again={() => calls.refetch()} />
				{calls.isPending && <p>Opening the day's calls</p>}
				<ul className="m-0 list-none border-t-2 border-ink p-0" aria-label="Calls">
					{today.map((c) => (
						<Row key={c.id} call={c} />
					))}
				</ul>
				{today.length === 0 && calls.data && !none && <p className="m-0">Nothing is in hand.</p>}
				{before.length > 0 && <Before calls={before} />}
				{may && basics.data && (none || basics.data.example) && <Example there={basics.data.example} />}
				<p className="m-0 max-w-3xl text-soft">
					For licensed or otherwise permitted persons. Local code and the authority having jurisdiction win over
					anything shown here. Nothing here is a reason to work live.
				</p>
			</main>
		</div>
	);
}

/** A house to try things on: added where nothing is yet, and taken out again with all that was done in it. */
function Example({ there }: { there: boolean }) {
	const set = useSetExample();
	return (
		<div className="print:hidden">
			<Button kind={there ? 'quiet' : 'plain'} disabled={set.isPending} onClick={() => set.mutate(!there)}>
				{there ? 'Remove the example house, with all that was done in it' : 'Or try it on an example house'}
			</Button>
			<Problem error={set.error} />
		</div>
	);
}

/** What is handed over stands last. */
function inOrder(calls: CallSummary[]): CallSummary[] {
	return [...calls.filter((c) => !c.handedOver), ...calls.filter((c) => c.handedOver)];
}

/** Handed over, but of today or yesterday: it is still part of the day. */
function isFresh(call: CallSummary): boolean {
	return Date.now() - Date.parse(call.createdAt) < 48 * 3600_000;
}

/** What was handed over before, the newest first; the site book has all of it by house. */
function Before({ calls }: { calls: CallSummary[] }) {
	const [open, setOpen] = useState(false);
	const [from, setFrom] = useState<number>();
	const older = useCallsBefore(from);
	const shown = from === undefined ? calls : (older.data ?? []);
	const last = shown.at(-1)?.id;
	if (!open) {
		return (
			<Button kind="quiet" className="justify-self-start print:hidden" onClick={() => setOpen(true)}>
				Handed over before
			</Button>
		);
	}
	return (
		<section aria-label="Handed over before" className="print:hidden">
			<h3 className="m-0 border-b-2 border-ink text-xl font-bold">Handed over before</h3>
			<ul className="m-0 list-none p-0">
				{shown.map((c) => (
					<Row key={c.id} call={c} />
				))}
			</ul>
			<Button kind="quiet" disabled={!last || older.isFetching} onClick={() => setFrom(last)}>
				Older
			</Button>
			<Problem error={older.error} />
		</section>
	);
}

function Row({ call }: { call: CallSummary }) {
	const now = call.phases.find((p) => p.state === 'now');
	return (
		<li className="border-b border-rule">
			<Link
				to={`/calls/${call.id}`}
				className="grid gap-x-6 gap-y-2 py-4 hover:bg-wash wide:grid-cols-[7rem_1fr_22rem]"
			>
				<span className="mono text-xl font-bold">
					{timeOf(call.createdAt)}
					<span className="ml-2 font-sans text-base font-normal whitespace-nowrap text-soft wide:ml-0 wide:block">
						{isFresh(call) ? dayOf(call.createdAt) : dateOf(call.createdAt)}
					</span>
				</span>
				<span className="min-w-0">
					<b className="block text-xl">{call.title}</b>
					<span className="block">{call.complaint}</span>
					<span className="block text-soft">
						{call.outlets === 1 ? '1 outlet' : `${call.outlets} outlets`},{' '}
						{call.readings === 1 ? '1 reading' : `${call.readings} readings`}
						{arranged(call)}
					</span>
				</span>
				<span className="grid content-start gap-1.5">
					<span className="grid grid-cols-7 gap-1" aria-hidden="true">
						{call.phases.map((p) => (
							<i key={p.phase} className={`h-2 ${trackLook[p.state]}`} />
						))}
					</span>
					<b>{call.handedOver ? 'Handed over' : capital(now?.phase ?? '')}</b>
					{call.danger ? (
						<span className="flex items-stretch bg-ink text-paper">
							<i aria-hidden="true" className="stripes w-4 shrink-0" />
							<span className="px-2 py-1 font-bold">{call.holdUp}</span>
						</span>
					) : (
						<span>{call.handedOver ? '' : call.holdUp}</span>
					)}
				</span>
			</Link>
		</li>
	);
}

/** When somebody comes, as it was arranged. */
function arranged({ appointment: a }: CallSummary): string {
	if (!a?.date && !a?.from) return '';
	const day = a.date ? dayOf(new Date(`${a.date}T12:00:00`)) : '';
	const window = a.from ? `${a.from}${a.to ? ` to ${a.to}` : ''}` : '';
	return `. Promised: ${[a.van, day, window].filter(Boolean).join(', ')}`;
}

/** A new call: which house, what is wrong, and when somebody comes. */
function NewCall({ close }: { close?: () => void }) {
	const make = useNewCall();
	const navigate = useNavigate();
	const [title, setTitle] = useState('');
	const [complaint, setComplaint] = useState('');
	const [house, setHouse] = useState<House | 'new' | null>(null);
	const [asking, ask] = useState(false);
	const houses = useHouses(title);
	const [visit, setVisit] = useState({ telephone: '', date: '', from: '', to: '', van: '', urgent: '' });
	const first = useRef<HTMLInputElement>(null);
	useEffect(() => first.current?.focus(), []);
	const create = (circuit?: string) => {
		if (!house && houses.length > 0) {
			ask(true);
			return;
		}
		const appointment = Object.fromEntries(Object.entries(visit).filter(([, said]) => said.trim() !== ''));
		make.mutate(
			{
				title,
				complaint,
				circuit,
				...(house && house !== 'new' ? { site: house.id } : {}),
				...(Object.keys(appointment).length > 0 ? { appointment } : {}),
			},
			{ onSuccess: (call) => navigate(`/calls/${call.id}`) },
		);
	};
	const submit = (e: FormEvent) => {
		e.preventDefault();
		create();
	};
	const put = (key: keyof typeof visit) => (e: { target: { value: string } }) =>
		setVisit({ ...visit, [key]: e.target.value });
	return (
		<form onSubmit={submit} className="grid gap-3 border-l-4 border-accent bg-sheet p-4" aria-label="New call">
			<div className="grid gap-3 wide:grid-cols-[1fr_2fr]">
				<label className="grid content-start gap-1 text-soft">
					where
					<input
						ref={first}
						className={`${field} text-lg font-bold`}
						value={title}
						placeholder="room or customer"
						onChange={(e) => setTitle(e.target.value)}
					/>
				</label>
				<label className="grid content-start gap-1 text-soft">
					complaint
					<input
						className={field}
						value={complaint}
						placeholder="in the customer's words"
						onChange={(e) => setComplaint(e.target.value)}
					/>
				</label>
			</div>
			<WhichHouse houses={houses} typed={title} house={house} choose={setHouse} asking={asking && !house} />
			<p className="m-0 text-soft">
				Any heat, smell, scorching, sparks or water? Then nothing is reset: breaker off, stay away, we come.
			</p>
			<div className="flex flex-wrap gap-x-4 gap-y-2">
				<label className="grid gap-1 text-soft">
					any of that
					<select className={field} value={visit.urgent} onChange={put('urgent')}>
						<option value="">nothing told of</option>
						{['heat', 'smell', 'scorching', 'sparks', 'water', 'shock'].map((sign) => (
							<option key={sign} value={sign}>
								{sign}
							</option>
						))}
					</select>
				</label>
				<label className="grid gap-1 text-soft">
					telephone
					<input className={`${field} w-40`} type="tel" value={visit.telephone} onChange={put('telephone')} />
				</label>
				<label className="grid gap-1 text-soft">
					day
					<input className={field} type="date" value={visit.date} onChange={put('date')} />
				</label>
				<label className="grid gap-1 text-soft">
					promised from
					<input className={field} type="time" value={visit.from} onChange={put('from')} />
				</label>
				<label className="grid gap-1 text-soft">
					to
					<input className={field} type="time" value={visit.to} onChange={put('to')} />
				</label>
				<label className="grid gap-1 text-soft">
					van
					<input className={`${field} w-28`} value={visit.van} onChange={put('van')} />
				</label>
			</div>
			<div className="flex flex-wrap items-center gap-2">
				<Button kind="main" type="submit" disabled={make.isPending}>
					Start the call
				</Button>
				<OpenFile label="Start from a circuit file" open={create} />
				{close && (
					<Button kind="quiet" onClick={close}>
						Not now
					</Button>
				)}
			</div>
			<Problem error={make.error} />
		</form>
	);
}

interface House {
	id: number;
	name: string;
}

/** The houses of the book that go with what is typed. */
function useHouses(typed: string): House[] {
	const words = typed.trim();
	const found = useSearch(words.length > 1 ? words : '');
	const seen = new Map<number, string>();
	if (words.length > 1) for (const hit of found.data ?? []) if (hit.site) seen.set(hit.id, hit.title);
	return [...seen].slice(0, 6).map(([id, name]) => ({ id, name }));
}

interface WhichProps {
	houses: House[];
	typed: string;
	house: House | 'new' | null;
	choose: (house: House | 'new' | null) => void;
	/** Somebody wanted to go on without having said. */
	asking: boolean;
}

/** Which house it is: one of the book, or a new one where somebody says so. */
function WhichHouse({ houses, typed, house, choose, asking }: WhichProps) {
	if (house) {
		return (
			<p className="m-0 flex flex-wrap items-center gap-x-3">
				{house === 'new' ? (
					<b>A new house</b>
				) : (
					<span>
						In the house <b>{house.name}</b>
					</span>
				)}
				<Button kind="quiet" onClick={() => choose(null)}>
					another one
				</Button>
			</p>
		);
	}
	if (houses.length === 0) {
		return (
			<p className="m-0 text-soft">
				{typed.trim().length > 1
					? 'No house of the book goes with it: it will be a new one.'
					: 'Houses of the book come up here as you type.'}
			</p>
		);
	}
	return (
		<fieldset className="m-0 flex flex-wrap items-center gap-2 border-0 p-0">
			<legend className="p-0 text-soft">Which house?</legend>
			{houses.map((h) => (
				<Button key={h.id} onClick={() => choose(h)}>
					{h.name}
				</Button>
			))}
			<Button onClick={() => choose('new')}>A new house</Button>
			{asking && (
				<b role="alert" className="basis-full border-l-4 border-ink pl-2">
					Say which house it is: one of these, or a new one.
				</b>
			)}
		</fieldset>
	);
}

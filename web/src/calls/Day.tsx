import { type FormEvent, useEffect, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { CallSummary } from '../api/client';
import { useBasics, useCalls, useNewCall } from '../api/hooks';
import { Button, field } from '../ui/Button';
import { OpenFile } from '../ui/OpenFile';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { capital, dayOf, timeOf } from '../ui/words';
import { trackLook } from './Phases';

/** The calls: each with its complaint, its phase and what holds it up. */
export function Day() {
	const calls = useCalls();
	const basics = useBasics();
	const [adding, setAdding] = useState(false);
	document.title = 'Day, Elvat';
	const none = calls.data?.length === 0;
	return (
		<div className="min-h-dvh">
			<header className="flex items-center gap-3 border-b-2 border-ink py-1.5 pr-2 pl-4 wide:pl-6">
				<Mark />
				<h1 className="m-0 grow text-lg/tight font-bold">
					Elvat <span className="font-normal text-soft">{basics.data?.shop}</span>
				</h1>
				<Link
					to="/sums"
					className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
				>
					Sums
				</Link>
				<Link
					to="/practice"
					className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
				>
					Practice and code
				</Link>
				<ThemeButton />
			</header>
			<main className="mx-auto grid max-w-6xl gap-5 px-4 py-6 wide:px-6">
				<div className="flex flex-wrap items-end gap-4">
					<h2 className="m-0 grow text-3xl font-bold">{dayOf(new Date())}</h2>
					{!none && (
						<Button kind="quiet" className="max-wide:hidden print:hidden" onClick={() => window.print()}>
							Print the day sheet
						</Button>
					)}
					{!adding && !none && (
						<Button kind="main" className="print:hidden" onClick={() => setAdding(true)}>
							New call
						</Button>
					)}
				</div>
				{(adding || none) && <NewCall close={none ? undefined : () => setAdding(false)} />}
				<Problem error={calls.error} again={() => calls.refetch()} />
				{calls.isPending && <p>Opening the day's calls</p>}
				<ul className="m-0 list-none border-t-2 border-ink p-0" aria-label="Calls">
					{inOrder(calls.data ?? []).map((c) => (
						<Row key={c.id} call={c} />
					))}
				</ul>
				<p className="m-0 max-w-3xl text-soft">
					For licensed or otherwise permitted persons. Local code and the authority having jurisdiction win over
					anything shown here. Nothing here is a reason to work live.
				</p>
			</main>
		</div>
	);
}

/** What is handed over stands last. */
function inOrder(calls: CallSummary[]): CallSummary[] {
	return [...calls.filter((c) => !c.handedOver), ...calls.filter((c) => c.handedOver)];
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
						{dayOf(call.createdAt)}
					</span>
				</span>
				<span className="min-w-0">
					<b className="block text-xl">{call.title}</b>
					<span className="block">{call.complaint}</span>
					<span className="block text-soft">
						{call.outlets === 1 ? '1 outlet' : `${call.outlets} outlets`},{' '}
						{call.readings === 1 ? '1 reading' : `${call.readings} readings`}
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

function NewCall({ close }: { close?: () => void }) {
	const make = useNewCall();
	const navigate = useNavigate();
	const [title, setTitle] = useState('');
	const [complaint, setComplaint] = useState('');
	const first = useRef<HTMLInputElement>(null);
	useEffect(() => first.current?.focus(), []);
	const create = (circuit?: string) =>
		make.mutate({ title, complaint, circuit }, { onSuccess: (call) => navigate(`/calls/${call.id}`) });
	const submit = (e: FormEvent) => {
		e.preventDefault();
		create();
	};
	return (
		<form onSubmit={submit} className="grid gap-3 border-l-4 border-accent bg-sheet p-4" aria-label="New call">
			<div className="grid gap-3 wide:grid-cols-[1fr_2fr]">
				<label className="grid gap-1 text-soft">
					where
					<input
						ref={first}
						className={`${field} text-lg font-bold`}
						value={title}
						placeholder="room or customer"
						onChange={(e) => setTitle(e.target.value)}
					/>
				</label>
				<label className="grid gap-1 text-soft">
					complaint
					<input
						className={field}
						value={complaint}
						placeholder="in the customer's words"
						onChange={(e) => setComplaint(e.target.value)}
					/>
				</label>
			</div>
			<p className="m-0 text-soft">
				Any heat, smell, scorching, sparks or water? Then nothing is reset: breaker off, stay away, we come.
			</p>
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

import { Redo2, Undo2 } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Call } from '../api/client';
import { newID } from '../api/newID';
import { lastEntered } from '../api/queue';
import { useEndVisit, useMakeVisit, useMay, useSaving, useSettle, useUndo, useUsePart } from '../api/shop';
import { Delta } from '../delta/Delta';
import { describe } from '../delta/shape';
import { counted } from '../shop/VansScreen';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { useTyped } from '../ui/typed';
import { dateOf, numberIn, percent, timeOf } from '../ui/words';
import { PicturesOf } from '../work/Pictures';
import { CustomerLink } from './CustomerLink';

/** Takes back the last thing done on the call, whoever did it; and brings it back. */
export function UndoButtons({ call }: { call: Call }) {
	const undo = useUndo(call.id);
	// What is on its way is what Undo takes back: what stands as the last until then is an older one.
	const saving = useSaving(call.id);
	const named = !saving && call.undo && (lastEntered(call.id) ?? call.undo.id) === call.undo.id ? call.undo : undefined;
	return (
		<>
			{(call.undo || saving) && (
				<Button
					kind="quiet"
					className="shrink-0"
					disabled={undo.isPending}
					aria-label={named ? `Undo: ${named.what}` : 'Undo what was entered last'}
					aria-keyshortcuts="u"
					title={named && `${named.what}, ${timeOf(named.at)}${named.by && `, ${named.by}`}`}
					onClick={() => undo.mutate('undo')}
				>
					<Undo2 size={18} aria-hidden="true" /> Undo
				</Button>
			)}
			{call.redo && (
				<Button
					kind="quiet"
					disabled={undo.isPending}
					aria-label={`Bring back: ${call.redo.what}`}
					aria-keyshortcuts="U"
					title={call.redo.what}
					onClick={() => undo.mutate('redo')}
				>
					<Redo2 size={18} aria-hidden="true" /> Redo
				</Button>
			)}
			<Problem error={undo.error} />
		</>
	);
}

/** What two devices set differently: one is in force until somebody chooses. */
export function SetTwice({ call, className = '' }: { call: Call; className?: string }) {
	const settle = useSettle(call.id);
	if (call.conflicts.length === 0) return null;
	return (
		<section
			aria-label="Set on two devices"
			className={`grid gap-2 border-2 border-ink bg-sheet px-3 py-2 print:hidden ${className}`}
		>
			<h2 className="m-0 text-base font-bold">Set on two devices, to different things</h2>
			{call.conflicts.map((c) => (
				<div key={c.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule pt-1">
					<span className="grow">{c.words}</span>
					<Button
						disabled={settle.isPending}
						onClick={() => settle.mutate({ conflict: c.id, take: 'mine' })}
						title={`${c.myName}, ${timeOf(c.at)}`}
					>
						Keep <b className="mono wrap-anywhere">{c.mine}</b>
					</Button>
					<Button
						disabled={settle.isPending}
						onClick={() => settle.mutate({ conflict: c.id, take: 'theirs' })}
						title={c.theirName}
					>
						Take <b className="mono wrap-anywhere">{c.theirs}</b>
					</Button>
				</div>
			))}
			<Problem error={settle.error} />
		</section>
	);
}

/** What earlier calls read last at a stop: shown, and no evidence any more. */
export function LastTime({ call, devices }: { call: Call; devices: string[] }) {
	const past = call.past.filter((p) => devices.includes(p.device));
	const first = past[0];
	if (!first) return null;
	return (
		<p className="m-0 flex flex-wrap items-center gap-x-2 text-soft">
			<span>Last time,</span>
			<Link
				to={`/calls/${first.call}`}
				className="inline-flex min-h-11 items-center underline decoration-hair underline-offset-4"
			>
				{dateOf(first.at)}
			</Link>
			{past.map((p) => (
				<span key={`${p.device} ${p.half}`} className="inline-flex items-center gap-1">
					{p.half}
					<Delta delta={p.delta} size={28} />
					<span className="sr-only">{describe(p.delta)}</span>
				</span>
			))}
			<Link
				to={`/book/runs/${call.run}`}
				className="inline-flex min-h-11 items-center underline decoration-hair underline-offset-4"
			>
				all of it
			</Link>
		</p>
	);
}

/** Before the drive: the customer's link and answers, and what to take along. */
export function Before({ call }: { call: Call }) {
	const [open, setOpen] = useState(false);
	const short = call.picks.filter((p) => p.short > 0).length;
	const parts = [
		call.answers.length > 0 && (call.answers.length === 1 ? '1 answer' : `${call.answers.length} answers`),
		call.picks.length > 0 && `${call.picks.length} to take along`,
		short > 0 && `${short} not on the van`,
	].filter(Boolean);
	return (
		<section aria-label="Customer and parts" className="border-y border-rule">
			<button
				type="button"
				aria-expanded={open}
				onClick={() => setOpen(!open)}
				className="flex min-h-11 w-full items-center gap-3 text-left hover:bg-wash"
			>
				<b>Customer and parts</b>
				<span className="grow truncate text-soft">{parts.join(', ')}</span>
				<span aria-hidden="true" className="mono px-2 text-xl">
					{open ? '−' : '+'}
				</span>
			</button>
			{open && (
				<div className="grid gap-4 pb-3">
					<Customer call={call} />
					<TakeAlong call={call} />
					<Used call={call} />
				</div>
			)}
		</section>
	);
}

function Customer({ call }: { call: Call }) {
	const make = useMakeVisit(call.id);
	const end = useEndVisit(call.id);
	return (
		<div className="grid gap-2">
			<h3 className="m-0 border-b border-hair text-base font-bold">The customer</h3>
			{call.answers.length === 0 ? (
				<p className="m-0 text-soft">
					A link for the customer's phone asks about heat, smell and water first, then walks them to every GFCI that is
					known here, one reset each.
				</p>
			) : (
				<ul className="m-0 grid list-none gap-0.5 p-0" aria-label="What the customer said">
					{call.answers.map((a) => (
						<li key={a.at + a.words} className="grid grid-cols-[4rem_1fr]">
							<span className="mono text-soft">{timeOf(a.at)}</span>
							<span>{a.words}</span>
						</li>
					))}
				</ul>
			)}
			<CustomerLink make={make} end={end} until={call.visitUntil} />
			<PicturesOf call={call} phase="complaint" heading="h3" />
		</div>
	);
}

function TakeAlong({ call }: { call: Call }) {
	if (call.picks.length === 0) return null;
	return (
		<div className="grid gap-1">
			<h3 className="m-0 border-b border-hair text-base font-bold">Take along</h3>
			<ul className="m-0 grid list-none p-0" aria-label="Take along">
				{call.picks.map((p) => (
					<li key={p.item} className="grid grid-cols-[4rem_1fr_auto] items-baseline gap-x-3 border-b border-rule py-1">
						<b className="mono">{counted(p.count, p.unit ?? '')}</b>
						<span>
							{p.item}
							<span className="block text-soft">
								{percent(p.probability)}: {p.why}
							</span>
						</span>
						<span className={p.short > 0 ? 'font-bold' : 'text-soft'}>
							{p.short > 0 ? `fetch ${counted(p.short, p.unit ?? '')}` : `on ${call.vans[0] ?? 'the van'}`}
						</span>
					</li>
				))}
			</ul>
		</div>
	);
}

function Used({ call }: { call: Call }) {
	const use = useUsePart(call.id);
	const may = useMay('work');
	const [item, setItem, take] = useTyped();
	const [count, setCount] = useState('1');
	return (
		<div className="grid gap-1">
			<h3 className="m-0 border-b border-hair text-base font-bold">Used up here</h3>
			{call.used.length === 0 && (
				<p className="m-0 text-soft">Nothing yet. What a make-up uses is entered by itself.</p>
			)}
			<ul className="m-0 grid list-none p-0" aria-label="Used up">
				{call.used.map((u) => (
					<li key={u.van + u.item + u.unit} className="flex gap-3">
						<b className="mono w-16">{counted(u.count, u.unit)}</b>
						<span className="grow">{u.item}</span>
						<span className="text-soft">{u.van || 'not off a van'}</span>
					</li>
				))}
			</ul>
			{may && (
				<form
					aria-label="A part used up"
					className="flex flex-wrap items-center gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						take((item) => use.mutateAsync({ id: newID(), van: '', item, unit: '', count: numberIn(count) }));
					}}
				>
					<input
						aria-label="How many"
						className={`${field} mono w-16`}
						inputMode="decimal"
						value={count}
						onChange={(e) => setCount(e.target.value)}
					/>
					<input
						aria-label="Part"
						className={`${field} grow`}
						placeholder="part"
						value={item}
						onChange={(e) => setItem(e.target.value)}
					/>
					<Button type="submit" disabled={!item.trim() || Number.isNaN(numberIn(count))}>
						Used
					</Button>
				</form>
			)}
			<Problem error={use.error} />
		</div>
	);
}

import { type FormEvent, useState } from 'react';
import type { Call, Fault, OpenedBox } from '../api/client';
import { useAddEntry, useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { capital } from '../ui/words';

/** So many suspects are offered; the rest is said in words. */
const mostChoices = 4;

/**
 * The one question once the device is out: what was it? The suspects in this box are the
 * choices, and what is answered is the report's cause, as a fact.
 */
export function WhatWasIt({ call, opened }: { call: Call; opened: OpenedBox }) {
	const look = useAddReading(call.id);
	const say = useAddEntry(call.id);
	const [other, setOther] = useState<string | null>(null);
	const [again, setAgain] = useState(false);
	const box = opened.box.id;
	const out = opened.ticked.includes('pull') || opened.done.includes('pull') || opened.ticked.includes('dead-again');
	if (!out || (opened.madeAt && !opened.found)) return null;
	if (opened.found && !again) {
		return (
			<p className="m-0 mb-2 flex flex-wrap items-baseline gap-x-3 border-b border-rule pb-2">
				<span>
					<b>It was:</b> {opened.found}
				</span>
				{!opened.madeAt && (
					<Button kind="quiet" className="print:hidden" onClick={() => setAgain(true)}>
						Say it anew
					</Button>
				)}
			</p>
		);
	}
	const choices = call.diagnosis.suspects.filter((s) => s.site === box).slice(0, mostChoices);
	const busy = look.isPending || say.isPending;
	const done = { onSuccess: () => setAgain(false) };
	const saw = (found: Fault[] | false) =>
		look.mutate({ id: newID(), reading: { tool: 'eyes', site: box, found } }, done);
	const submit = (e: FormEvent) => {
		e.preventDefault();
		if (other?.trim()) say.mutate({ id: newID(), entry: { kind: 'found', box, text: other.trim() } }, done);
	};
	return (
		<section className="mb-3 border-2 border-accent p-3 print:hidden" aria-label="What was it?">
			<h2 className="m-0 text-lg font-bold">The device is out: what was it?</h2>
			<p className="m-0 mb-2 text-soft">Looked into, every wire tugged. What you say is the cause in the report.</p>
			<div className="grid gap-1.5">
				{choices.map((s) => (
					<Button
						key={s.name + s.place}
						className="justify-start! text-left"
						disabled={busy}
						onClick={() => saw(s.faults)}
					>
						{capital(s.name)} {s.place}
					</Button>
				))}
				{other === null ? (
					<div className="flex flex-wrap gap-1.5">
						<Button disabled={busy} onClick={() => setOther('')}>
							Something else
						</Button>
						<Button disabled={busy} onClick={() => saw(false)}>
							Nothing wrong in here
						</Button>
					</div>
				) : (
					<form onSubmit={submit} className="flex flex-wrap gap-1.5">
						<input
							aria-label="what it was"
							className={`${field} grow`}
							value={other}
							placeholder="in a few words"
							onChange={(e) => setOther(e.target.value)}
						/>
						<Button type="submit" disabled={busy || other.trim() === ''}>
							That was it
						</Button>
						<Button kind="quiet" onClick={() => setOther(null)}>
							Back
						</Button>
					</form>
				)}
			</div>
			<Problem error={look.error ?? say.error} />
		</section>
	);
}

import { ChevronDown } from 'lucide-react';
import { useState } from 'react';
import { Link, useLocation } from 'react-router';
import type { Call } from '../api/client';
import { capital } from '../ui/words';

/** How far a phase is, as a bar. */
export const trackLook = { done: 'bg-ink', now: 'bg-accent', ahead: 'bg-rule' };

/** Where the work of each phase is done. */
function pathOf(call: Call, phase: string): string {
	const here = `/calls/${call.id}`;
	switch (phase) {
		case 'dead':
			return `${here}/dead`;
		case 'open box':
		case 'make-up': {
			const box = call.workBox || call.stops[0]?.box;
			return box ? `${here}/boxes/${box}` : here;
		}
		case 'prove':
			return `${here}/prove`;
		case 'hand over':
			return `${here}/hand-over`;
		default:
			return here;
	}
}

/** The phases of the call, what each is waiting for, and on which one's screen one is. */
export function Phases({ call }: { call: Call }) {
	const [open, setOpen] = useState(false);
	const here = useLocation().pathname;
	const start = `/calls/${call.id}`;
	// Two phases share a screen: the one the call is in is marked.
	const atBox = here.startsWith(`${start}/boxes/`);
	const shown = call.phases.filter((p) =>
		atBox ? p.phase === 'open box' || p.phase === 'make-up' : pathOf(call, p.phase) === here,
	);
	const onScreen = here === start ? undefined : (shown.find((p) => p.state === 'now') ?? shown.at(-1))?.phase;
	const at = call.phases.findIndex((p) => p.state === 'now');
	const now = call.phases[at];
	return (
		<>
			<ol className="m-0 hidden list-none items-stretch p-0 wide:flex" aria-label="Phases of the call">
				{call.phases.map((p) => (
					<li
						key={p.phase}
						aria-current={p.state === 'now' ? 'step' : undefined}
						className="border-l border-rule text-soft aria-[current]:bg-ink aria-[current]:text-paper"
					>
						<Link
							to={pathOf(call, p.phase)}
							aria-current={p.phase === onScreen ? 'page' : undefined}
							className="flex min-h-11 flex-col justify-center px-3 py-1 hover:underline hover:underline-offset-4 aria-[current]:shadow-[inset_0_-4px_0_var(--accent)]"
						>
							<b
								className={`block whitespace-nowrap ${p.state === 'now' ? 'text-paper' : p.state === 'done' ? 'text-ink' : 'text-soft'}`}
							>
								{capital(p.phase)}
								{p.state === 'done' && <span aria-hidden="true"> ✓</span>}
							</b>
							<span className="block max-w-36 truncate">{p.detail}</span>
						</Link>
					</li>
				))}
			</ol>
			<nav aria-label="Phases" className="px-4 wide:hidden print:hidden">
				<div className="grid grid-cols-7 gap-1" aria-hidden="true">
					{call.phases.map((p) => (
						<i key={p.phase} className={`h-1.5 ${trackLook[p.state]}`} />
					))}
				</div>
				<button
					type="button"
					aria-expanded={open}
					onClick={() => setOpen(!open)}
					className="flex min-h-11 w-full items-center gap-2 text-left"
				>
					{now && (
						<span className="min-w-0 grow truncate">
							<b>{capital(now.phase)}</b>
							<span className="text-soft">
								{' '}
								{at + 1} of {call.phases.length}
								{now.detail && `, ${now.detail}`}
							</span>
						</span>
					)}
					<ChevronDown size={20} aria-hidden="true" className={`ml-auto shrink-0 ${open ? 'rotate-180' : ''}`} />
				</button>
				{open && (
					<ul className="m-0 grid list-none grid-cols-2 gap-x-4 p-0 pb-1">
						{call.phases.map((p) => (
							<li key={p.phase} className="border-t border-rule">
								<Link
									to={pathOf(call, p.phase)}
									aria-current={p.phase === onScreen ? 'page' : undefined}
									onClick={() => setOpen(false)}
									className="flex min-h-11 items-center gap-2 border-l-4 border-transparent pl-2 underline decoration-hair underline-offset-4 aria-[current]:border-accent aria-[current]:font-bold"
								>
									{capital(p.phase)}
									{p.state === 'done' && <span aria-hidden="true">✓</span>}
								</Link>
							</li>
						))}
					</ul>
				)}
			</nav>
		</>
	);
}

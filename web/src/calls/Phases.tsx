import { Link } from 'react-router';
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

/** The phases of the call, and what each is waiting for. */
export function Phases({ call }: { call: Call }) {
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
						<Link to={pathOf(call, p.phase)} className="block px-3 py-1.5 hover:underline hover:underline-offset-4">
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
			<div className="px-4 pb-2 wide:hidden">
				<div className="grid grid-cols-7 gap-1" aria-hidden="true">
					{call.phases.map((p) => (
						<i key={p.phase} className={`h-1.5 ${trackLook[p.state]}`} />
					))}
				</div>
				<nav aria-label="Phases" className="flex gap-x-4 overflow-x-auto">
					{call.phases.slice(2).map((p) => (
						<Link
							key={p.phase}
							to={pathOf(call, p.phase)}
							className="inline-flex min-h-11 shrink-0 items-center underline decoration-hair underline-offset-4"
						>
							{capital(p.phase)}
						</Link>
					))}
				</nav>
				{now && (
					<p className="m-0 truncate">
						<b>{capital(now.phase)}</b>
						<span className="text-soft">
							{' '}
							{at + 1} of {call.phases.length}
							{now.detail && `, ${now.detail}`}
						</span>
					</p>
				)}
			</div>
		</>
	);
}

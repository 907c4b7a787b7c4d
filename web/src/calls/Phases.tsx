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

interface Props {
	call: Call;
	/** On a phone the bars alone: the screen needs the room. */
	compact?: boolean;
}

/** The phases of the call, what each is waiting for, and on which one's screen one is. */
export function Phases({ call, compact }: Props) {
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
							className="block px-3 py-1.5 hover:underline hover:underline-offset-4 aria-[current]:shadow-[inset_0_-4px_0_var(--accent)]"
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
			<div className={`px-4 wide:hidden ${compact ? 'pb-1' : 'pb-2'}`}>
				<div className="grid grid-cols-7 gap-1" aria-hidden="true">
					{call.phases.map((p) => (
						<i key={p.phase} className={`h-1.5 ${trackLook[p.state]}`} />
					))}
				</div>
				<nav aria-label="Phases" className={compact ? 'sr-only' : 'flex gap-x-4 overflow-x-auto'}>
					{call.phases.slice(2).map((p) => (
						<Link
							key={p.phase}
							to={pathOf(call, p.phase)}
							tabIndex={compact ? -1 : undefined}
							aria-current={p.phase === onScreen ? 'page' : undefined}
							className="inline-flex min-h-11 shrink-0 items-center underline decoration-hair underline-offset-4 aria-[current]:font-bold aria-[current]:decoration-accent aria-[current]:decoration-4"
						>
							{capital(p.phase)}
						</Link>
					))}
				</nav>
				{now && !compact && (
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

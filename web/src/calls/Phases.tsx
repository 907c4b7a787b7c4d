import type { Call } from '../api/client';
import { capital } from '../ui/words';

/** How far a phase is, as a bar. */
export const trackLook = { done: 'bg-ink', now: 'bg-accent', ahead: 'bg-rule' };

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
						className="border-l border-rule px-3 py-1.5 text-soft aria-[current]:bg-ink aria-[current]:text-paper"
					>
						<b
							className={`block whitespace-nowrap ${p.state === 'now' ? 'text-paper' : p.state === 'done' ? 'text-ink' : 'text-soft'}`}
						>
							{capital(p.phase)}
							{p.state === 'done' && <span aria-hidden="true"> ✓</span>}
						</b>
						<span className="block max-w-36 truncate">{p.detail}</span>
					</li>
				))}
			</ol>
			<div className="px-4 pb-2 wide:hidden">
				<div className="grid grid-cols-7 gap-1" aria-hidden="true">
					{call.phases.map((p) => (
						<i key={p.phase} className={`h-1.5 ${trackLook[p.state]}`} />
					))}
				</div>
				{now && (
					<p className="m-0 mt-1 truncate">
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

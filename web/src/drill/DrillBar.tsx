import { useState } from 'react';
import { Link } from 'react-router';
import type { Call } from '../api/client';
import { useDoInDrill } from '../api/drill';
import { useAddEntry } from '../api/hooks';
import { newID } from '../api/newID';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';

/** Over every screen of a drill: that it is one, how to end it, and what ended it. */
export function DrillBar({ call }: { call: Call }) {
	const drill = call.drill;
	const act = useDoInDrill(call.id);
	const enter = useAddEntry(call.id);
	const [ending, setEnding] = useState(false);
	if (!drill) return null;
	const score = `/calls/${call.id}/drill`;
	const busy = act.isPending || enter.isPending;
	return (
		<section aria-label="Drill" className="border-b-2 border-accent bg-wash">
			<div className="flex flex-wrap items-center gap-x-4 px-3 wide:px-5">
				<p className="m-0 grow py-1">
					<b className="text-accent">Drill.</b> Testers are simulated; nothing here is live, and nobody is hurt.
				</p>
				{drill.over ? (
					<Link to={score} className="inline-flex min-h-11 items-center px-2 font-bold underline underline-offset-4">
						Score and replay
					</Link>
				) : ending ? (
					<span className="flex flex-wrap items-center gap-2 py-1">
						<Button
							kind="main"
							disabled={busy}
							onClick={() =>
								enter.mutate({ id: newID(), entry: { kind: 'handed-over', who: 'the learner', to: 'the drill' } })
							}
						>
							All is right: hand it over
						</Button>
						<Button disabled={busy} onClick={() => act.mutate({ what: 'give-up' })}>
							Give up, show what it was
						</Button>
						<Button kind="quiet" onClick={() => setEnding(false)}>
							Go on
						</Button>
					</span>
				) : (
					<>
						<Button kind="quiet" disabled={busy || drill.advised} onClick={() => act.mutate({ what: 'advice' })}>
							{drill.advised ? 'Advice is shown' : 'Ask for advice (2 min)'}
						</Button>
						<Button kind="quiet" onClick={() => setEnding(true)}>
							End the drill
						</Button>
					</>
				)}
			</div>
			<Problem error={act.error ?? enter.error} />
			{drill.over && !drill.stopped && (
				<p role="status" className="m-0 px-3 pb-2 text-lg wide:px-5">
					<b>The drill is over.</b> What each step could have told stands in its replay.
				</p>
			)}
			{drill.stopped && (
				<div role="alert" className="flex border-y-2 border-ink bg-sheet">
					<i aria-hidden="true" className="stripes w-6 shrink-0" />
					<div className="grid gap-2 px-4 py-3">
						<h2 className="m-0 text-2xl/tight font-bold tracking-tight">Stopped. {drill.stopped.did}</h2>
						<p className="m-0 text-lg">
							<b>What would have happened:</b> {drill.stopped.would}
						</p>
						<p className="m-0">{drill.stopped.rule}</p>
						<Link to={score} className="inline-flex min-h-11 items-center font-bold underline underline-offset-4">
							Replay it, step by step
						</Link>
					</div>
				</div>
			)}
		</section>
	);
}

import type { Call, Reading, Test } from '../api/client';
import { useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { capital } from '../ui/words';

/** What was found in the box that was opened: that is evidence like any reading. */
export function Looked({ call, opening }: { call: Call; opening: Test }) {
	const site = opening.site;
	const add = useAddReading(call.id);
	const enter = (reading: Reading) => add.mutate({ id: newID(), reading });
	return (
		<details className="mt-1">
			<summary className="flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
				It is open already, dead: what was found
			</summary>
			<div className="grid gap-2">
				<p className="m-0">Looked into, every conductor tugged:</p>
				<div className="grid gap-px bg-rule">
					{opening.finds?.map((f) => (
						<button
							key={f.words}
							type="button"
							disabled={add.isPending}
							onClick={() => enter({ tool: 'eyes', site, found: f.faults })}
							className="flex min-h-11 items-center gap-2 bg-sheet px-3 text-left enabled:hover:bg-wash"
						>
							<b>Found</b> {capital(f.words)}
						</button>
					))}
				</div>
				<Button
					className="justify-self-start"
					disabled={add.isPending}
					onClick={() => enter({ tool: 'eyes', site, found: false })}
				>
					All sound in there
				</Button>
				<Problem error={add.error} />
			</div>
		</details>
	);
}

/** What was found and not put right yet. */
export function PutRight({ call }: { call: Call }) {
	const add = useAddReading(call.id);
	if (call.found.length === 0) return null;
	return (
		<section className="border-b-2 border-ink pb-3" aria-label="Found, not put right">
			<p className="m-0 text-lg font-bold">Found, and still there: {call.found.map((f) => f.words).join(', ')}</p>
			<p className="m-0 text-soft">Readings from then on are evidence about the repaired circuit.</p>
			<Button
				kind="main"
				className="mt-2"
				disabled={add.isPending}
				onClick={() => add.mutate({ id: newID(), reading: { tool: 'fixed', faults: call.found.map((f) => f.fault) } })}
			>
				It is put right
			</Button>
			<Problem error={add.error} />
		</section>
	);
}

import type { Call } from '../api/client';
import { useMarkReading } from '../api/hooks';
import { Button } from '../ui/Button';

/** Readings that do not go together: said plainly, with the one most likely wrong. */
export function ConflictBand({ call }: { call: Call }) {
	const mark = useMarkReading(call.id);
	const conflict = call.diagnosis.conflict;
	if (!conflict) return null;
	const inForce = [...call.readings].reverse().filter((r) => !r.withdrawn && !r.problem);
	const suspect = inForce[conflict.reading];
	return (
		<section className="grid gap-2 border-2 border-ink bg-sheet px-3 py-2" aria-label="Readings that disagree">
			<p className="m-0">
				<b>{conflict.why.split('. ')[0]}.</b> {conflict.why.split('. ').slice(1).join('. ')}
			</p>
			{suspect && (
				<Button
					className="justify-self-start"
					onClick={() => mark.mutate({ reading: suspect.id, doubtful: true })}
					disabled={mark.isPending}
				>
					Mark it doubtful
				</Button>
			)}
		</section>
	);
}

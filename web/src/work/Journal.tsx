import type { Call, Work } from '../api/client';
import { useMarkEntry } from '../api/hooks';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { timeOf } from '../ui/words';

/** What was done so far, newest first; each line can be taken back. */
export function Journal({ call, work }: { call: Call; work: Work }) {
	const mark = useMarkEntry(call.id);
	return (
		<section aria-label="Journal">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">Journal</h2>
			<Problem error={mark.error} />
			{work.journal.length === 0 && <p className="m-0 py-2 text-soft">Nothing entered yet.</p>}
			<ol className="m-0 list-none p-0">
				{work.journal.map((line) => {
					const gone = line.entry.withdrawn ?? false;
					return (
						<li key={line.id} className="grid grid-cols-[3.4rem_1fr_auto] items-start gap-2 border-b border-rule">
							<span className="mono py-2.5 text-soft">{line.entry.at ? timeOf(line.entry.at) : ''}</span>
							<span className={`py-2.5 ${gone ? 'text-soft line-through' : ''}`}>{line.words}</span>
							{!call.drill && (
								<Button
									kind="quiet"
									aria-label={`${gone ? 'Put back' : 'Take back'}: ${line.words}`}
									disabled={mark.isPending}
									onClick={() => mark.mutate({ entry: line.id, withdrawn: !gone })}
								>
									{gone ? 'put back' : 'undo'}
								</Button>
							)}
						</li>
					);
				})}
			</ol>
		</section>
	);
}

import type { Call } from '../api/client';
import { useEndResult, useMakeResult, useMay } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { dayOf } from '../ui/words';

/** The customer's page of the result: a link that runs out. */
export function ResultLink({ call }: { call: Call }) {
	const make = useMakeResult(call.id);
	const end = useEndResult(call.id);
	const may = useMay('work');
	const link = make.data && new URL(make.data.path, window.location.href).href;
	return (
		<section aria-label="Page for the customer" className="grid gap-2">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">Page for the customer</h2>
			<p className="m-0">
				What was wrong, why it mattered, pictures, each outlet before and after, what is left, and how to reset.
			</p>
			{link && (
				<label className="grid gap-1 text-soft">
					send this to the customer; it is shown only now
					<input readOnly className={`${field} mono`} value={link} onFocus={(e) => e.target.select()} />
				</label>
			)}
			{may && (
				<div className="flex flex-wrap items-center gap-2">
					<Button disabled={make.isPending} onClick={() => make.mutate()}>
						{call.resultUntil ? 'Another link' : 'Make a link'}
					</Button>
					{call.resultUntil && (
						<>
							<span className="text-soft">in force until {dayOf(call.resultUntil)}</span>
							<Button kind="quiet" disabled={end.isPending} onClick={() => end.mutate(undefined)}>
								End it
							</Button>
						</>
					)}
				</div>
			)}
			<Problem error={make.error ?? end.error} />
		</section>
	);
}

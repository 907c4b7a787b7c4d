import type { Schemas } from '../api/client';
import { useMay } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { dayOf } from '../ui/words';

/** What of a mutation is needed here. */
interface Act {
	isPending: boolean;
	error: Error | null;
}

interface Props {
	make: Act & { data: Schemas['VisitLink'] | undefined; mutate: () => void };
	end: Act & { mutate: (nothing: undefined) => void };
	/** Until when one is in force; undefined: none is. */
	until: string | undefined;
}

/** A link for the customer: made, shown once, ended. */
export function CustomerLink({ make, end, until }: Props) {
	const may = useMay('work');
	const link = make.data && new URL(make.data.path, window.location.href).href;
	return (
		<>
			{link && (
				<label className="grid gap-1 text-soft">
					send this to the customer; it is shown only now
					<input readOnly className={`${field} mono`} value={link} onFocus={(e) => e.target.select()} />
				</label>
			)}
			{may && (
				<div className="flex flex-wrap items-center gap-2">
					<Button disabled={make.isPending} onClick={() => make.mutate()}>
						{until ? 'Another link' : 'Make a link'}
					</Button>
					{until && (
						<>
							<span className="text-soft">in force until {dayOf(until)}</span>
							<Button kind="quiet" disabled={end.isPending} onClick={() => end.mutate(undefined)}>
								End it
							</Button>
						</>
					)}
				</div>
			)}
			<Problem error={make.error ?? end.error} />
		</>
	);
}

import type { Call } from '../api/client';
import { useMarkClock } from '../api/hooks';
import { useMay } from '../api/shop';
import { hours } from '../circuit/words';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { timeOf } from '../ui/words';

const marks = [
	{ mark: 'arrived', words: 'Arrived', key: 'arrivedAt' },
	{ mark: 'found', words: 'Found', key: 'foundAt' },
	{ mark: 'done', words: 'Done', key: 'doneAt' },
] as const;

/** The clock of the call, one tap each, and how long the rest of it is expected to take. */
export function Clock({ call }: { call: Call }) {
	const set = useMarkClock(call.id);
	const may = useMay('work');
	const a = call.appointment ?? {};
	const rest = call.minutes;
	return (
		<section
			aria-label="The clock of the call"
			className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule py-1"
		>
			{marks.map((m) => {
				const at = a[m.key];
				return (
					<Button
						key={m.mark}
						kind={at ? 'quiet' : 'plain'}
						aria-pressed={Boolean(at)}
						disabled={!may || set.isPending}
						onClick={() => set.mutate({ mark: m.mark, off: Boolean(at) })}
					>
						{m.words}
						{at && <b className="mono">{timeOf(at)}</b>}
					</Button>
				);
			})}
			{(a.from || a.to) && !a.arrivedAt && (
				<span>
					promised <b className="mono">{a.from}</b> to <b className="mono">{a.to ?? 'the evening'}</b>
				</span>
			)}
			{a.telephone && (
				<a
					href={`tel:${a.telephone.replaceAll(/[^+\d]/g, '')}`}
					className="mono inline-flex min-h-11 items-center underline decoration-hair underline-offset-4"
				>
					{a.telephone}
				</a>
			)}
			{rest && rest.usual > 0 && !a.doneAt && (
				<span className="text-soft">
					{a.arrivedAt ? 'left' : 'all of it'}: usually {hours(rest.usual)}, {hours(rest.least)} to {hours(rest.most)}
				</span>
			)}
			<Problem error={set.error} />
		</section>
	);
}

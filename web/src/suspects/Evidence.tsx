import type { Call, Fault, Unrecorded } from '../api/client';
import { useWhy } from '../api/hooks';
import { Delta } from '../delta/Delta';
import { describe } from '../delta/shape';
import { Problem } from '../ui/Problem';

/** Readings for and against one suspect, each in a sentence, predicted beside seen. */
export function EvidenceList({ call, faults, beside }: { call: Call; faults: Fault[]; beside: Unrecorded[] }) {
	const why = useWhy(call, faults, beside, true);
	if (why.error) return <Problem error={why.error} again={() => why.refetch()} />;
	if (!why.data) return <p className="m-0 text-soft">Holding the readings against it</p>;
	const order = [...why.data].sort((a, b) => Math.abs(b.bits) - Math.abs(a.bits));
	if (order.length === 0) return <p className="m-0 text-soft">No reading yet.</p>;
	return (
		<ul className="m-0 list-none p-0" aria-label="For and against">
			{order.map((e) => (
				<li key={e.reading} className="grid grid-cols-[auto_1fr] items-center gap-3 border-t border-rule py-1.5">
					<span className="grid w-28 grid-cols-2 justify-items-center text-sm/tight text-soft">
						{describe(e.seen) !== 'not read' && (
							<>
								<Delta delta={e.seen} size={38} />
								<Delta delta={e.predicted} size={38} />
								<span>seen</span>
								<span>predicted</span>
							</>
						)}
					</span>
					<span>{e.words}</span>
				</li>
			))}
		</ul>
	);
}

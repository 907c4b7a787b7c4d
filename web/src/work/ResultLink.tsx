import type { Call } from '../api/client';
import { useEndResult, useMakeResult } from '../api/shop';
import { CustomerLink } from '../calls/CustomerLink';

/** The customer's page of the result: a link that runs out. */
export function ResultLink({ call }: { call: Call }) {
	return (
		<section aria-label="Page for the customer" className="grid gap-2">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">Page for the customer</h2>
			<p className="m-0">
				What was wrong, why it mattered, pictures, each outlet before and after, what is left, and how to reset.
			</p>
			<CustomerLink make={useMakeResult(call.id)} end={useEndResult(call.id)} until={call.resultUntil} />
		</section>
	);
}

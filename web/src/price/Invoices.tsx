import { Link } from 'react-router';
import { useInvoices } from '../api/day';
import { Page } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dateOf } from '../ui/words';
import { money } from './words';

/** Invoices and credit notes, the newest first. */
export function InvoicesScreen() {
	const all = useInvoices();
	return (
		<Page title="Invoices">
			<Problem error={all.error} again={() => all.refetch()} />
			{all.data?.length === 0 && <p className="m-0">None is issued yet. A call's price has a button for it.</p>}
			<ul className="m-0 list-none p-0" aria-label="Invoices">
				{all.data?.map((i) => (
					<li
						key={i.number}
						className="grid grid-cols-[1fr_auto] items-center gap-x-4 border-b border-rule py-1 wide:grid-cols-[10rem_8rem_1fr_8rem_auto]"
					>
						<b>
							{i.of ? 'Credit ' : ''}
							{i.document.number}
						</b>
						<span className="text-soft">{dateOf(i.document.at)}</span>
						<Link
							to={`/calls/${i.document.call}/price`}
							className="inline-flex min-h-11 min-w-0 items-center underline decoration-hair underline-offset-4"
						>
							<span className="truncate">
								{i.document.customer.name}: {i.document.subject}
							</span>
						</Link>
						<span className="mono text-right">
							{i.of ? '-' : ''}
							{money(i.document.totals.gross, i.document.currency)}
						</span>
						<a
							href={`/api/v1/invoices/${i.number}/invoice.pdf`}
							className="inline-flex min-h-11 min-w-11 items-center underline decoration-hair underline-offset-4"
						>
							PDF
						</a>
					</li>
				))}
			</ul>
		</Page>
	);
}

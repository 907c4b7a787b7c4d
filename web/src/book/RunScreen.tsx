import { Link, useParams } from 'react-router';
import type { HistoryLine, RunBook } from '../api/client';
import { useRun } from '../api/shop';
import { Delta } from '../delta/Delta';
import { describe } from '../delta/shape';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dateOf } from '../ui/words';
import { GuardTable } from './Guards';

/** A run over the years: what each outlet showed on each call, as found and as left. */
export function RunScreen() {
	const run = useRun(Number(useParams().run));
	if (!run.data) {
		return (
			<Page title={run.error ? 'This run cannot be shown' : 'Opening the run'} back="/book" backWords="Site book">
				<Problem error={run.error} again={() => run.refetch()} />
			</Page>
		);
	}
	return <Loaded run={run.data} />;
}

function Loaded({ run }: { run: RunBook }) {
	const calls = callsOf(run);
	return (
		<Page
			title={run.name}
			under={`${run.siteName}, ${run.panel}, breaker ${run.breaker.label || '?'}`}
			back={`/book/sites/${run.site}`}
			backWords={run.siteName}
		>
			<Part title="Outlets over time">
				{calls.length === 0 ? (
					<p className="m-0">Nothing was read on this run yet.</p>
				) : (
					<>
						<div className="relative overflow-x-auto">
							<table className="border-collapse">
								<thead>
									<tr className="border-b border-hair text-left">
										<th scope="col" className="min-w-36 py-1 pr-4 font-normal text-soft">
											outlet
										</th>
										{calls.map((c) => (
											<th key={c.call} scope="col" className="min-w-40 px-3 py-1 font-bold">
												<Link
													to={`/calls/${c.call}`}
													className="inline-flex min-h-11 items-center underline decoration-hair underline-offset-4"
												>
													{dateOf(c.at)}
												</Link>
											</th>
										))}
									</tr>
								</thead>
								<tbody>
									{run.outlets.map((o) => (
										<tr key={o.device} className="border-b border-rule">
											<th scope="row" className="py-2 pr-4 text-left font-bold">
												{o.label}
											</th>
											{calls.map((c) => (
												<td key={c.call} className="px-3 py-2 align-middle">
													<Shown lines={o.lines.filter((l) => l.call === c.call)} />
												</td>
											))}
										</tr>
									))}
								</tbody>
							</table>
						</div>
						<p className="m-0 text-soft">
							Top half, then bottom half, as found. After the arrow: as left, where work was done. Tap a date to open
							the call.
						</p>
					</>
				)}
			</Part>
			<Part title="GFCIs on this run">
				<GuardTable guards={run.gfcis} />
			</Part>
		</Page>
	);
}

/** The calls that read anything, the newest first. */
function callsOf(run: RunBook): { call: number; at: string }[] {
	const seen = new Map<number, string>();
	for (const o of run.outlets) for (const l of o.lines) seen.set(l.call, l.at);
	return [...seen].map(([call, at]) => ({ call, at })).sort((a, b) => b.at.localeCompare(a.at));
}

function Shown({ lines }: { lines: HistoryLine[] }) {
	if (lines.length === 0) return <span className="text-soft">not read</span>;
	const left = lines.some((l) => l.left);
	const at = (half: string) => lines.find((l) => l.half === half);
	return (
		<span className="flex items-center gap-1">
			<Delta delta={at('top')?.found} size={34} />
			<Delta delta={at('bottom')?.found} size={34} />
			{left && (
				<>
					<span aria-hidden="true" className="mx-1 text-xl">
						→
					</span>
					<span className="sr-only">left as {describe(at('top')?.left)}</span>
					<Delta delta={at('top')?.left} size={34} />
					<Delta delta={at('bottom')?.left} size={34} />
				</>
			)}
			{lines[0]?.done && <span className="ml-1 text-soft">{lines[0].done}</span>}
		</span>
	);
}

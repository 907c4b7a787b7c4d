import { useState } from 'react';
import { Link } from 'react-router';
import type { Guard } from '../api/client';
import { useSetInstalled } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { dateOf } from '../ui/words';

/** One line of the register: what it is, its age, its last test, when the next is due. */
export function GuardLine({ guard, withSite }: { guard: Guard; withSite?: boolean }) {
	const served = guard.serves === 1 ? '1 outlet' : `${guard.serves} outlets`;
	return (
		<li className="border-b border-rule">
			<Link
				to={`/book/runs/${guard.run}`}
				className="grid min-h-11 grid-cols-[1fr_auto] items-baseline gap-x-4 py-2 hover:bg-wash"
			>
				<b>{guard.label}</b>
				<span className={guard.due ? 'font-bold' : ''}>
					{guard.due ? (
						<>
							<span aria-hidden="true">▲ </span>due
						</>
					) : (
						`due ${dateOf(guard.dueAt)}`
					)}
				</span>
				<span className="text-soft">
					{withSite ? `${guard.siteName}, ${guard.runName}` : `${guard.runName}, protects ${served}`}
				</span>
				<span className="text-soft">{tested(guard)}</span>
			</Link>
		</li>
	);
}

function tested(guard: Guard): string {
	if (!guard.testedAt) return 'never tested here';
	return `${guard.held ? 'tripped' : 'DID NOT TRIP'} ${dateOf(guard.testedAt)}`;
}

/** The register of a house as a table. */
export function GuardTable({ guards }: { guards: Guard[] }) {
	if (guards.length === 0) return <p className="m-0">No GFCI is known here.</p>;
	return (
		<div className="relative overflow-x-auto">
			<table className="w-full border-collapse text-left">
				<thead>
					<tr className="border-b border-hair text-soft">
						<th className="py-1 pr-4 font-normal">where</th>
						<th className="py-1 pr-4 font-normal">run</th>
						<th className="py-1 pr-4 font-normal">protects</th>
						<th className="py-1 pr-4 font-normal">age</th>
						<th className="py-1 pr-4 font-normal">last test</th>
						<th className="py-1 font-normal">next</th>
					</tr>
				</thead>
				<tbody>
					{guards.map((g) => (
						<tr key={`${g.run} ${g.device}`} className="border-b border-rule">
							<td className="py-1.5 pr-4 font-bold">{g.label}</td>
							<td className="py-1.5 pr-4">
								<Link to={`/book/runs/${g.run}`} className="underline decoration-hair underline-offset-4">
									{g.runName}
								</Link>
							</td>
							<td className="mono py-1.5 pr-4">{g.serves}</td>
							<td className="py-1 pr-4">
								<Age guard={g} />
							</td>
							<td className="py-1.5 pr-4">{tested(g)}</td>
							<td className={`py-1.5 ${g.due ? 'font-bold' : ''}`}>{g.due ? '▲ due' : dateOf(g.dueAt)}</td>
						</tr>
					))}
				</tbody>
			</table>
		</div>
	);
}

/** Its age; a tap sets when it was put in. */
function Age({ guard }: { guard: Guard }) {
	const set = useSetInstalled(guard.run);
	const [open, setOpen] = useState(false);
	const age =
		guard.years === undefined
			? 'not known'
			: guard.years === 0
				? 'under a year'
				: guard.years === 1
					? '1 year'
					: `${guard.years} years`;
	if (!open) {
		return (
			<Button kind="quiet" className="-ml-2" aria-label={`Age of ${guard.label}: ${age}`} onClick={() => setOpen(true)}>
				{age}
			</Button>
		);
	}
	return (
		<>
			<input
				type="date"
				aria-label={`When ${guard.label} was put in`}
				className={field}
				defaultValue={guard.installedAt?.slice(0, 10)}
				onChange={(e) =>
					set.mutate(
						{ device: guard.device, installedAt: e.target.value || undefined },
						{ onSuccess: () => setOpen(false) },
					)
				}
			/>
			<Problem error={set.error} />
		</>
	);
}

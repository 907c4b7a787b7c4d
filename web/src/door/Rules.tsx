import type { ReactNode } from 'react';
import { type DoorRules, useDoorRules, useSetDoorRules } from '../api/door';
import { field } from '../ui/Button';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';

const years = [0, 1, 2, 3, 5, 7, 10, 15, 20, 30];

/** What the shop asks of who signs in, and how long it keeps its customers' data. */
export function Rules({ signIn }: { signIn: boolean }) {
	const rules = useDoorRules();
	const set = useSetDoorRules();
	const now = rules.data;
	if (!now) return <Problem error={rules.error} again={() => rules.refetch()} />;
	const change = (part: Partial<DoorRules>) => set.mutate({ ...now, ...part });
	return (
		<Part title="Rules of the door">
			{signIn && (
				<>
					<Tick is={now.secondFactor} busy={set.isPending} set={(secondFactor) => change({ secondFactor })}>
						Electricians sign in with a second factor: who has none sets one up first.
					</Tick>
					<Tick is={now.shortSessions} busy={set.isPending} set={(shortSessions) => change({ shortSessions })}>
						Who is signed in signs in anew after half an hour without use, or twelve hours. Otherwise three days, or
						thirty.
					</Tick>
				</>
			)}
			<label className="flex flex-wrap items-center gap-3">
				<span className="grow">What is kept of customers is erased so long after the last call at a house</span>
				<select
					className={field}
					value={now.keepYears}
					disabled={set.isPending}
					onChange={(e) => change({ keepYears: Number(e.target.value) })}
				>
					{(years.includes(now.keepYears) ? years : [...years, now.keepYears]).map((y) => (
						<option key={y} value={y}>
							{y === 0 ? 'never by itself' : y === 1 ? '1 year' : `${y} years`}
						</option>
					))}
				</select>
			</label>
			<p className="m-0 text-soft">
				The record of the work stays: what was measured, found and done, without names, rooms and pictures. How long
				records of electrical work have to be kept, local law and your insurer say.
			</p>
			<Problem error={set.error} />
		</Part>
	);
}

interface TickProps {
	is: boolean;
	busy: boolean;
	set: (is: boolean) => void;
	children: ReactNode;
}

function Tick({ is, busy, set, children }: TickProps) {
	return (
		<label className="flex min-h-11 items-center gap-3">
			<input
				type="checkbox"
				className="size-6 shrink-0 accent-[var(--accent)]"
				checked={is}
				disabled={busy}
				onChange={(e) => set(e.target.checked)}
			/>
			<span>{children}</span>
		</label>
	);
}

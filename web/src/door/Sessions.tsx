import { useEndSession, useOwnSessions } from '../api/door';
import { Button } from '../ui/Button';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dayOf, timeOf } from '../ui/words';

/** What a browser calls itself, in two words: many names stand in it for the sake of others. */
function browserWords(agent: string): string {
	const of: [RegExp, string][] = [
		[/iPhone|iPad|Android/, 'phone or tablet'],
		[/Windows|Macintosh|Linux|CrOS/, 'computer'],
	];
	return of.find(([re]) => re.test(agent))?.[1] ?? 'another device';
}

/** The browsers one is signed in with; any of them can be ended. */
export function Sessions() {
	const sessions = useOwnSessions();
	const end = useEndSession();
	return (
		<Part title="Where you are signed in">
			<Problem error={sessions.error ?? end.error} again={() => sessions.refetch()} />
			<ul className="m-0 grid max-w-prose list-none p-0" aria-label="Where you are signed in">
				{sessions.data?.map((n) => (
					<li key={n.id} className="grid grid-cols-[1fr_auto] items-center gap-x-4 border-b border-rule py-1">
						<span>
							<b>{n.this ? 'This browser' : `A ${browserWords(n.browser)}`}</b>, from{' '}
							<span className="mono">{n.place}</span>
							<br />
							<span className="text-soft" title={n.browser}>
								since {dayOf(n.createdAt)}, last used {dayOf(n.seenAt)}, {timeOf(n.seenAt)}
							</span>
						</span>
						{!n.this && (
							<Button
								kind="quiet"
								disabled={end.isPending}
								onClick={() => end.mutate(n.id)}
								aria-label={`End the session from ${n.place}, since ${dayOf(n.createdAt)}`}
							>
								End it
							</Button>
						)}
					</li>
				))}
			</ul>
		</Part>
	);
}

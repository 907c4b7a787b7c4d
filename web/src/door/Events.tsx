import { useState } from 'react';
import { Link } from 'react-router';
import { type Event, take, useEvents } from '../api/door';
import { Button } from '../ui/Button';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dayOf, timeOf } from '../ui/words';

/** What happened, in words, by its code. */
const words: Record<string, string> = {
	'signed-in': 'signed in',
	'sign-in-failed': 'a sign-in failed',
	'second-factor-failed': 'a second factor failed',
	'recovery-used': 'used a recovery code',
	'passphrase-given': 'gave the passphrase once more',
	'passphrase-changed': 'changed their passphrase',
	'session-ended': 'ended one of their sessions',
	'factor-added': 'added a second factor',
	'factor-removed': 'took a second factor away',
	'recovery-made': 'made recovery codes',
	'token-added': 'gave a program access',
	'token-withdrawn': 'withdrew a program',
	'person-added': 'let somebody in',
	'person-changed': 'changed a person',
	'door-set': 'set the rules of the door',
	'practice-set': 'set the practice',
	'learning-forgotten': 'had the shop forget what it learned',
	'backup-made': 'made a backup',
	'backup-taken': 'took a backup',
	'archive-taken': 'took the archive',
	'events-taken': 'took this list',
	'link-made': 'made a link for a customer',
	'link-ended': "ended a customer's link",
	'calendar-made': "made an address for a van's calendar",
	'calendar-ended': "ended the address of a van's calendar",
	'prices-set': 'set the price list',
	invoice: 'issued an invoice',
	credit: 'credited an invoice',
	'gate-passed': 'passed a shut gate',
	'finding-accepted': 'took a finding on',
	'handed-over': 'handed over',
	'customer-erased': "erased a customer's data",
	'customer-data-taken': "took a customer's data",
};

/** What the shop may have to answer for. Nobody edits it. */
export function Events() {
	const [before, setBefore] = useState(0);
	const events = useEvents(before);
	const [failed, setFailed] = useState<Error>();
	const all = events.data ?? [];
	const oldest = all.at(-1);
	return (
		<Part
			title="What happened"
			aside={
				<Button kind="quiet" onClick={() => take('/api/v1/events.csv').catch(setFailed)}>
					All of it for a spreadsheet
				</Button>
			}
		>
			<p className="m-0 text-soft">Written down as it happens, edited by nobody, kept for two years.</p>
			<Problem error={events.error ?? failed} again={() => events.refetch()} />
			<ol className="m-0 grid list-none p-0" aria-label="What happened">
				{all.map((e) => (
					<Line key={e.id} event={e} />
				))}
			</ol>
			{all.length === 0 && events.data && <p className="m-0">Nothing yet.</p>}
			<div className="flex gap-2">
				{oldest && all.length >= 200 && <Button onClick={() => setBefore(oldest.id)}>Older</Button>}
				{before > 0 && <Button onClick={() => setBefore(0)}>The newest</Button>}
			</div>
		</Part>
	);
}

function Line({ event: e }: { event: Event }) {
	return (
		<li className="grid items-baseline gap-x-4 border-b border-rule py-1 wide:grid-cols-[13rem_1fr_auto]">
			<span className="mono text-soft">
				{dayOf(e.at)}, {timeOf(e.at)}
			</span>
			<span className="min-w-0 wrap-anywhere">
				<b>{e.person || 'somebody'}</b> {words[e.what] ?? e.what}
				{e.about && `: ${e.about}`}
				{e.call && (
					<>
						{', '}
						<Link to={`/calls/${e.call}`} className="underline underline-offset-4">
							call {e.call}
						</Link>
					</>
				)}
			</span>
			<span className="mono text-soft">{e.place}</span>
		</li>
	);
}

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Button } from '../ui/Button';
import { timeOf } from '../ui/words';
import { letGo, own, sendAll, type Waiting, watch } from './outbox';

/** How often what waits is tried again. */
const every = 3000;
/** What is on its way for less than this is nothing to speak of. */
const patience = 2500;

/** Sends what waits from before; says so while anything does. */
export function WaitingBar() {
	const cache = useQueryClient();
	const [all, setAll] = useState<Waiting[]>([]);
	const [, tick] = useState(0);
	useEffect(() => watch(setAll), []);
	useEffect(() => {
		const go = () =>
			void sendAll((call) => {
				for (const key of ['call', 'work', 'report']) cache.invalidateQueries({ queryKey: [key, call] });
			}).finally(() => tick((n) => n + 1));
		go();
		const timer = setInterval(go, every);
		window.addEventListener('online', go);
		return () => {
			clearInterval(timer);
			window.removeEventListener('online', go);
		};
	}, [cache]);
	const stuck = all.filter((w) => w.problem);
	const late = all.filter((w) => !w.problem && own(w) && Date.now() - w.at > patience);
	const others = all.filter((w) => !w.problem && !own(w));
	if (stuck.length + late.length + others.length === 0) return null;
	return (
		<aside aria-label="Not sent yet" className="border-b-2 border-ink bg-sheet px-4 py-2 wide:px-5 print:hidden">
			{late.length > 0 && (
				<p className="m-0">
					<b>{late.length === 1 ? '1 entry waits' : `${late.length} entries wait`} for the server.</b> Kept in this
					browser, sent by itself when the server is back.
				</p>
			)}
			{others.length > 0 && (
				<p className="m-0">
					<b>
						{others.length === 1 ? '1 entry' : `${others.length} entries`} of {others[0]?.person} wait
						{others.length === 1 ? 's' : ''} here.
					</b>{' '}
					Sent only once {others[0]?.person} signs in at this browser.
				</p>
			)}
			{stuck.map((w) => (
				<p key={w.id} role="alert" className="m-0 flex flex-wrap items-center gap-x-3">
					<span className="wrap-anywhere">
						<b>
							{nameOf(w)} of {timeOf(new Date(w.at).toISOString())}
						</b>{' '}
						could not be entered: {w.problem}
					</span>
					<Button kind="quiet" onClick={() => void letGo(w.id)}>
						Let go of it
					</Button>
				</p>
			))}
		</aside>
	);
}

function nameOf(w: Waiting): string {
	switch (w.kind) {
		case 'reading':
			return `Reading${w.reading.at ? ` at ${w.reading.at}` : ''} (${w.reading.tool})`;
		case 'entry':
			return `Entry (${w.entry.kind.replaceAll('-', ' ')})`;
		case 'picture':
			return `Photograph (${w.phase})`;
	}
}

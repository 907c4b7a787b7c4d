import { registerSW } from 'virtual:pwa-register';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { useLocation } from 'react-router';
import { device } from '../api/client';
import { useSession } from '../api/shop';
import { Button } from '../ui/Button';
import { timeOf } from '../ui/words';
import { able, begin, forget, known, now, sync, watch } from './phone';

/** How often both sides are held against each other, and how long after the page is there for the first time. */
const every = 20_000;
const first = 8_000;

/** Keeps the phone and the shop the same, and says how far that is. */
export function PhoneBar() {
	const cache = useQueryClient();
	const session = useSession();
	const lying = useSyncExternalStore(watch, now);
	const { pathname } = useLocation();
	const [fresh, setFresh] = useState<(() => void) | null>(null);
	const who = session.data;
	const works = who?.may.includes('work') ?? false;
	useEffect(() => {
		if (!able() || !works) return;
		let stopped = false;
		const round = async () => {
			if (stopped || document.visibilityState === 'hidden') return;
			const before = now().waiting.length;
			await begin({ device, person: who?.name ?? '', role: who?.role ?? '' });
			if ((await sync(device)) && before > 0) void cache.invalidateQueries();
		};
		const timer = setInterval(() => void round(), every);
		const soon = setTimeout(() => void round(), first);
		void known.then(() => {
			if (now().waiting.length > 0) void round();
		});
		const online = () => void round();
		window.addEventListener('online', online);
		return () => {
			stopped = true;
			clearInterval(timer);
			clearTimeout(soon);
			window.removeEventListener('online', online);
		};
	}, [works, who?.name, who?.role, cache]);
	useEffect(() => {
		if (!('serviceWorker' in navigator)) return;
		const take = registerSW({ onNeedRefresh: () => setFresh(() => () => void take(true)) });
	}, []);
	const late = lying.waiting.filter((w) => !w.refused);
	const stuck = lying.waiting.filter((w) => w.refused);
	return (
		<>
			{fresh && pathname === '/' && (
				<aside
					aria-label="New version"
					className="flex items-center gap-3 border-b-2 border-ink bg-wash px-4 print:hidden"
				>
					<p className="m-0 grow">A new version of Elvat is here.</p>
					<Button kind="quiet" onClick={fresh}>
						Start it
					</Button>
				</aside>
			)}
			{(late.length > 0 || stuck.length > 0 || !lying.reached) && (
				<aside
					aria-label="With the shop"
					role="status"
					className="border-b-2 border-ink bg-sheet px-4 py-1 wide:px-5 print:hidden"
				>
					{(late.length > 0 || !lying.reached) && (
						<p className="m-0">
							{late.length > 0 && <b>{late.length} not sent yet. </b>}
							No signal: the phone answers by itself
							{lying.synced && `; all was with the shop ${timeOf(lying.synced)}`}.
						</p>
					)}
					{stuck.map((w) => (
						<p key={w.id} className="m-0 flex flex-wrap items-center gap-x-3">
							<span className="grow">
								<b>Needs a decision.</b> Entered {timeOf(w.madeAt)}, and not taken: {w.refused}
							</span>
							<Button kind="quiet" onClick={() => void forget(w.id)}>
								Let go of it
							</Button>
						</p>
					))}
				</aside>
			)}
		</>
	);
}

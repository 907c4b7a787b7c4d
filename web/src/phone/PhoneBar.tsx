import { registerSW } from 'virtual:pwa-register';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { Link, useLocation, useNavigate } from 'react-router';
import { body, client, device } from '../api/client';
import { useSession } from '../api/shop';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { timeOf } from '../ui/words';
import { able, begin, drop, keepInStep, keeps, known, now, sync, watch } from './phone';
import { useLate } from './ShopState';

/** How often both sides are held against each other, and how long after the page is there for the first time. */
const every = 5_000;
const first = 1_000;

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
		keepInStep(device, () => void cache.invalidateQueries());
		const ready = begin({ device, person: who?.name ?? '', role: who?.role ?? '' });
		const round = async () => {
			if (stopped || document.visibilityState === 'hidden') return;
			await ready;
			await sync();
		};
		const timer = setInterval(() => void round(), every);
		// What waited goes up at once; otherwise the page comes first.
		void known.then(() => setTimeout(() => void round(), now().waiting.length > 0 ? 0 : first));
		const online = () => void round();
		const seen = () => void (document.visibilityState === 'visible' && round());
		window.addEventListener('online', online);
		document.addEventListener('visibilitychange', seen);
		return () => {
			stopped = true;
			clearInterval(timer);
			window.removeEventListener('online', online);
			document.removeEventListener('visibilitychange', seen);
		};
	}, [works, who?.name, who?.role, cache]);
	useEffect(() => {
		// A customer opens a link once: nothing is laid on their phone.
		if (!works || !('serviceWorker' in navigator)) return;
		const take = registerSW({
			onNeedRefresh: () => setFresh(() => () => void take(true)),
			onRegisteredSW: () => keeps(true),
			onRegisterError: () => keeps(false),
		});
	}, [works]);
	useNumber(lying.numbers);
	const late = useLate(lying.waiting.length + lying.pictures > 0) || !lying.reached || lying.signedOut;
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
			{works && late && (
				<aside
					aria-label="With the shop"
					role="status"
					className="border-b-2 border-ink bg-sheet px-4 py-1 wide:px-5 print:hidden"
				>
					<p className="m-0">
						{count(lying.waiting.length, 'entry', 'entries')}
						{count(lying.pictures, 'photograph', 'photographs')}
						{lying.signedOut ? (
							<>
								<Link to="/me">Sign in again</Link> and it goes to the shop
							</>
						) : lying.reached ? (
							'On its way to the shop'
						) : (
							'No signal: the phone answers by itself'
						)}
						{lying.synced && `; all was with the shop ${timeOf(lying.synced)}`}.
					</p>
				</aside>
			)}
			{works && lying.untaken.length > 0 && (
				<aside
					aria-label="Photographs not taken"
					className="border-b-2 border-ink bg-sheet px-4 py-1 wide:px-5 print:hidden"
				>
					{lying.untaken.map((p) => (
						<p key={p.id} className="m-0 flex flex-wrap items-center gap-x-3">
							<span className="min-w-0 grow basis-80 wrap-anywhere">
								<b>A photograph is not with the shop.</b> {p.why}
							</span>
							<Button kind="quiet" onClick={() => void drop(p.id)}>
								Let go of it
							</Button>
						</p>
					))}
				</aside>
			)}
			{works && <Decisions />}
		</>
	);
}

const count = (n: number, one: string, more: string) =>
	n > 0 && (
		<b>
			{n} {n === 1 ? one : more} not sent yet.{' '}
		</b>
	);

/** A page that is open on a call that was begun here goes on under the shop's number for it. */
function useNumber(numbers: Record<string, number>) {
	const { pathname, search } = useLocation();
	const navigate = useNavigate();
	const own = /^\/calls\/(-\d+)/.exec(pathname)?.[1];
	const shops = own && numbers[own];
	useEffect(() => {
		if (own && shops) navigate(pathname.replace(own, String(shops)) + search, { replace: true });
	}, [own, shops, pathname, search, navigate]);
}

/** What arrived late and the record does not take by now: everybody sees it until somebody decides. */
function Decisions() {
	const { decisions } = useSyncExternalStore(watch, now);
	const { pathname } = useLocation();
	// On the day's screen all of them, on a call its own.
	const shown = decisions.filter((d) => pathname === '/' || pathname.split('/')[2] === String(d.call));
	const decide = useMutation({
		mutationFn: ({ id, take }: { id: string; take: boolean }) =>
			body(client.POST('/api/v1/decisions/{decision}', { params: { path: { decision: id } }, body: { take } })),
	});
	if (shown.length === 0) return null;
	return (
		<aside aria-label="Needs a decision" className="border-b-2 border-ink bg-sheet px-4 py-1 wide:px-5 print:hidden">
			{shown.map((d) => (
				<p key={d.id} className="m-0 flex flex-wrap items-center gap-x-3">
					<span className="min-w-0 grow basis-80 wrap-anywhere">
						<b>Needs a decision.</b> {timeOf(d.at)}, {d.by}: {d.what}
						{d.call > 0 && (
							<>
								{' '}
								(<Link to={`/calls/${d.call}`}>call {d.call}</Link>)
							</>
						)}
						. It is not on the record: {d.why}.
					</span>
					<Button kind="quiet" onClick={() => decide.mutate({ id: d.id, take: true })} disabled={decide.isPending}>
						Enter it now
					</Button>
					<Button kind="quiet" onClick={() => decide.mutate({ id: d.id, take: false })} disabled={decide.isPending}>
						Let go of it
					</Button>
				</p>
			))}
			<Problem error={decide.error} />
		</aside>
	);
}

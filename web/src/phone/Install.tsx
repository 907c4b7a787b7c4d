import { useEffect, useState, useSyncExternalStore } from 'react';
import { Button } from '../ui/Button';
import { now, watch } from './phone';

/** What the browser hands over when it would install the application. */
interface Offer extends Event {
	prompt: () => Promise<{ outcome: string }>;
}

let offer: Offer | undefined;
const heard = new Set<() => void>();
const tell = () => {
	for (const one of heard) one();
};

/** Kept until there is a good moment: the browser asks but once. */
export function keepOffer(): void {
	window.addEventListener('beforeinstallprompt', (e) => {
		e.preventDefault();
		offer = e as Offer;
		tell();
	});
	window.addEventListener('appinstalled', () => {
		offer = undefined;
		tell();
	});
}

const listen = (one: () => void) => {
	heard.add(one);
	return () => heard.delete(one);
};

const name = 'elvat-install-not-now';

function notNow(): boolean {
	try {
		return localStorage.getItem(name) !== null;
	} catch {
		return true; // a browser that keeps nothing keeps no application
	}
}

/** On the home screen already. */
export const installed = () => matchMedia('(display-mode: standalone)').matches;

/** Offered between calls, once the phone has what it needs to go on without a signal, and once. */
export function Install({ worked }: { worked: boolean }) {
	const offered = useSyncExternalStore(listen, () => offer);
	const { synced } = useSyncExternalStore(watch, now);
	const [put, setPut] = useState(notNow());
	// Once it is installed the browser is asked to keep what lies here; “This phone” says what it answered.
	useEffect(() => {
		if (installed()) void navigator.storage?.persist?.();
	}, []);
	if (!offered || !synced || !worked || put || installed()) return null;
	return (
		<aside
			aria-label="Install"
			className="flex flex-wrap items-center gap-3 border-2 border-ink px-4 py-2 print:hidden"
		>
			<p className="m-0 min-w-0 grow basis-64">
				<b>Put Elvat on the home screen.</b> It then starts without a signal, in a basement as anywhere.
			</p>
			<Button kind="main" onClick={() => void offered.prompt()}>
				Install
			</Button>
			<Button
				kind="quiet"
				onClick={() => {
					setPut(true);
					try {
						localStorage.setItem(name, '1');
					} catch {}
				}}
			>
				Not now
			</Button>
		</aside>
	);
}

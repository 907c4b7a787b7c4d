import { Check, CloudOff, Upload } from 'lucide-react';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { Link } from 'react-router';
import { timeOf } from '../ui/words';
import { now, watch } from './phone';

/** What is on its way for less than this is nothing to speak of. */
const patience = 5_000;

/** Whether something has been so for a while. */
export function useLate(so: boolean): boolean {
	const [late, setLate] = useState(false);
	useEffect(() => {
		if (!so) return setLate(false);
		const timer = setTimeout(() => setLate(true), patience);
		return () => clearTimeout(timer);
	}, [so]);
	return late;
}

/** How far the phone and the shop are, in a corner of every screen. */
export function ShopState() {
	const { waiting, pictures, synced, reached } = useSyncExternalStore(watch, now);
	const unsent = waiting.length + pictures;
	const late = useLate(unsent > 0);
	if (!synced) return null; // a browser that keeps no application, or not yet
	const [Sign, words, name] = !reached
		? [CloudOff, unsent > 0 ? `${unsent}` : '', `No signal${unsent > 0 ? `, ${unsent} not sent yet` : ''}`]
		: late
			? [Upload, `${unsent}`, `${unsent} not sent yet`]
			: [Check, '', `All with the shop ${timeOf(synced)}`];
	return (
		<Link
			to="/me"
			title={name}
			aria-label={name}
			className="flex size-11 shrink-0 items-center justify-center gap-0.5 text-soft no-underline hover:bg-wash print:hidden"
		>
			<Sign size={18} aria-hidden="true" />
			{words && <b>{words}</b>}
		</Link>
	);
}

import { Check, CloudOff, Upload } from 'lucide-react';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { Link } from 'react-router';
import { timeOf } from '../ui/words';
import { now, unsent, watch } from './phone';

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
	const lying = useSyncExternalStore(watch, now);
	const { synced, reached } = lying;
	const left = unsent(lying);
	const late = useLate(left > 0);
	if (!synced) return null; // a browser that keeps no application, or not yet
	const [Sign, words, name] = !reached
		? [CloudOff, left > 0 ? `${left}` : '', `No signal${left > 0 ? `, ${left} not sent yet` : ''}`]
		: late
			? [Upload, `${left}`, `${left} not sent yet`]
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

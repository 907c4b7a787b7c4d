import { useState, useSyncExternalStore } from 'react';
import { Link } from 'react-router';
import { useMay, useSession, useSignOut } from '../api/shop';
import { now, sync, unsent, watch } from '../phone/phone';
import { Button } from './Button';

const link = 'inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4';

/** The other rooms of the shop. */
export function Nav() {
	const session = useSession();
	const manages = useMay('manage');
	const out = useSignOut();
	const left = unsent(useSyncExternalStore(watch, now));
	const [asked, setAsked] = useState(false);
	// What waits would go with the rest of the shop's: it is sent first, and who cannot is asked.
	const signOut = async () => {
		if (left > 0 && !asked && !(await sync())) return setAsked(true);
		out.mutate();
	};
	return (
		<nav aria-label="The shop" className="flex flex-wrap items-center max-wide:px-2">
			<Link to="/days" className={link}>
				Day sheet
			</Link>
			<Link to="/book" className={link}>
				Site book
			</Link>
			<Link to="/sums" className={link}>
				Sums
			</Link>
			<Link to="/practice" className={link}>
				Practice and code
			</Link>
			<Link to="/drills" className={link}>
				Drills
			</Link>
			<Link to="/guide" className={link}>
				Guide
			</Link>
			<Link to="/vans" className={link}>
				Vans
			</Link>
			<Link to="/invoices" className={link}>
				Invoices
			</Link>
			{manages && (
				<Link to="/shop" className={link}>
					People and backups
				</Link>
			)}
			{session.data?.required && session.data.name && (
				<span className="inline-flex items-center">
					<Link to="/me" className={link}>
						{session.data.name}, {session.data.role}
					</Link>
					<Button kind="quiet" onClick={() => void signOut()}>
						{asked && left > 0 ? `Sign out and lose ${left} not sent yet` : 'Sign out'}
					</Button>
				</span>
			)}
		</nav>
	);
}

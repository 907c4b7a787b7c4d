import { useIsFetching, useIsMutating } from '@tanstack/react-query';
import { useEffect, useState } from 'react';

/** After so long one wants to know that something goes on. */
const patience = 400;

/** A bar over the screen while the server works something out. */
export function Working() {
	// What failed and waits to be sent again says so itself.
	const sending = useIsMutating({ predicate: (m) => m.state.failureCount === 0 });
	const busy = useIsFetching() + sending > 0;
	const [shown, setShown] = useState(false);
	useEffect(() => {
		if (!busy) {
			setShown(false);
			return;
		}
		const timer = setTimeout(() => setShown(true), patience);
		return () => clearTimeout(timer);
	}, [busy]);
	if (!shown) return null;
	return (
		<aside
			aria-label="Working it out"
			className="pointer-events-none print:hidden fixed inset-x-0 top-0 z-30 flex justify-center"
		>
			<progress className="working absolute inset-x-0 top-0 h-1.5 w-full appearance-none bg-accent [&::-webkit-progress-bar]:bg-accent" />
			<span className="mt-1.5 bg-ink px-3 py-1 text-paper">Working it out</span>
		</aside>
	);
}

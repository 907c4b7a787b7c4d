import type { ReactNode } from 'react';

/** What can hurt at this step, where the step is. */
export function Caution({ children }: { children: ReactNode }) {
	return (
		<div className="flex border-2 border-ink">
			<i aria-hidden="true" className="stripes w-4 shrink-0" />
			<p className="m-0 px-3 py-2">{children}</p>
		</div>
	);
}

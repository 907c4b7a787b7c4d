import type { Plan } from '../api/client';
import { measure } from '../ui/units';

/** Box fill as a volume that fills up; past the line it does not fit. */
export function FillBar({ fill }: { fill: Plan['fill'] }) {
	const most = Math.max(fill.requiredIn3, fill.availableIn3, 1) * 1.02;
	const share = (in3: number) => `${(100 * in3) / most}%`;
	const in3 = measure('in³');
	const over = fill.known && !fill.ok;
	return (
		<section className="mt-2" aria-label="Box fill">
			<p className="m-0 flex flex-wrap items-baseline gap-x-3">
				<b className={`mono text-xl ${over ? 'bg-ink px-1.5 text-paper' : ''}`}>{in3.said(fill.requiredIn3)}</b>
				<span>
					{fill.known ? (
						<>
							of {in3.said(fill.availableIn3)} <b>{fill.ok ? 'It fits.' : 'Too full.'}</b>
						</>
					) : (
						<b>needed; the volume of the box is not known.</b>
					)}
				</span>
				<span className="text-soft">
					NEC {fill.section}, {fill.edition}
				</span>
			</p>
			<div className="relative mt-1 flex h-8 w-full border-2 border-ink print:hidden" aria-hidden="true">
				{fill.items.map((item, i) => (
					<i
						key={item.what}
						className="block h-full border-r-2 border-paper bg-accent"
						style={{ width: share(item.in3), opacity: 1 - i * 0.22 }}
					/>
				))}
				{fill.known && (
					<i className="absolute -inset-y-2 w-1 bg-ink" style={{ left: `calc(${share(fill.availableIn3)} - 2px)` }} />
				)}
			</div>
			<p className="m-0 text-soft">
				{fill.items.map((item) => `${item.what} ${in3.shown(item.in3)}`).join('; ')}
				{fill.known && `; the line is the box, ${in3.shown(fill.availableIn3)}`}
			</p>
		</section>
	);
}

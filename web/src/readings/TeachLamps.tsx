import { useState } from 'react';
import type { Pair } from '../api/client';
import { useSetLamps } from '../api/hooks';
import { Delta } from '../delta/Delta';
import { sides } from '../delta/shape';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { lampPlaces } from './Lamps';

/** Which lamp stands for which pair is told once: legends differ from maker to maker. */
export function TeachLamps({ known, done }: { known: Pair[]; done: () => void }) {
	const set = useSetLamps();
	const [order, setOrder] = useState<(Pair | undefined)[]>(known.length ? known : [undefined, undefined, undefined]);
	const complete = order.every((p) => p !== undefined) && new Set(order).size === 3;
	return (
		<section className="grid gap-3" aria-label="Teach the lamps">
			<h2 className="m-0 text-xl font-bold">Which lamp compares which slots?</h2>
			<p className="m-0">
				Hold the tester as you read it. Its leaflet says so, or a known good outlet does: the two that light there are
				hot to neutral and hot to ground.
			</p>
			<div className="grid grid-cols-3 gap-px bg-rule">
				{lampPlaces.map((place, i) => (
					<fieldset key={place} className="m-0 grid content-start gap-px border-0 bg-rule p-0">
						<legend className="w-full bg-paper p-2 text-center font-bold">{place}</legend>
						{sides.map((s) => (
							<button
								key={s.key}
								type="button"
								aria-pressed={order[i] === s.key}
								aria-label={`The ${place} lamp: ${s.words}`}
								onClick={() => setOrder(order.map((p, n) => (n === i ? s.key : p === s.key ? undefined : p)))}
								className="grid min-h-18 place-items-center bg-sheet p-1 aria-pressed:bg-wash aria-pressed:shadow-[inset_0_-5px_0_var(--accent)]"
							>
								<Delta
									delta={{ hotNeutral: 'none', hotGround: 'none', neutralGround: 'none', [s.key]: 'line' }}
									size={36}
								/>
								<span className="text-center">{s.words}</span>
							</button>
						))}
					</fieldset>
				))}
			</div>
			<Problem error={set.error} />
			<div className="flex gap-3">
				<Button
					kind="main"
					className="min-h-14 grow"
					disabled={!complete || set.isPending}
					onClick={() =>
						set.mutate(
							order.filter((p) => p !== undefined),
							{ onSuccess: done },
						)
					}
				>
					Keep it
				</Button>
				<Button className="min-h-14" onClick={done}>
					Back
				</Button>
			</div>
		</section>
	);
}

import { useState } from 'react';
import type { Box, DeviceChoice } from '../api/client';
import { useKinds } from '../api/hooks';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';

interface Props {
	call: number;
	box: Box;
	save: (box: Box) => void;
}

/** What could hang in the box instead, each planned there: what it gives, what it needs in this box, what it costs. */
export function Kinds({ call, box, save }: Props) {
	const [open, setOpen] = useState(false);
	const kinds = useKinds(call, box.id, open);
	return (
		<details onToggle={(e) => setOpen(e.currentTarget.open)}>
			<summary className="inline-flex min-h-11 cursor-pointer items-center font-bold underline decoration-hair underline-offset-4">
				What could hang here instead
			</summary>
			<Problem error={kinds.error} again={() => kinds.refetch()} />
			{open && !kinds.data && !kinds.error && <p className="m-0">Planning each of them</p>}
			<ul className="m-0 list-none p-0" aria-label="What could hang here instead">
				{kinds.data?.map((k) => (
					<Kind key={k.key} kind={k} choose={() => save({ ...box, device: k.device })} />
				))}
			</ul>
		</details>
	);
}

function Kind({ kind: k, choose }: { kind: DeviceChoice; choose: () => void }) {
	return (
		<li className="border-b border-rule py-2">
			<p className="m-0 flex flex-wrap items-baseline gap-x-3">
				<b>{k.name}</b>
				{k.chosen ? (
					<b className="bg-ink px-1.5 text-paper">chosen</b>
				) : k.stopped ? null : k.fits ? (
					<b className="border border-ink px-1.5">fits as it is</b>
				) : (
					<span className="text-soft">needs something here</span>
				)}
				<span className="mono ml-auto">
					${Math.round(k.cost)}, {Math.round(k.minutes)} min
				</span>
			</p>
			<p className="m-0">
				<b>Gives</b> {k.gives.join(', ')}.
			</p>
			{k.stopped ? <p className="m-0">{k.stopped}</p> : <p className="m-0 text-soft">Needs: {k.needs.join('; ')}.</p>}
			{!k.chosen && !k.stopped && (
				<Button kind="quiet" onClick={choose} aria-label={`Choose ${k.name}`}>
					Choose it
				</Button>
			)}
		</li>
	);
}

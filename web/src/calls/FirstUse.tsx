import { useState } from 'react';
import { Link } from 'react-router';
import type { Call } from '../api/client';
import { Delta } from '../delta/Delta';
import { Button } from '../ui/Button';

const seenKey = (what: string) => `elvat.explained.${what}`;

const notes = [
	{
		what: 'delta',
		page: 'reading-the-delta',
		words:
			'A triangle is one half of an outlet: hot on top, neutral left, ground right. A heavy side is line voltage, no side is nothing, dotted is not read.',
		wanted: (call: Call) => call.halves.length > 0,
	},
	{
		what: 'weights',
		page: 'what-the-weights-say',
		words:
			'A bar under a stop is its weight: how much of the suspicion sits there after what was read. It is never certain.',
		wanted: (call: Call) => call.diagnosis.weights.length > 0 && call.halves.length > 1,
	},
];

/** What the two drawings mean, said once where they are first seen. */
export function FirstUse({ call }: { call: Call }) {
	const [, seen] = useState(0);
	const note = notes.find((n) => n.wanted(call) && localStorage.getItem(seenKey(n.what)) === null);
	if (!note) return null;
	return (
		<aside
			aria-label="At first use"
			className="flex flex-wrap items-center gap-x-4 gap-y-1 border-l-4 border-accent bg-sheet px-3 py-1"
		>
			{note.what === 'delta' && (
				<Delta delta={{ hotNeutral: 'line', hotGround: 'line', neutralGround: 'none' }} size={44} />
			)}
			<p className="m-0 min-w-52 grow basis-0">{note.words}</p>
			<Link
				to={`/guide/${note.page}`}
				className="inline-flex min-h-11 min-w-11 items-center justify-center underline decoration-hair underline-offset-4"
			>
				More
			</Link>
			<Button
				kind="quiet"
				onClick={() => {
					localStorage.setItem(seenKey(note.what), 'yes');
					seen((n) => n + 1);
				}}
			>
				Understood
			</Button>
		</aside>
	);
}

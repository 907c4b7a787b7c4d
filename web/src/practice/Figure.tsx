import { useEffect, useState } from 'react';
import { Button, field } from '../ui/Button';
import { numberIn } from '../ui/words';

interface FigureProps {
	words: string;
	value: number;
	usual: number;
	save: (value: number) => void;
}

/** A figure that can be set, and put back to the usual one. */
export function Figure({ words, value, usual, save }: FigureProps) {
	const [typed, setTyped] = useState(String(value));
	const [wrong, setWrong] = useState(false);
	useEffect(() => setTyped(String(value)), [value]);
	const enter = () => {
		const v = numberIn(typed);
		setWrong(Number.isNaN(v));
		if (!Number.isNaN(v) && v !== value) save(v);
	};
	return (
		<span className="flex items-center justify-end gap-2">
			{value !== usual && (
				<Button kind="quiet" onClick={() => save(usual)} aria-label={`${words}: back to ${usual}`}>
					usual {usual}
				</Button>
			)}
			<input
				aria-label={words}
				aria-invalid={wrong}
				className={`${field} mono w-24 text-right`}
				inputMode="decimal"
				value={typed}
				onChange={(e) => setTyped(e.target.value)}
				onBlur={enter}
				onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
			/>
		</span>
	);
}

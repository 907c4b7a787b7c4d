import { useState } from 'react';
import type { Call, Reading } from '../api/client';
import { useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { numberIn } from '../ui/words';

interface Props {
	call: Call;
	tool: 'ohms' | 'meter';
	between: string[];
}

/** What was measured between two points that were proposed. */
export function BetweenEntry({ call, tool, between }: Props) {
	const add = useAddReading(call.id);
	const [typed, setTyped] = useState('');
	const [wrong, setWrong] = useState<Error | null>(null);
	const unit = tool === 'ohms' ? 'ohms' : 'volts';
	const enter = (reads: Reading['reads']) => {
		setWrong(null);
		add.mutate({
			id: newID(),
			reading: { tool, between, reads, ...(tool === 'meter' ? { mode: 'low-z' } : { state: { breakerOn: false } }) },
		});
	};
	const figure = () => {
		const n = numberIn(typed);
		if (n >= 0) enter(n);
		else setWrong(new Error(`“${typed}” is not a number of ${unit}.`));
	};
	return (
		<div className="flex flex-wrap items-end gap-2">
			<label className="grid gap-1 text-soft">
				{unit}
				<input
					className={`${field} mono w-24 text-right`}
					inputMode="decimal"
					value={typed}
					onChange={(e) => setTyped(e.target.value)}
					onKeyDown={(e) => e.key === 'Enter' && figure()}
				/>
			</label>
			<Button onClick={figure} disabled={add.isPending || typed.trim() === ''}>
				Enter
			</Button>
			{tool === 'ohms' && (
				<Button onClick={() => enter('open')} disabled={add.isPending}>
					open
				</Button>
			)}
			<Problem error={wrong ?? add.error} />
		</div>
	);
}

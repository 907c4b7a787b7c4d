import { useEffect, useState } from 'react';

/** A tick that shows at once and goes back where it is refused. */
export function Ticked({ words, value, save }: { words: string; value: boolean; save: (v: boolean) => void }) {
	const [ticked, setTicked] = useState(value);
	useEffect(() => setTicked(value), [value]);
	return (
		<label className="flex min-h-11 items-center gap-2">
			<input
				type="checkbox"
				className="size-6 shrink-0 accent-accent"
				checked={ticked}
				onChange={(e) => {
					setTicked(e.target.checked);
					save(e.target.checked);
				}}
			/>
			{words}
		</label>
	);
}

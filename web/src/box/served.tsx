import type { BoxCable } from '../api/client';
import { useHouse } from '../api/hooks';
import { field } from '../ui/Button';
import { Pick } from '../ui/controls';

type Load = NonNullable<BoxCable['servesLoad']>;

/** What must not go off unseen, and what may; in one tap. */
export const loads: readonly { value: Load; words: string }[] = [
	{ value: 'none', words: 'none of these' },
	{ value: 'freezer', words: 'freezer' },
	{ value: 'refrigerator', words: 'refrigerator' },
	{ value: 'sump-pump', words: 'sump pump' },
	{ value: 'medical', words: 'medical' },
	{ value: 'computer', words: 'computer' },
	{ value: 'alarm', words: 'alarm' },
	{ value: 'heating', words: 'boiler control' },
	{ value: 'unknown', words: 'not known' },
];

/** The room that something is in, in one tap: for where it is asked. */
export function RoomTaps({ words, value, save }: { words: string; value: string; save: (room: string) => void }) {
	const house = useHouse();
	return (
		<Pick words={words} value={value} of={(house.data?.rooms ?? []).map((r) => ({ value: r, words: r }))} save={save} />
	);
}

/** The room that something is in. */
export function RoomPick({ words, value, save }: { words: string; value: string; save: (room: string) => void }) {
	const house = useHouse();
	return (
		<label className="flex items-center gap-2 text-soft">
			<span className="w-24 shrink-0">{words}</span>
			<select className={field} value={value} aria-label={words} onChange={(e) => save(e.target.value)}>
				<option value="">not said</option>
				{house.data?.rooms.map((r) => (
					<option key={r} value={r}>
						{r}
					</option>
				))}
			</select>
		</label>
	);
}

import { type FormEvent, type ReactNode, useState } from 'react';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';

export interface Answerable {
	who: string;
	standing: string;
	reason: string;
}

interface Props {
	label: string;
	/** What to bear in mind before one's name is put to it. */
	children: ReactNode;
	words: string;
	who: string;
	busy: boolean;
	error: Error | null;
	answer: (by: Answerable) => void;
}

/** A named, qualified person takes something on, with a reason that is printed. */
export function ByName({ label, children, words, who, busy, error, answer }: Props) {
	const [by, setBy] = useState<Answerable>({ who: '', standing: '', reason: '' });
	const submit = (e: FormEvent) => {
		e.preventDefault();
		answer(by);
	};
	return (
		<form onSubmit={submit} className="mt-2 grid gap-2 print:hidden" aria-label={label}>
			{children}
			{(
				[
					['who', who],
					['standing', 'qualified by (licence)'],
					['reason', 'reason'],
				] as const
			).map(([key, asked]) => (
				<label key={key} className="grid gap-1 text-soft">
					{asked}
					<input className={field} value={by[key]} onChange={(e) => setBy({ ...by, [key]: e.target.value })} />
				</label>
			))}
			<Problem error={error} />
			<Button type="submit" className="justify-self-start" disabled={busy}>
				{words}
			</Button>
		</form>
	);
}

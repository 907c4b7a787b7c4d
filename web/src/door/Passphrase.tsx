import { field } from '../ui/Button';

interface Props {
	label: string;
	value: string;
	set: (passphrase: string) => void;
	large?: boolean;
}

/** The passphrase that one has. */
export function Passphrase({ label, value, set, large }: Props) {
	return (
		<label className="grid gap-1 text-soft">
			{label}
			<input
				className={`${field} ${large ? 'text-lg' : ''}`}
				type="password"
				autoComplete="current-password"
				value={value}
				onChange={(e) => set(e.target.value)}
			/>
		</label>
	);
}

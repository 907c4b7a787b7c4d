import type { Role } from '../api/client';
import { field } from '../ui/Button';

const roles: { role: Role; words: string }[] = [
	{ role: 'electrician', words: 'everything, people and backups too' },
	{ role: 'helper', words: 'does the work; passes no gate, sets no rule' },
	{ role: 'office', words: 'reads and prints' },
];

/** What somebody may, in words. */
export function RoleChoice({ value, set, label }: { value: Role; set: (role: Role) => void; label: string }) {
	return (
		<select
			aria-label={label}
			className={`${field} max-w-full`}
			value={value}
			onChange={(e) => set(e.target.value as Role)}
		>
			{roles.map((r) => (
				<option key={r.role} value={r.role}>
					{r.role}: {r.words}
				</option>
			))}
		</select>
	);
}

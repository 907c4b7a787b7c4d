import { type FormEvent, useState } from 'react';
import type { Role } from '../api/client';
import { useAddToken, useTokens, useWithdrawToken } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { useTyped } from '../ui/typed';
import { dayOf } from '../ui/words';
import { RoleChoice } from './RoleChoice';

/** What one gives programs to sign in with: each has a name, may so much, and can be withdrawn. */
export function Tokens() {
	const tokens = useTokens();
	const add = useAddToken();
	const withdraw = useWithdrawToken();
	const [name, setName, take] = useTyped();
	const [role, setRole] = useState<Role>('office');
	const submit = (e: FormEvent) => {
		e.preventDefault();
		take((name) => add.mutateAsync({ name, role }));
	};
	return (
		<Part title="Access for programs">
			<p className="m-0 max-w-prose text-soft">
				A program signs in with a token instead of your passphrase. It may do what its role may, and never more than
				you.
			</p>
			<form onSubmit={submit} className="grid max-w-md gap-3" aria-label="Make a token">
				<label className="grid gap-1 text-soft">
					which program
					<input className={field} value={name} maxLength={100} onChange={(e) => setName(e.target.value)} />
				</label>
				<RoleChoice label="what it may" value={role} set={setRole} />
				<Button type="submit" className="justify-self-start" disabled={!name.trim()}>
					Make a token
				</Button>
				<Problem error={add.error ?? withdraw.error} />
			</form>
			{add.data && (
				<div className="grid max-w-prose gap-1 border-l-4 border-ink bg-wash px-4 py-3" role="status">
					<b>Copy it now: it is not shown again.</b>
					<code className="break-all select-all">{add.data.token}</code>
				</div>
			)}
			<ul className="m-0 grid max-w-prose list-none p-0" aria-label="Tokens">
				{tokens.data?.map((t) => (
					<li key={t.id} className="grid grid-cols-[1fr_auto] items-center gap-x-4 border-b border-rule py-1">
						<span>
							<b>{t.name}</b>{' '}
							<span className="text-soft">
								{t.role}; {t.usedAt ? `last used ${dayOf(t.usedAt)}` : 'never used'}
							</span>
						</span>
						<Button
							kind="quiet"
							disabled={withdraw.isPending}
							onClick={() => withdraw.mutate(t.id)}
							aria-label={`Withdraw ${t.name}`}
						>
							Withdraw
						</Button>
					</li>
				))}
			</ul>
		</Part>
	);
}

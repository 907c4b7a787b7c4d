import { useQueryClient } from '@tanstack/react-query';
import { type FormEvent, type ReactNode, useEffect, useState, useSyncExternalStore } from 'react';
import { useLocation } from 'react-router';
import { onSignIn } from '../api/client';
import { useStrength } from '../api/door';
import { useChangePassphrase, useSession, useSignIn } from '../api/shop';
import { Factors } from '../door/Factors';
import { Passphrase } from '../door/Passphrase';
import { Second } from '../door/Second';
import { Sessions } from '../door/Sessions';
import { now, watch } from '../phone/phone';
import { ThisPhone } from '../phone/ThisPhone';
import { Button, field } from '../ui/Button';
import { Page } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { Mark } from '../ui/TopBar';
import { Tokens } from './Tokens';

/** Shows nothing of the shop to who is not signed in, where one has to be. A customer's page asks nobody. */
export function SignedIn({ children }: { children: ReactNode }) {
	const session = useSession();
	const cache = useQueryClient();
	const path = useLocation().pathname;
	// A customer's pages, and what a label opens, need nobody signed in.
	const open = ['/visit/', '/result/', '/gfci/'].some((p) => path.startsWith(p));
	useEffect(() => onSignIn(() => cache.invalidateQueries({ queryKey: ['session'] })), [cache]);
	if (open) return children;
	if (session.data?.required && !session.data.name) return <SignIn />;
	if (session.data?.needsFactor) return <MeScreen />;
	// Until it is known the screens ask for themselves; what they may not see they are not given.
	return children;
}

function SignIn({ again }: { again?: string }) {
	const sign = useSignIn();
	const [name, setName] = useState(again ?? '');
	const [passphrase, setPassphrase] = useState('');
	useEffect(() => {
		document.title = 'Sign in, Elvat';
	}, []);
	const submit = (e: FormEvent) => {
		e.preventDefault();
		sign.mutate({ name, passphrase });
	};
	return (
		<main className="mx-auto grid min-h-dvh max-w-md content-center gap-4 px-4 py-8">
			<h1 className="m-0 flex items-center gap-3 text-2xl font-bold">
				<Mark size={34} /> Elvat
			</h1>
			{sign.data?.ticket ? (
				<Second
					ticket={sign.data.ticket}
					factors={sign.data.factors ?? []}
					anew={() => {
						sign.reset();
						setPassphrase('');
					}}
				/>
			) : (
				<form onSubmit={submit} className="grid gap-4 border-t-2 border-ink pt-4" aria-label="Sign in">
					<label className="grid gap-1 text-soft">
						name
						<input
							className={`${field} text-lg`}
							autoComplete="username"
							value={name}
							onChange={(e) => setName(e.target.value)}
						/>
					</label>
					<Passphrase label="passphrase" value={passphrase} set={setPassphrase} large />
					<Button kind="main" type="submit" disabled={sign.isPending || !name.trim() || !passphrase}>
						Sign in
					</Button>
					<Problem error={sign.error} />
				</form>
			)}
			<p className="m-0 text-soft">
				{sign.data?.ticket ? 'Lost it, and no recovery code?' : 'Forgotten?'} An electrician of the shop helps, under
				People and backups.
			</p>
		</main>
	);
}

/** One's own passphrase. */
export function MeScreen() {
	const session = useSession();
	const { signedOut, reached } = useSyncExternalStore(watch, now);
	const change = useChangePassphrase();
	const [old, setOld] = useState('');
	const [next, setNext] = useState('');
	const submit = (e: FormEvent) => {
		e.preventDefault();
		change.mutate(
			{ old, new: next },
			{
				onSuccess: () => {
					setOld('');
					setNext('');
				},
			},
		);
	};
	// The session has ended, and whoever it was goes on here until the shop is to have it.
	if (signedOut) return <SignIn again={session.data?.name} />;
	return (
		<Page title={session.data?.name || 'This phone'} under={session.data?.role}>
			{session.data?.required && (
				<form onSubmit={submit} className="grid max-w-md gap-4" aria-label="Change the passphrase">
					<Passphrase label="passphrase until now" value={old} set={setOld} />
					<NewPassphrase value={next} set={setNext} />
					<Button kind="main" type="submit" disabled={change.isPending || !old || !next}>
						Change it
					</Button>
					{change.isSuccess && <p role="status">Changed. Your other sessions have ended.</p>}
					<Problem error={change.error} />
				</form>
			)}
			{session.data?.required && reached && (
				<>
					<Factors />
					<Sessions />
					{!session.data.needsFactor && <Tokens />}
				</>
			)}
			<ThisPhone />
		</Page>
	);
}

const holds = ['falls at once', 'falls soon', 'falls in a day', 'holds', 'holds well'];

/** A field for a new passphrase, which can be looked at, and how well it would hold. */
export function NewPassphrase({ value, set, of }: { value: string; set: (text: string) => void; of?: string }) {
	const [seen, setSeen] = useState(false);
	const strength = useStrength(value, of);
	const score = value.length >= 4 && strength.data ? strength.data.score : undefined;
	return (
		<div className="grid gap-1">
			<label className="grid gap-1 text-soft">
				new passphrase, 12 characters or more
				<input
					className={field}
					type={seen ? 'text' : 'password'}
					autoComplete="new-password"
					value={value}
					onChange={(e) => set(e.target.value)}
				/>
			</label>
			<div className="flex gap-1" aria-hidden="true">
				{[1, 2, 3, 4].map((n) => (
					<i key={n} className={`h-2 grow ${score !== undefined && score >= n ? 'bg-accent' : 'bg-rule'}`} />
				))}
			</div>
			<p className="m-0 min-h-6 text-soft" role="status">
				{score !== undefined && (strength.data?.says || `To guessing it ${holds[score]}.`)}
			</p>
			<Button kind="quiet" className="justify-self-start" onClick={() => setSeen(!seen)}>
				{seen ? 'Hide it' : 'Show it'}
			</Button>
		</div>
	);
}

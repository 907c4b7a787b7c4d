import { type FormEvent, useState } from 'react';
import {
	type Factors as All,
	useAddCode,
	useAddPasskey,
	useBeginCode,
	useFactors,
	useMakeRecovery,
	useRemoveFactor,
} from '../api/door';
import { Button, field } from '../ui/Button';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dayOf } from '../ui/words';

const kinds = { passkey: 'passkey', code: 'one-time codes' };

/** What one shows beside the passphrase when one signs in. */
export function Factors() {
	const factors = useFactors();
	const remove = useRemoveFactor();
	if (!factors.data) return <Problem error={factors.error} again={() => factors.refetch()} />;
	return (
		<Part title="Second factor">
			{factors.data.all.length === 0 && (
				<p className="m-0 max-w-prose">
					{factors.data.wanted ? (
						<b>The shop asks electricians for one. Set it up here; nothing else is shown until then.</b>
					) : (
						'None: your passphrase alone opens the shop. A second factor keeps out who has seen you type it.'
					)}
				</p>
			)}
			<ul className="m-0 grid max-w-prose list-none p-0" aria-label="Second factors">
				{factors.data.all.map((f) => (
					<li key={f.id} className="grid grid-cols-[1fr_auto] items-center gap-x-4 border-b border-rule py-1">
						<span>
							<b>{f.name}</b>{' '}
							<span className="text-soft">
								{kinds[f.kind]}; {f.usedAt ? `last used ${dayOf(f.usedAt)}` : 'not used yet'}
							</span>
						</span>
						<Button
							kind="quiet"
							disabled={remove.isPending}
							onClick={() => remove.mutate(f.id)}
							aria-label={`Take ${f.name} away`}
						>
							Take away
						</Button>
					</li>
				))}
			</ul>
			<Problem error={remove.error} />
			<Add />
			{factors.data.all.length > 0 && <Recovery factors={factors.data} />}
		</Part>
	);
}

/** Sets up a passkey or one-time codes. */
function Add() {
	const passkey = useAddPasskey();
	const begin = useBeginCode();
	const add = useAddCode();
	const [name, setName] = useState('');
	const [code, setCode] = useState('');
	const made = begin.data;
	// Whoever names the next one already is not disturbed.
	const kept = (one: string) => setName((now) => (now === one ? '' : now));
	const submit = (e: FormEvent) => {
		e.preventDefault();
		if (!made) return;
		add.mutate(
			{ ticket: made.ticket, code, name },
			{
				onSuccess: () => {
					begin.reset();
					kept(name);
					setCode('');
				},
			},
		);
	};
	return (
		<form onSubmit={submit} className="grid max-w-md gap-3" aria-label="Another second factor">
			<label className="grid gap-1 text-soft">
				kept on: my phone, a key on the ring
				<input className={field} value={name} maxLength={100} onChange={(e) => setName(e.target.value)} />
			</label>
			{!made && (
				<div className="flex flex-wrap gap-2">
					<Button
						disabled={!name.trim() || passkey.isPending || !('PublicKeyCredential' in window)}
						onClick={() => passkey.mutate(name, { onSuccess: () => kept(name) })}
					>
						Make a passkey
					</Button>
					<Button disabled={!name.trim() || begin.isPending} onClick={() => begin.mutate()}>
						One-time codes
					</Button>
				</div>
			)}
			{made && (
				<div className="grid gap-3 border-l-4 border-accent bg-sheet p-4">
					<p className="m-0">Scan it with a program that makes one-time codes, or type the key into it.</p>
					<img src={made.picture} alt="The key as a code to scan" className="size-52 bg-white" />
					<code className="break-all select-all">{made.key}</code>
					<label className="grid gap-1 text-soft">
						the six digits that it shows now
						<input
							className={`${field} mono text-2xl tracking-widest`}
							inputMode="numeric"
							autoComplete="one-time-code"
							value={code}
							onChange={(e) => setCode(e.target.value)}
						/>
					</label>
					<div className="flex gap-2">
						<Button kind="main" type="submit" disabled={add.isPending || code.trim().length < 6 || !name.trim()}>
							It shows these
						</Button>
						<Button kind="quiet" onClick={() => begin.reset()}>
							Not now
						</Button>
					</div>
				</div>
			)}
			<Problem error={passkey.error ?? begin.error ?? add.error} />
		</form>
	);
}

function Recovery({ factors }: { factors: All }) {
	const make = useMakeRecovery();
	return (
		<div className="grid max-w-prose gap-2">
			<p className="m-0">
				{factors.recovery > 0
					? `${factors.recovery} recovery codes are left, for when the phone is lost.`
					: 'No recovery codes: with the phone lost, an electrician of the shop has to let you in again.'}
			</p>
			<Button className="justify-self-start" disabled={make.isPending} onClick={() => make.mutate()}>
				{factors.recovery > 0 ? 'New recovery codes' : 'Make recovery codes'}
			</Button>
			<Problem error={make.error} />
			{make.data && (
				<div className="grid gap-2 border-l-4 border-ink bg-wash px-4 py-3" role="status">
					<b>Write them down now: they are not shown again. Each is good once; those of before are good no more.</b>
					<ul className="mono m-0 grid list-none gap-x-6 p-0 wide:grid-cols-2">
						{make.data.codes.map((code) => (
							<li key={code}>{code}</li>
						))}
					</ul>
				</div>
			)}
		</div>
	);
}

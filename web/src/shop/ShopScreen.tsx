import { type FormEvent, type MouseEvent, useState } from 'react';
import type { Person, Role } from '../api/client';
import { take, useSealedArchive } from '../api/door';
import { useBasics } from '../api/hooks';
import { useAddPerson, useBackups, useChangePerson, useMakeBackup, usePeople, useSession } from '../api/shop';
import { Events } from '../door/Events';
import { Rules } from '../door/Rules';
import { ThisPhone } from '../phone/ThisPhone';
import { Button, field } from '../ui/Button';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dayOf, timeOf } from '../ui/words';
import { RoleChoice } from './RoleChoice';
import { NewPassphrase } from './SignIn';

/** Who may see what, and what there is if this machine is gone tomorrow. */
export function ShopScreen() {
	const session = useSession();
	return (
		<Page title="People and backups">
			<div className="grid gap-8 wide:grid-cols-2">
				<div className="grid content-start gap-8">
					<People signIn={session.data?.required ?? false} />
					<Rules signIn={session.data?.required ?? false} />
				</div>
				<div className="grid content-start gap-8">
					<Backups signIn={session.data?.required ?? false} />
					<ThisPhone />
				</div>
			</div>
			<Events />
		</Page>
	);
}

function People({ signIn }: { signIn: boolean }) {
	const people = usePeople();
	const [adding, setAdding] = useState(false);
	return (
		<Part
			title="People and access"
			aside={
				<Button kind="quiet" onClick={() => setAdding(!adding)}>
					{adding ? 'Not now' : 'Add somebody'}
				</Button>
			}
		>
			<p className="m-0 text-soft">
				{signIn
					? 'This server is reached from elsewhere: everybody signs in.'
					: 'On this machine nobody has to sign in. Served beyond it, everybody here does, over an encrypted connection.'}
			</p>
			{adding && <NewPerson done={() => setAdding(false)} />}
			<Problem error={people.error} again={() => people.refetch()} />
			{people.data?.length === 0 && !adding && (
				<p className="m-0">Nobody yet. Add yourself as electrician first, then the others.</p>
			)}
			<ul className="m-0 grid list-none p-0">
				{people.data?.map((p) => (
					<PersonRow key={p.id} person={p} />
				))}
			</ul>
			<Rights />
		</Part>
	);
}

const roles: Role[] = ['electrician', 'helper', 'office'];

/** Who may what, as the server holds to it. */
function Rights() {
	const basics = useBasics();
	return (
		<table className="w-full border-collapse">
			<caption className="sr-only">Who may what</caption>
			<thead>
				<tr className="border-b-2 border-ink text-left">
					<th scope="col" className="py-1.5 font-bold">
						Who may
					</th>
					{roles.map((r) => (
						<th key={r} scope="col" className="px-1 py-1.5 text-center font-bold">
							{r}
						</th>
					))}
				</tr>
			</thead>
			<tbody>
				{basics.data?.rights.map((right) => (
					<tr key={right.words} className="border-b border-rule">
						<th scope="row" className="py-2 text-left font-normal">
							{right.words}
						</th>
						{roles.map((r) => (
							<td key={r} className="px-1 text-center">
								<i
									aria-hidden="true"
									className={`inline-block size-5 border-2 border-ink ${right.roles.includes(r) ? 'bg-ink' : ''}`}
								/>
								<span className="sr-only">{right.roles.includes(r) ? 'yes' : 'no'}</span>
							</td>
						))}
					</tr>
				))}
			</tbody>
		</table>
	);
}

/** The last days, each with a mark where a backup of it is kept. */
function Days({ kept, all }: { kept: number; all: { at: string }[] }) {
	const day = 24 * 3600_000;
	const days = Array.from({ length: Math.min(kept, 60) }, (_, i) => new Date(Date.now() - (kept - 1 - i) * day));
	const made = new Set(all.map((b) => dayOf(b.at)));
	const n = days.filter((d) => made.has(dayOf(d))).length;
	return (
		<figure className="m-0">
			<div className="flex gap-px" aria-hidden="true">
				{days.map((d) => (
					<i
						key={d.getTime()}
						className={`h-8 grow ${made.has(dayOf(d)) ? 'bg-accent' : 'bg-rule'}`}
						title={dayOf(d)}
					/>
				))}
			</div>
			<figcaption className="flex justify-between text-soft">
				<span>{days[0] && dayOf(days[0])}</span>
				<span>
					{n} of {days.length} days kept
				</span>
				<span>today</span>
			</figcaption>
		</figure>
	);
}

function PersonRow({ person }: { person: Person }) {
	const change = useChangePerson();
	const [again, setAgain] = useState(false);
	const [passphrase, setPassphrase] = useState('');
	return (
		<li className="grid grid-cols-[minmax(0,1fr)] gap-1 border-b border-rule py-2">
			<div className="flex flex-wrap items-center gap-x-4 gap-y-1">
				<b className={`min-w-32 grow text-lg ${person.withdrawn ? 'text-soft line-through' : ''}`}>{person.name}</b>
				{person.withdrawn ? (
					<span>no access</span>
				) : (
					<RoleChoice
						label={`Role of ${person.name}`}
						value={person.role}
						set={(role) => change.mutate({ id: person.id, role })}
					/>
				)}
			</div>
			<div className="flex flex-wrap items-center gap-x-2">
				<span className="grow text-soft">
					{person.sessions === 0
						? 'not signed in'
						: person.sessions === 1
							? 'signed in once'
							: `signed in ${person.sessions} times`}
					{person.factor && ', with a second factor'}
				</span>
				{!person.withdrawn && (
					<Button kind="quiet" onClick={() => setAgain(!again)}>
						{again ? 'Not now' : 'Another passphrase'}
					</Button>
				)}
				{person.factor && !person.withdrawn && (
					<Button kind="quiet" onClick={() => change.mutate({ id: person.id, noFactors: true })}>
						Second factor lost
					</Button>
				)}
				<Button kind="quiet" onClick={() => change.mutate({ id: person.id, withdrawn: !person.withdrawn })}>
					{person.withdrawn ? 'Let in again' : 'Take access away'}
				</Button>
			</div>
			{again && (
				<form
					aria-label={`Passphrase of ${person.name}`}
					className="grid gap-2 border-l-4 border-accent bg-sheet p-3"
					onSubmit={(e) => {
						e.preventDefault();
						change.mutate({ id: person.id, passphrase }, { onSuccess: () => setAgain(false) });
					}}
				>
					<NewPassphrase value={passphrase} set={setPassphrase} of={person.name} />
					<Button type="submit" disabled={change.isPending || !passphrase}>
						Set it, and end their sessions
					</Button>
				</form>
			)}
			<Problem error={change.error} />
		</li>
	);
}

function NewPerson({ done }: { done: () => void }) {
	const add = useAddPerson();
	const [name, setName] = useState('');
	const [role, setRole] = useState<Role>('electrician');
	const [passphrase, setPassphrase] = useState('');
	const submit = (e: FormEvent) => {
		e.preventDefault();
		add.mutate({ name, role, passphrase }, { onSuccess: done });
	};
	return (
		<form onSubmit={submit} aria-label="Add somebody" className="grid gap-3 border-l-4 border-accent bg-sheet p-4">
			<label className="grid gap-1 text-soft">
				name
				<input className={field} autoComplete="off" value={name} onChange={(e) => setName(e.target.value)} />
			</label>
			<RoleChoice label="Role" value={role} set={setRole} />
			<NewPassphrase value={passphrase} set={setPassphrase} of={name} />
			<Button kind="main" type="submit" disabled={add.isPending || !name.trim() || !passphrase}>
				Add
			</Button>
			<Problem error={add.error} />
		</form>
	);
}

function Backups({ signIn }: { signIn: boolean }) {
	const [failed, setFailed] = useState<Error>();
	// Where somebody is signed in the passphrase may have to be given first.
	const taken = (path: string) => (e: MouseEvent) => {
		if (!signIn) return;
		e.preventDefault();
		take(path).catch(setFailed);
	};
	const backups = useBackups();
	const make = useMakeBackup();
	const newest = backups.data?.all[0];
	return (
		<Part title="Backups">
			<Problem error={backups.error ?? make.error ?? failed} again={() => backups.refetch()} />
			{backups.data && (
				<>
					<p className="m-0 text-lg">
						{newest ? (
							<>
								Newest: <b>{dayOf(newest.at)}</b>, {timeOf(newest.at)}
							</>
						) : (
							'No backup yet.'
						)}
					</p>
					<Days kept={backups.data.keep} all={backups.data.all} />
					<p className="m-0 text-soft">
						One {backups.data.every} by itself, the last {backups.data.keep} kept, each checked when it is made, in{' '}
						<span className="wrap-anywhere">{backups.data.folder}</span>. A backup on the same disk dies with it: carry
						one elsewhere.
					</p>
					<div className="flex flex-wrap gap-2">
						<Button kind="main" disabled={make.isPending} onClick={() => make.mutate()}>
							Make one now
						</Button>
						<a
							href="/api/v1/archive"
							download
							onClick={taken('/api/v1/archive')}
							className="inline-flex min-h-11 items-center border-2 border-ink px-4 font-bold hover:bg-wash"
						>
							Everything as an open archive
						</a>
					</div>
					<Sealed />
					<ul className="m-0 grid list-none p-0" aria-label="Backups">
						{backups.data.all.map((b) => (
							<li key={b.name} className="flex items-center gap-4 border-b border-rule">
								<span className="grow">
									{dayOf(b.at)}, <span className="mono">{timeOf(b.at)}</span>
								</span>
								<span className="mono text-soft">{size(b.bytes)}</span>
								<a
									href={`/api/v1/backups/${b.name}`}
									download
									onClick={taken(`/api/v1/backups/${b.name}`)}
									aria-label={`Download the backup of ${dayOf(b.at)}, ${timeOf(b.at)}`}
									className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
								>
									Download
								</a>
							</li>
						))}
					</ul>
					<p className="m-0 text-soft">
						To put one back: stop Elvat, then <span className="mono">elvat restore FILE</span>. What was there is kept
						beside it.
					</p>
				</>
			)}
		</Part>
	);
}

function size(bytes: number): string {
	return bytes < 1e6 ? `${Math.round(bytes / 1e3)} kB` : `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;
}

/** Everything as an archive that a passphrase opens. */
function Sealed() {
	const seal = useSealedArchive();
	const [open, setOpen] = useState(false);
	const [passphrase, setPassphrase] = useState('');
	if (!open) {
		return (
			<Button kind="quiet" className="justify-self-start" onClick={() => setOpen(true)}>
				The archive, encrypted with a passphrase
			</Button>
		);
	}
	return (
		<form
			aria-label="Encrypted archive"
			className="grid gap-3 border-l-4 border-accent bg-sheet p-4"
			onSubmit={(e) => {
				e.preventDefault();
				seal.mutate(passphrase, {
					onSuccess: () => {
						setOpen(false);
						setPassphrase('');
					},
				});
			}}
		>
			<NewPassphrase value={passphrase} set={setPassphrase} />
			<p className="m-0 text-soft">Without it nobody opens the file, you neither: keep it apart.</p>
			<div className="flex gap-2">
				<Button kind="main" type="submit" disabled={seal.isPending || !passphrase}>
					{seal.isPending ? 'Writing it' : 'Take it'}
				</Button>
				<Button kind="quiet" onClick={() => setOpen(false)}>
					Not now
				</Button>
			</div>
			<Problem error={seal.error} />
		</form>
	);
}

import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { SiteBook } from '../api/client';
import { useNewCall } from '../api/hooks';
import { useAddPanel, useChangeSite, useMay, useSite } from '../api/shop';
import { Customer } from '../door/Customer';
import { Button, field } from '../ui/Button';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dateOf, numberIn } from '../ui/words';
import { Door } from './Door';
import { GuardTable } from './Guards';

/** All that is known of one house. */
export function SiteScreen() {
	const site = useSite(Number(useParams().site));
	if (!site.data) {
		return (
			<Page title={site.error ? 'This house cannot be shown' : 'Opening the house'} back="/book" backWords="Site book">
				<Problem error={site.error} again={() => site.refetch()} />
			</Page>
		);
	}
	return <Loaded site={site.data} />;
}

function Loaded({ site }: { site: SiteBook }) {
	const may = useMay('work');
	const manages = useMay('manage');
	return (
		<Page title={site.name} under={site.address === site.name ? '' : site.address} back="/book" backWords="Site book">
			<About site={site} may={may} />
			{site.panels.map((p) => (
				<Door key={p.id} panel={p} may={may} />
			))}
			{may && <AnotherPanel site={site.id} />}
			<Runs site={site} may={may} />
			<Part title="GFCIs">
				<GuardTable guards={site.gfcis} />
			</Part>
			<Part title="Calls">
				<ul className="m-0 grid list-none p-0" aria-label="Calls here">
					{site.calls.map((c) => (
						<li key={c.id} className="border-b border-rule">
							<Link
								to={`/calls/${c.id}`}
								className="grid min-h-11 items-baseline gap-x-6 py-2 hover:bg-wash wide:grid-cols-[8rem_14rem_1fr_auto]"
							>
								<span className="mono">{dateOf(c.createdAt)}</span>
								<b>{c.title}</b>
								<span>{c.complaint}</span>
								<span className={c.handedOver ? 'text-soft' : 'font-bold'}>
									{c.handedOver ? 'handed over' : 'in hand'}
								</span>
							</Link>
						</li>
					))}
				</ul>
			</Part>
			{manages && <Customer site={site} />}
		</Page>
	);
}

function About({ site, may }: { site: SiteBook; may: boolean }) {
	const change = useChangeSite(site.id);
	const [open, setOpen] = useState(false);
	const [name, setName] = useState(site.name);
	const [address, setAddress] = useState(site.address);
	const [notes, setNotes] = useState(site.notes);
	const [telephone, setTelephone] = useState(site.telephone ?? '');
	const [where, setWhere] = useState(site.at ? `${site.at.lat}, ${site.at.lon}` : '');
	const [lat, lon] = where.split(',').map((part) => numberIn(part));
	const at =
		lat !== undefined && lon !== undefined && !Number.isNaN(lat) && !Number.isNaN(lon) ? { lat, lon } : undefined;
	if (!open) {
		return (
			<div className="flex flex-wrap items-baseline gap-x-4">
				<p className="m-0 grow text-lg whitespace-pre-line">
					{site.telephone && <b className="block">{site.telephone}</b>}
					{site.notes || <span className="text-soft">No notes.</span>}
				</p>
				{may && (
					<Button kind="quiet" onClick={() => setOpen(true)}>
						Name, address, notes
					</Button>
				)}
			</div>
		);
	}
	return (
		<form
			aria-label="About the house"
			className="grid gap-3 border-l-4 border-accent bg-sheet p-4"
			onSubmit={(e) => {
				e.preventDefault();
				change.mutate({ name, address, notes, telephone, at }, { onSuccess: () => setOpen(false) });
			}}
		>
			<div className="grid gap-3 wide:grid-cols-2">
				<label className="grid gap-1 text-soft">
					name
					<input className={field} value={name} onChange={(e) => setName(e.target.value)} />
				</label>
				<label className="grid gap-1 text-soft">
					address
					<input className={field} value={address} onChange={(e) => setAddress(e.target.value)} />
				</label>
			</div>
			<div className="grid gap-3 wide:grid-cols-2">
				<label className="grid gap-1 text-soft">
					telephone
					<input className={field} type="tel" value={telephone} onChange={(e) => setTelephone(e.target.value)} />
				</label>
				<label className="grid gap-1 text-soft">
					where it is: latitude, longitude
					<input
						className={`${field} mono`}
						placeholder="44.47, -73.21"
						value={where}
						aria-invalid={where.trim() !== '' && !at}
						onChange={(e) => setWhere(e.target.value)}
					/>
				</label>
			</div>
			<label className="grid gap-1 text-soft">
				notes: the gate, the dog, where the panel is
				<textarea className={`${field} min-h-24 py-2`} value={notes} onChange={(e) => setNotes(e.target.value)} />
			</label>
			<div className="flex gap-2">
				<Button kind="main" type="submit" disabled={change.isPending || !name.trim() || (where.trim() !== '' && !at)}>
					Keep it
				</Button>
				<Button kind="quiet" onClick={() => setOpen(false)}>
					Not now
				</Button>
			</div>
			<Problem error={change.error} />
		</form>
	);
}

function AnotherPanel({ site }: { site: number }) {
	const add = useAddPanel(site);
	const [name, setName] = useState('');
	const [open, setOpen] = useState(false);
	if (!open) {
		return (
			<Button kind="quiet" className="justify-self-start" onClick={() => setOpen(true)}>
				Another panel
			</Button>
		);
	}
	return (
		<form
			aria-label="Another panel"
			className="flex flex-wrap items-center gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				add.mutate(name, { onSuccess: () => setOpen(false) });
			}}
		>
			<input
				aria-label="Name of the panel"
				className={field}
				placeholder="such as Loft subpanel"
				value={name}
				onChange={(e) => setName(e.target.value)}
			/>
			<Button type="submit" disabled={!name.trim() || add.isPending}>
				Add
			</Button>
			<Problem error={add.error} />
		</form>
	);
}

/** The runs that were worked on: each leads to its outlets, and to a call that starts from them. */
function Runs({ site, may }: { site: SiteBook; may: boolean }) {
	const make = useNewCall();
	const go = useNavigate();
	const runs = site.panels.flatMap((p) => p.runs.map((r) => ({ ...r, panel: p.name })));
	const start = (run?: number) =>
		make.mutate(
			{ title: run ? '' : site.name, complaint: '', site: site.id, run },
			{ onSuccess: (call) => go(`/calls/${call.id}`) },
		);
	return (
		<Part
			title="Runs"
			aside={
				may && (
					<Button kind="quiet" disabled={make.isPending} onClick={() => start()}>
						Call on another run
					</Button>
				)
			}
		>
			<Problem error={make.error} />
			{runs.length === 0 && <p className="m-0">No run is known yet: the first call here draws it.</p>}
			<ul className="m-0 grid list-none p-0" aria-label="Runs">
				{runs.map((r) => (
					<li key={r.id} className="flex flex-wrap items-center gap-x-4 border-b border-rule">
						<Link
							to={`/book/runs/${r.id}`}
							className="grid min-h-11 min-w-0 grow items-baseline gap-x-4 py-2 hover:bg-wash wide:grid-cols-[16rem_1fr_auto]"
						>
							<b className="text-lg">{r.name}</b>
							<span>
								breaker <span className="mono font-bold">{r.breaker || '?'}</span>
								{r.amps > 0 && `, ${r.amps} A`}, {r.outlets === 1 ? '1 outlet' : `${r.outlets} outlets`}
							</span>
							<span className="text-soft">
								{r.calls === 1 ? '1 call' : `${r.calls} calls`}
								{r.lastAt && `, last ${dateOf(r.lastAt)}`}
							</span>
						</Link>
						{may && (
							<Button disabled={make.isPending} onClick={() => start(r.id)} aria-label={`New call on ${r.name}`}>
								New call
							</Button>
						)}
					</li>
				))}
			</ul>
		</Part>
	);
}

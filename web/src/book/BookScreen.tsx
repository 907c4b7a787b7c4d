import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { useAddSite, useMay, useSearch, useSites, useTestsDue } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dateOf } from '../ui/words';
import { GuardLine } from './Guards';

/** How many sites the server shows at once. */
const page = 50;

/** All houses the shop knows: looked up by any word, and what is due there. */
export function BookScreen() {
	const [asked, setAsked] = useSearchParams();
	const q = asked.get('q') ?? '';
	return (
		<Page title="Site book">
			<label className="grid gap-1 text-soft">
				look up a house, an outlet, a complaint, a breaker
				<input
					type="search"
					className={`${field} min-h-13 text-xl`}
					value={q}
					onChange={(e) => setAsked(e.target.value ? { q: e.target.value } : {}, { replace: true })}
				/>
			</label>
			{q.trim() ? <Found q={q} /> : <Shelves />}
		</Page>
	);
}

function Found({ q }: { q: string }) {
	const found = useSearch(q);
	return (
		<Part
			title={found.data?.length ? `${found.data.length === 50 ? 'The newest 50' : found.data.length} found` : 'Found'}
		>
			<Problem error={found.error} again={() => found.refetch()} />
			{found.data?.length === 0 && <p className="m-0">Nothing has all of these words. Fewer of them find more.</p>}
			<ul className="m-0 grid list-none p-0" aria-label="Found">
				{found.data?.map((h) => (
					<li key={`${h.site} ${h.id}`} className="border-b border-rule">
						<Link
							to={h.site ? `/book/sites/${h.id}` : `/calls/${h.id}`}
							className="grid min-h-11 gap-x-4 py-2 hover:bg-wash wide:grid-cols-[5rem_16rem_1fr]"
						>
							<span className="text-soft">{h.site ? 'house' : 'call'}</span>
							<b>{h.title}</b>
							<span>
								{h.part.map((p, i) => (
									// biome-ignore lint/suspicious/noArrayIndexKey: parts of one text, in its order
									<span key={i} className={p.found ? 'bg-wash font-bold underline decoration-accent decoration-2' : ''}>
										{p.text}
									</span>
								))}
							</span>
						</Link>
					</li>
				))}
			</ul>
		</Part>
	);
}

function Shelves() {
	const [pages, setPages] = useState([0]); // where each that was turned to begins
	const before = pages[pages.length - 1] ?? 0;
	const sites = useSites(before);
	const oldest = sites.data?.[sites.data.length - 1]?.id ?? 0;
	const due = useTestsDue();
	const may = useMay('work');
	return (
		<div className="grid gap-8 wide:grid-cols-[3fr_2fr]">
			<Part title="Houses" aside={may && <NewSite />}>
				<Problem error={sites.error} again={() => sites.refetch()} />
				{sites.data?.length === 0 && before === 0 && (
					<p className="m-0">No house yet. The first call makes one, or add it here.</p>
				)}
				<ul className="m-0 grid list-none p-0" aria-label="Houses">
					{sites.data?.map((s) => (
						<li key={s.id} className="border-b border-rule">
							<Link
								to={`/book/sites/${s.id}`}
								className="grid min-h-11 grid-cols-[1fr_auto] items-baseline gap-x-4 py-2 hover:bg-wash"
							>
								<b className="text-lg">{s.name}</b>
								<span>{s.calls === 1 ? '1 call' : `${s.calls} calls`}</span>
								<span className="text-soft">{s.address === s.name ? '' : s.address}</span>
								<span className="text-soft">{s.lastAt ? dateOf(s.lastAt) : ''}</span>
							</Link>
						</li>
					))}
				</ul>
				{(before > 0 || sites.data?.length === page) && (
					<div className="flex gap-2">
						<Button kind="quiet" disabled={before === 0} onClick={() => setPages(pages.slice(0, -1))}>
							Newer
						</Button>
						<Button kind="quiet" disabled={sites.data?.length !== page} onClick={() => setPages([...pages, oldest])}>
							Older
						</Button>
					</div>
				)}
			</Part>
			<Part title="GFCI tests due">
				<Problem error={due.error} again={() => due.refetch()} />
				{due.data?.length === 0 && <p className="m-0">None. Each is due a month after its last test.</p>}
				<ul className="m-0 grid list-none p-0" aria-label="Tests due">
					{due.data?.map((g) => (
						<GuardLine key={`${g.run} ${g.device}`} guard={g} withSite />
					))}
				</ul>
			</Part>
		</div>
	);
}

function NewSite() {
	const add = useAddSite();
	const go = useNavigate();
	const [name, setName] = useState('');
	const [open, setOpen] = useState(false);
	if (!open) {
		return (
			<Button kind="quiet" onClick={() => setOpen(true)}>
				Add a house
			</Button>
		);
	}
	return (
		<form
			aria-label="Add a house"
			className="flex items-center gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				add.mutate({ name, address: '' }, { onSuccess: (site) => go(`/book/sites/${site.id}`) });
			}}
		>
			<input
				aria-label="Name of the house"
				className={field}
				placeholder="house or customer"
				value={name}
				onChange={(e) => setName(e.target.value)}
				// biome-ignore lint/a11y/noAutofocus: it was asked for just now
				autoFocus
			/>
			<Button type="submit" disabled={!name.trim() || add.isPending}>
				Add
			</Button>
			<Problem error={add.error} />
		</form>
	);
}

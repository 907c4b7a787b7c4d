import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useEffect } from 'react';
import { useParams } from 'react-router';
import { body, client, Refused, type Schemas } from '../api/client';
import { Delta } from '../delta/Delta';
import { Button } from '../ui/Button';
import { useLanguage, useWords, type Words } from '../ui/language';
import { Problem } from '../ui/Problem';
import { Mark } from '../ui/TopBar';
import { dayOf } from '../ui/words';

type Outlet = Schemas['CallResult']['outlets'][number];
type Protecting = Schemas['Protecting'];

const retry = (tries: number, error: Error) => !(error instanceof Refused && error.final) && tries < 5;

interface FrameProps {
	/** Code of what the page is called. */
	title: string;
	head?: string;
	under?: string;
	error: Error | null;
	again: () => void;
	children: (words: Words) => ReactNode;
}

/** A page for those who live there: in their language, nothing to sign in to. */
function Frame({ title, head, under, error, again, children }: FrameProps) {
	const [language, setLanguage] = useLanguage();
	const words = useWords(language);
	const called = words?.say(title) ?? '';
	useEffect(() => {
		document.title = called;
		document.documentElement.lang = words?.tag ?? 'en';
	}, [called, words?.tag]);
	return (
		<div className="mx-auto grid min-h-dvh max-w-2xl content-start gap-5 px-4 pt-3 pb-10">
			<header className="flex items-center gap-3 border-b-2 border-ink pb-2">
				<Mark />
				<p className="m-0 min-w-0 grow">
					<b className="block text-lg/tight">{head || called}</b>
					<span className="text-soft">{under}</span>
				</p>
				{[
					{ tag: 'en', name: 'English' },
					{ tag: 'es', name: 'Español' },
				].map(
					(l) =>
						l.tag !== words?.tag && (
							<Button key={l.tag} kind="quiet" lang={l.tag} onClick={() => setLanguage(l.tag)}>
								{l.name}
							</Button>
						),
				)}
			</header>
			<main className="grid gap-6">
				<Problem error={error} again={again} />
				{words && !error && <h1 className="m-0 text-3xl font-bold">{called}</h1>}
				{words?.note && <p className="m-0 border-l-4 border-ink pl-3 text-soft">{words.note}</p>}
				{words && children(words)}
			</main>
		</div>
	);
}

/** The customer's page after the visit. */
export function ResultScreen() {
	const token = useParams().token ?? '';
	const page = useQuery({
		queryKey: ['result', token],
		queryFn: () => body(client.GET('/api/v1/results/{token}', { params: { path: { token } } })),
		retry,
	});
	const r = page.data?.result;
	return (
		<Frame title="result.title" head={r?.shop} under={r?.title} error={page.error} again={() => page.refetch()}>
			{(words) =>
				r &&
				page.data && (
					<>
						<p className="m-0 text-lg font-bold">{r.standing}</p>
						<Lines title={words.say('result.wrong')} lines={r.wrong} />
						<Lines title={words.say('result.why')} lines={r.why.map((code) => words.say(code))} />
						<Compared words={words} outlets={r.outlets} />
						{page.data.pictures.length > 0 && (
							<Part title={words.say('result.pictures')}>
								<div className="grid gap-3 wide:grid-cols-2">
									{page.data.pictures.map((p) => (
										<figure key={p.id} className="m-0">
											<img src={`/api/v1/results/${token}/pictures/${p.id}`} alt={p.caption} className="w-full" />
											<figcaption className="text-soft">{p.caption}</figcaption>
										</figure>
									))}
								</div>
							</Part>
						)}
						<Lines title={words.say('result.left')} lines={r.left.length ? r.left : [words.say('result.nothing')]} />
						<Lines
							title={words.say('result.tests')}
							lines={r.tests.map((t) => `${t.what}: ${words.say('result.due', dayOf(t.when))}`)}
						/>
						{r.guards.length > 0 && (
							<Part title={words.say('result.resets')}>
								{r.guards.map((g) => (
									<Guard key={g.device} guard={g} words={words} />
								))}
								<Reset words={words} />
							</Part>
						)}
						<p className="m-0 text-soft">
							{words.say('result.by', r.by, dayOf(r.finishedAt))}.{' '}
							{words.say('result.expires', dayOf(page.data.expiresAt))}
						</p>
					</>
				)
			}
		</Frame>
	);
}

function Part({ title, children }: { title: string; children: ReactNode }) {
	return (
		<section className="grid gap-2" aria-label={title}>
			<h2 className="m-0 border-b-2 border-ink text-xl font-bold">{title}</h2>
			{children}
		</section>
	);
}

function Lines({ title, lines }: { title: string; lines: string[] }) {
	if (lines.length === 0) return null;
	return (
		<Part title={title}>
			<ul className="m-0 grid list-none gap-1 p-0">
				{lines.map((line) => (
					<li key={line} className="text-lg">
						{line}
					</li>
				))}
			</ul>
		</Part>
	);
}

function Compared({ words, outlets }: { words: Words; outlets: Outlet[] }) {
	if (outlets.length === 0) return null;
	return (
		<Part title={words.say('result.outlets')}>
			<p className="m-0 text-soft">{words.say('result.legend')}</p>
			<table className="w-full border-collapse">
				<thead>
					<tr className="text-left text-soft">
						<th className="font-normal">
							<span className="sr-only">{words.say('result.outlets')}</span>
						</th>
						<th className="w-20 font-normal">{words.say('result.before')}</th>
						<th className="w-28 font-normal">{words.say('result.after')}</th>
					</tr>
				</thead>
				<tbody>
					{outlets.map((o) => (
						<tr key={o.label + o.half} className="border-b border-rule">
							<th className="py-1 text-left font-normal">
								{o.label}, {o.half}
							</th>
							<td>{o.before && <Delta delta={o.before} size={44} />}</td>
							<td>
								{o.after ? (
									<Delta delta={o.after} size={44} />
								) : (
									<span className="text-soft">{words.say('result.notAgain')}</span>
								)}
							</td>
						</tr>
					))}
				</tbody>
			</table>
		</Part>
	);
}

function Guard({ guard, words }: { guard: Protecting; words: Words }) {
	return (
		<div>
			<p className="m-0 text-lg font-bold">{words.say('guard.at', guard.label)}</p>
			<p className="m-0">
				{words.say('result.holds')} {guard.holds.join(', ')}
			</p>
		</div>
	);
}

function Reset({ words }: { words: Words }) {
	return (
		<ol className="m-0 grid gap-1 pl-6 text-lg">
			{[1, 2, 3].map((n) => (
				<li key={n}>{words.say(`guard.reset.${n}`)}</li>
			))}
		</ol>
	);
}

/** What the code on a GFCI's label opens: what hangs on it and how to reset it; no name, no address. */
export function GuardScreen() {
	const token = useParams().token ?? '';
	const guard = useQuery({
		queryKey: ['guard', token],
		queryFn: () => body(client.GET('/api/v1/guards/{token}', { params: { path: { token } } })),
		retry,
	});
	const data = guard.data; // looked at here: what is only looked at later is not watched
	return (
		<Frame title="guard.title" error={guard.error} again={() => guard.refetch()}>
			{(words) =>
				data && (
					<>
						<Guard guard={data} words={words} />
						<Reset words={words} />
						<p className="m-0 border-l-4 border-ink pl-3">{words.say('guard.test')}</p>
					</>
				)
			}
		</Frame>
	);
}

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useCallback, useEffect, useRef, useState } from 'react';
import { useParams } from 'react-router';
import { body, client, Refused, type Visit, type VisitAnswer } from '../api/client';
import { Button, field } from '../ui/Button';
import { useLanguage, useWords, type Words } from '../ui/language';
import { PictureInput } from '../ui/PictureInput';
import { Problem } from '../ui/Problem';
import { smaller } from '../ui/picture';
import { Mark } from '../ui/TopBar';
import { useDraft, useKept } from './kept';

/** The customer's page: one thing at a time, what can hurt first. */
export function VisitScreen() {
	const token = useParams().token ?? '';
	const cache = useQueryClient();
	const [language, setLanguage] = useLanguage();
	const words = useWords(language);
	const visit = useQuery({
		queryKey: ['visit', token],
		queryFn: () => body(client.GET('/api/v1/visits/{token}', { params: { path: { token } } })),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
	});
	const keep = useCallback((now: Visit) => cache.setQueryData(['visit', token], now), [cache, token]);
	const { say, show, busy, waiting, danger, error } = useKept(token, keep);
	const title = words?.say('visit.title') ?? '';
	useEffect(() => {
		document.title = visit.data ? `${title}, ${visit.data.shop}` : title;
		document.documentElement.lang = words?.tag ?? 'en';
	}, [visit.data, title, words?.tag]);
	const [again, setAgain] = useState(false);
	// Who answers that something is dangerous is told what to do at once, with a connection or without.
	const v = visit.data && danger ? { ...visit.data, stage: 'stay-away' as const, say: visit.data.away } : visit.data;
	const at = `${v?.stage} ${v?.next} ${again}`;
	// biome-ignore lint/correctness/useExhaustiveDependencies: each step begins at its top
	useEffect(() => {
		window.scrollTo(0, 0);
	}, [at]);
	return (
		<div className="mx-auto grid min-h-dvh max-w-xl content-start gap-5 px-4 pt-3 pb-10">
			<header className="flex items-center gap-3 border-b-2 border-ink pb-2">
				<Mark />
				<p className="m-0 grow">
					<b className="block text-lg/tight">{v?.shop || title}</b>
					<span className="text-soft">{v?.title}</span>
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
			<main className="grid gap-5">
				<Problem error={visit.error} again={() => visit.refetch()} />
				{words?.note && <p className="m-0 border-l-4 border-ink pl-3 text-soft">{words.note}</p>}
				{v && words && (
					<>
						{again && !danger ? (
							<Danger
								token={token}
								visit={v}
								words={words}
								say={(what) => say(what, () => setAgain(false))}
								busy={busy}
							/>
						) : (
							<Stage token={token} visit={v} words={words} say={say} busy={busy} />
						)}
						{v.stage !== 'danger' && v.stage !== 'stay-away' && !again && (
							<Button className="min-h-14 border-4 text-lg" onClick={() => setAgain(true)} disabled={busy}>
								{words.say('visit.stop')}
							</Button>
						)}
						<Problem error={error} />
						{waiting > 0 && !busy && (
							<p role="status" className="m-0 border-2 border-ink bg-sheet px-3 py-2 text-lg">
								{words.say('visit.kept', waiting)}
							</p>
						)}
						{v.stage !== 'danger' && v.stage !== 'stay-away' && (
							<Photograph visit={v} words={words} busy={busy} take={show} />
						)}
						{v.stage !== 'danger' && <Tell token={token} words={words} say={say} busy={busy} />}
					</>
				)}
			</main>
		</div>
	);
}

interface StageProps {
	token: string;
	visit: Visit;
	words: Words;
	say: (what: VisitAnswer, then?: () => void) => void;
	busy: boolean;
}

function Stage(props: StageProps) {
	switch (props.visit.stage) {
		case 'danger':
			return <Danger {...props} />;
		case 'stay-away':
			return <StayAway {...props} />;
		case 'outlets':
			return <Outlets {...props} />;
		case 'resets':
			return <Resets {...props} />;
		case 'breaker':
			return <Breaker {...props} />;
		default:
			return <Says visit={props.visit} words={props.words} title="visit.done" />;
	}
}

interface SaysProps {
	visit: Visit;
	words: Words;
	/** Its code. */
	title: string;
	children?: ReactNode;
}

function Says({ visit, words, title, children }: SaysProps) {
	return (
		<section aria-label={words.say(title)} className="grid gap-4">
			<h1 className="m-0 text-3xl/tight font-bold">{words.say(title)}</h1>
			{visit.say.map((code) => (
				<p key={code} className="m-0 text-lg">
					{words.say(code)}
				</p>
			))}
			{children}
		</section>
	);
}

type Sign = NonNullable<VisitAnswer['signs']>[number];

function Danger({ visit, words, say, busy }: StageProps) {
	const [signs, setSigns] = useState<Sign[]>([]);
	const [box, setBox] = useState('');
	return (
		<Says visit={visit} words={words} title="visit.danger">
			<div className="grid gap-2">
				{visit.signs.map((s) => (
					<label key={s} className="flex min-h-13 items-center gap-3 border-2 border-ink px-3 text-lg">
						<input
							type="checkbox"
							className="size-6 shrink-0 accent-[var(--accent)]"
							checked={signs.includes(s as Sign)}
							onChange={(e) => setSigns(e.target.checked ? [...signs, s as Sign] : signs.filter((x) => x !== s))}
						/>
						{words.say(`sign.${s}`)}
					</label>
				))}
			</div>
			{signs.length > 0 ? (
				<>
					<Where visit={visit} words={words} box={box} set={setBox} />
					<Button
						kind="main"
						className="min-h-14 text-lg"
						disabled={busy}
						onClick={() => say({ kind: 'danger', signs, box: box || undefined })}
					>
						{words.say('visit.yesThis')}
					</Button>
				</>
			) : (
				<Button kind="main" className="min-h-14 text-lg" disabled={busy} onClick={() => say({ kind: 'danger' })}>
					{words.say('visit.noneOfThis')}
				</Button>
			)}
		</Says>
	);
}

interface WhereProps {
	visit: Visit;
	words: Words;
	box: string;
	set: (box: string) => void;
}

function Where({ visit, words, box, set }: WhereProps) {
	if (visit.outlets.length === 0) return null;
	return (
		<label className="grid gap-1 text-soft">
			{words.say('visit.where')}
			<select className={`${field} text-lg`} value={box} onChange={(e) => set(e.target.value)}>
				<option value="">{words.say('visit.notSure')}</option>
				{visit.outlets.map((o) => (
					<option key={o.device} value={o.box}>
						{o.label}
					</option>
				))}
			</select>
		</label>
	);
}

function StayAway({ visit, words }: StageProps) {
	return (
		<section aria-label={words.say('visit.away')} className="grid gap-4">
			<div className="flex items-stretch bg-ink text-paper">
				<i aria-hidden="true" className="stripes w-6 shrink-0" />
				<h1 className="m-0 px-4 py-3 text-3xl/tight font-bold">{words.say('visit.away')}</h1>
			</div>
			{visit.say.map((code) => (
				<p key={code} className="m-0 text-xl">
					{words.say(code)}
				</p>
			))}
		</section>
	);
}

function Outlets({ token, visit, words, say, busy }: StageProps) {
	const [plugged, setPlugged] = useDraft(token, 'plugged', '');
	const [heavy, setHeavy] = useDraft(token, 'heavy', false);
	const [at, setAt] = useDraft(token, 'at', '');
	const [work, setWork] = useDraft<boolean | null>(token, 'work', null);
	const [storm, setStorm] = useDraft<boolean | null>(token, 'storm', null);
	const said = (device: string) => visit.answers.findLast((a) => a.kind === 'outlet' && a.device === device)?.works;
	const [marks, setMarks] = useDraft<Record<string, boolean>>(token, 'outlets', {});
	const done = () => {
		const all: VisitAnswer[] = Object.entries(marks).map(([device, works]) => ({ kind: 'outlet', device, works }));
		if (plugged.trim()) all.push({ kind: 'plugged', text: plugged, heavy, box: at || undefined });
		if (storm !== null) all.push({ kind: 'storm', yes: storm });
		if (work !== null) all.push({ kind: 'work', yes: work, box: work && at ? at : undefined });
		for (const a of all) say(a);
		setMarks({});
		setPlugged('');
		setStorm(null);
		setWork(null);
	};
	const something = Object.keys(marks).length > 0 || plugged.trim() !== '' || storm !== null || work !== null;
	return (
		<Says visit={visit} words={words} title="visit.outlets">
			<ul className="m-0 grid list-none gap-2 p-0" aria-label="Outlets">
				{visit.outlets.map((o) => {
					const mark = marks[o.device] ?? said(o.device);
					return (
						<li key={o.device} className="grid grid-cols-[1fr_auto_auto] items-center gap-2">
							<span className="text-lg">{o.label}</span>
							{[false, true].map((works) => (
								<button
									key={String(works)}
									type="button"
									aria-pressed={mark === works}
									aria-label={`${o.label}: ${words.say(works ? 'visit.works' : 'visit.dead')}`}
									className={`min-h-12 min-w-20 border-2 border-ink px-3 font-bold ${mark === works ? 'bg-ink text-paper' : ''}`}
									onClick={() => setMarks({ ...marks, [o.device]: works })}
								>
									{words.say(works ? 'visit.works' : 'visit.dead')}
								</button>
							))}
						</li>
					);
				})}
			</ul>
			{visit.outlets.length === 0 && <p className="m-0 text-lg">{words.say('visit.noList')}</p>}
			<label className="grid gap-1 text-soft">
				{words.say('visit.plugged')}
				<input className={`${field} text-lg`} value={plugged} onChange={(e) => setPlugged(e.target.value)} />
			</label>
			<label className="flex min-h-12 items-center gap-3 text-lg">
				<input
					type="checkbox"
					className="size-6 shrink-0 accent-[var(--accent)]"
					checked={heavy}
					onChange={(e) => setHeavy(e.target.checked)}
				/>
				{words.say('visit.heavy')}
			</label>
			<YesNo words={words} code="visit.storm" value={storm} set={setStorm} />
			<YesNo words={words} code="visit.work" value={work} set={setWork} />
			{(work || plugged.trim() !== '') && <Where visit={visit} words={words} box={at} set={setAt} />}
			<Button kind="main" className="min-h-14 text-lg" disabled={busy || !something} onClick={done}>
				{words.say('visit.next')}
			</Button>
		</Says>
	);
}

interface YesNoProps {
	words: Words;
	code: string;
	value: boolean | null;
	set: (yes: boolean) => void;
}

function YesNo({ words, code, value, set }: YesNoProps) {
	return (
		<fieldset className="m-0 grid grid-cols-[1fr_auto_auto] items-center gap-2 border-0 p-0">
			<legend className="float-left text-lg">{words.say(code)}</legend>
			{[true, false].map((yes) => (
				<button
					key={String(yes)}
					type="button"
					aria-pressed={value === yes}
					className={`min-h-12 min-w-16 border-2 border-ink px-3 font-bold ${value === yes ? 'bg-ink text-paper' : ''}`}
					onClick={() => set(yes)}
				>
					{words.say(yes ? 'visit.yes' : 'visit.no')}
				</button>
			))}
		</fieldset>
	);
}

const results: { result: NonNullable<VisitAnswer['result']>; words: string }[] = [
	{ result: 'came-back', words: 'visit.cameBack' },
	{ result: 'no-change', words: 'visit.noChange' },
	{ result: 'will-not-hold', words: 'visit.willNotHold' },
];

function Resets({ visit, words, say, busy }: StageProps) {
	const next = visit.guards.find((g) => g.key === visit.next);
	const done = visit.guards.filter((g) => g.said).length;
	return (
		<Says visit={visit} words={words} title="visit.resets">
			<div className="grid gap-3 border-l-4 border-accent bg-sheet p-4">
				<p className="m-0 text-soft">{words.say('visit.of', done + 1, visit.guards.length)}</p>
				<p className="m-0 text-2xl font-bold">{next?.label || words.say('visit.elsewhere')}</p>
				<p className="m-0 text-soft">{next?.of}</p>
				{results.map((r) => (
					<Button
						key={r.result}
						className="min-h-14 text-lg"
						disabled={busy}
						onClick={() => say({ kind: 'reset', guard: visit.next, result: r.result })}
					>
						{words.say(r.words)}
					</Button>
				))}
				<Button
					kind="quiet"
					disabled={busy}
					onClick={() => say({ kind: 'reset', guard: visit.next, result: 'not-reached' })}
				>
					{words.say('visit.notFound')}
				</Button>
			</div>
		</Says>
	);
}

function Breaker({ visit, words, say, busy }: StageProps) {
	return (
		<Says visit={visit} words={words} title="visit.breaker">
			{[
				{ result: 'came-back' as const, words: 'visit.powerBack' },
				{ result: 'no-change' as const, words: 'visit.noChange' },
				{ result: 'not-reached' as const, words: 'visit.notReached' },
				{ result: 'will-not-hold' as const, words: 'visit.offAgain' },
			].map((r) => (
				<Button
					key={r.result}
					className="min-h-14 text-lg"
					disabled={busy}
					onClick={() => say({ kind: 'breaker', result: r.result })}
				>
					{words.say(r.words)}
				</Button>
			))}
		</Says>
	);
}

interface PhotographProps {
	visit: Visit;
	words: Words;
	take: (file: Blob) => void;
	busy: boolean;
}

function Photograph({ visit, words, take, busy }: PhotographProps) {
	const input = useRef<HTMLInputElement>(null);
	const [failed, setFailed] = useState<Error | null>(null);
	const pick = async (file: File | undefined) => {
		if (!file) return;
		try {
			setFailed(null);
			take(await smaller(file));
		} catch {
			setFailed(new Error(words.say('visit.noPicture', file.name)));
		}
	};
	return (
		<section aria-label={words.say('visit.photograph')} className="grid gap-2 border-t border-rule pt-4">
			<p className="m-0 text-lg">
				{words.say('visit.photograph')}{' '}
				<span className="text-soft">{visit.pictures === 0 ? '' : words.say('visit.sent', visit.pictures)}</span>
			</p>
			<Button className="justify-self-start" disabled={busy} onClick={() => input.current?.click()}>
				{words.say('visit.take')}
			</Button>
			<PictureInput label={words.say('visit.picture')} at={input} take={pick} />
			<Problem error={failed} />
		</section>
	);
}

function Tell({ token, words, say, busy }: Omit<StageProps, 'visit'>) {
	const [text, setText] = useDraft(token, 'note', '');
	return (
		<form
			aria-label={words.say('visit.anything')}
			className="grid gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				say({ kind: 'note', text });
				setText(''); // it is kept until the shop has it
			}}
		>
			<label className="grid gap-1 text-soft">
				{words.say('visit.anything')}
				<textarea className={`${field} min-h-20 py-2 text-lg`} value={text} onChange={(e) => setText(e.target.value)} />
			</label>
			<Button type="submit" className="justify-self-start" disabled={busy || !text.trim()}>
				{words.say('visit.send')}
			</Button>
		</form>
	);
}

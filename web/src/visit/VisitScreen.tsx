import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useEffect, useRef, useState } from 'react';
import { useParams } from 'react-router';
import { body, client, Refused, type Visit, type VisitAnswer } from '../api/client';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { PictureInput } from '../ui/PictureInput';
import { Problem } from '../ui/Problem';
import { smaller } from '../ui/picture';
import { Mark } from '../ui/TopBar';

/** The customer's page: one thing at a time, what can hurt first. */
export function VisitScreen() {
	const token = useParams().token ?? '';
	const cache = useQueryClient();
	const visit = useQuery({
		queryKey: ['visit', token],
		queryFn: () => body(client.GET('/api/visits/{token}', { params: { path: { token } } })),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
	});
	const keep = (now: Visit) => cache.setQueryData(['visit', token], now);
	const answer = useMutation({
		mutationFn: (what: { id: string; answer: VisitAnswer }) =>
			body(client.POST('/api/visits/{token}/answers', { params: { path: { token } }, body: what })),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 8,
		onSuccess: keep,
	});
	const picture = useMutation({
		mutationFn: ({ id, file }: { id: string; file: Blob }) =>
			body(
				client.POST('/api/visits/{token}/pictures', {
					params: { path: { token }, query: { id } },
					body: file as unknown as string,
					bodySerializer: (blob) => blob,
					headers: { 'Content-Type': 'application/octet-stream' },
				}),
			),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
		onSuccess: keep,
	});
	useEffect(() => {
		document.title = visit.data ? `Before we come, ${visit.data.shop}` : 'Before we come';
	}, [visit.data]);
	const say = (what: VisitAnswer, then?: () => void) =>
		answer.mutate({ id: newID(), answer: what }, { onSuccess: then });
	const [again, setAgain] = useState(false);
	const v = visit.data;
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
					<b className="block text-lg/tight">{v?.shop || 'Before we come'}</b>
					<span className="text-soft">{v?.title}</span>
				</p>
			</header>
			<main className="grid gap-5">
				<Problem error={visit.error} again={() => visit.refetch()} />
				{v && (
					<>
						{again ? (
							<Danger visit={v} say={(what) => say(what, () => setAgain(false))} busy={answer.isPending} />
						) : (
							<Stage visit={v} say={say} busy={answer.isPending} />
						)}
						{v.stage !== 'danger' && v.stage !== 'stay-away' && !again && (
							<Button className="min-h-14 border-4 text-lg" onClick={() => setAgain(true)} disabled={answer.isPending}>
								Warm, a smell, sparks, water: stop
							</Button>
						)}
						<Problem error={answer.error ?? picture.error} />
						{v.stage !== 'danger' && v.stage !== 'stay-away' && (
							<Photograph visit={v} busy={picture.isPending} take={(file) => picture.mutate({ id: newID(), file })} />
						)}
						{v.stage !== 'danger' && <Tell say={say} busy={answer.isPending} />}
					</>
				)}
			</main>
		</div>
	);
}

interface StageProps {
	visit: Visit;
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
			return <Says visit={props.visit} title="That is all" />;
	}
}

function Says({ visit, title, children }: { visit: Visit; title: string; children?: ReactNode }) {
	return (
		<section aria-label={title} className="grid gap-4">
			<h1 className="m-0 text-3xl/tight font-bold">{title}</h1>
			{visit.say.map((line) => (
				<p key={line} className="m-0 text-lg">
					{line}
				</p>
			))}
			{children}
		</section>
	);
}

const signWords: Record<string, string> = {
	heat: 'Warm or hot to the hand',
	smell: 'A smell of burning, plastic or fish',
	scorching: 'Brown or black marks',
	sparks: 'Sparks or buzzing',
	water: 'Water, or anything wet',
	shock: 'Somebody felt a shock or a tingle',
};

type Sign = NonNullable<VisitAnswer['signs']>[number];

function Danger({ visit, say, busy }: StageProps) {
	const [signs, setSigns] = useState<Sign[]>([]);
	const [box, setBox] = useState('');
	return (
		<Says visit={visit} title="First: is it safe?">
			<div className="grid gap-2">
				{visit.signs.map((s) => (
					<label key={s} className="flex min-h-13 items-center gap-3 border-2 border-ink px-3 text-lg">
						<input
							type="checkbox"
							className="size-6 accent-[var(--accent)]"
							checked={signs.includes(s as Sign)}
							onChange={(e) => setSigns(e.target.checked ? [...signs, s as Sign] : signs.filter((x) => x !== s))}
						/>
						{signWords[s] ?? s}
					</label>
				))}
			</div>
			{signs.length > 0 ? (
				<>
					<Where visit={visit} box={box} set={setBox} />
					<Button
						kind="main"
						className="min-h-14 text-lg"
						disabled={busy}
						onClick={() => say({ kind: 'danger', signs, box: box || undefined })}
					>
						Yes, this
					</Button>
				</>
			) : (
				<Button kind="main" className="min-h-14 text-lg" disabled={busy} onClick={() => say({ kind: 'danger' })}>
					None of this
				</Button>
			)}
		</Says>
	);
}

function Where({ visit, box, set }: { visit: Visit; box: string; set: (box: string) => void }) {
	if (visit.outlets.length === 0) return null;
	return (
		<label className="grid gap-1 text-soft">
			where, if you know
			<select className={`${field} text-lg`} value={box} onChange={(e) => set(e.target.value)}>
				<option value="">not sure</option>
				{visit.outlets.map((o) => (
					<option key={o.device} value={o.box}>
						{o.label}
					</option>
				))}
			</select>
		</label>
	);
}

function StayAway({ visit }: StageProps) {
	return (
		<section aria-label="Leave it off" className="grid gap-4">
			<div className="flex items-stretch bg-ink text-paper">
				<i aria-hidden="true" className="stripes w-6 shrink-0" />
				<h1 className="m-0 px-4 py-3 text-3xl/tight font-bold">Leave it off. Stay away.</h1>
			</div>
			{visit.say.map((line) => (
				<p key={line} className="m-0 text-xl">
					{line}
				</p>
			))}
		</section>
	);
}

function Outlets({ visit, say, busy }: StageProps) {
	const [plugged, setPlugged] = useState('');
	const [heavy, setHeavy] = useState(false);
	const [at, setAt] = useState('');
	const [work, setWork] = useState<boolean | null>(null);
	const [storm, setStorm] = useState<boolean | null>(null);
	const said = (device: string) => visit.answers.findLast((a) => a.kind === 'outlet' && a.device === device)?.works;
	const [marks, setMarks] = useState<Record<string, boolean>>({});
	const done = () => {
		const all: VisitAnswer[] = Object.entries(marks).map(([device, works]) => ({ kind: 'outlet', device, works }));
		if (plugged.trim()) all.push({ kind: 'plugged', text: plugged, heavy, box: at || undefined });
		if (storm !== null) all.push({ kind: 'storm', yes: storm });
		if (work !== null) all.push({ kind: 'work', yes: work, box: work && at ? at : undefined });
		for (const a of all) say(a);
	};
	const something = Object.keys(marks).length > 0 || plugged.trim() !== '' || storm !== null || work !== null;
	return (
		<Says visit={visit} title="What is dead?">
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
									aria-label={`${o.label}: ${works ? 'works' : 'dead'}`}
									className={`min-h-12 min-w-20 border-2 border-ink px-3 font-bold ${mark === works ? 'bg-ink text-paper' : ''}`}
									onClick={() => setMarks({ ...marks, [o.device]: works })}
								>
									{works ? 'works' : 'dead'}
								</button>
							))}
						</li>
					);
				})}
			</ul>
			{visit.outlets.length === 0 && (
				<p className="m-0 text-lg">We have no list of your outlets yet: write below which are dead.</p>
			)}
			<label className="grid gap-1 text-soft">
				What was plugged in, or switched on, when it stopped?
				<input className={`${field} text-lg`} value={plugged} onChange={(e) => setPlugged(e.target.value)} />
			</label>
			<label className="flex min-h-12 items-center gap-3 text-lg">
				<input
					type="checkbox"
					className="size-6 accent-[var(--accent)]"
					checked={heavy}
					onChange={(e) => setHeavy(e.target.checked)}
				/>
				a heater, a vacuum cleaner, a kettle or the like
			</label>
			<YesNo words="Was there a storm?" value={storm} set={setStorm} />
			<YesNo words="Did anybody work on the wiring lately?" value={work} set={setWork} />
			{(work || plugged.trim() !== '') && <Where visit={visit} box={at} set={setAt} />}
			<Button kind="main" className="min-h-14 text-lg" disabled={busy || !something} onClick={done}>
				Next
			</Button>
		</Says>
	);
}

function YesNo({ words, value, set }: { words: string; value: boolean | null; set: (yes: boolean) => void }) {
	return (
		<fieldset className="m-0 grid grid-cols-[1fr_auto_auto] items-center gap-2 border-0 p-0">
			<legend className="float-left text-lg">{words}</legend>
			{[true, false].map((yes) => (
				<button
					key={String(yes)}
					type="button"
					aria-pressed={value === yes}
					className={`min-h-12 min-w-16 border-2 border-ink px-3 font-bold ${value === yes ? 'bg-ink text-paper' : ''}`}
					onClick={() => set(yes)}
				>
					{yes ? 'yes' : 'no'}
				</button>
			))}
		</fieldset>
	);
}

const results: { result: NonNullable<VisitAnswer['result']>; words: string }[] = [
	{ result: 'came-back', words: 'It clicked in, and the power is back' },
	{ result: 'no-change', words: 'Nothing changed' },
	{ result: 'will-not-hold', words: 'It does not stay in' },
];

function Resets({ visit, say, busy }: StageProps) {
	const next = visit.guards.find((g) => g.key === visit.next);
	const done = visit.guards.filter((g) => g.said).length;
	return (
		<Says visit={visit} title="Press reset, once">
			<div className="grid gap-3 border-l-4 border-accent bg-sheet p-4">
				<p className="m-0 text-soft">
					{done + 1} of {visit.guards.length}
				</p>
				<p className="m-0 text-2xl font-bold">{next?.label}</p>
				<p className="m-0 text-soft">{next?.of}</p>
				{results.map((r) => (
					<Button
						key={r.result}
						className="min-h-14 text-lg"
						disabled={busy}
						onClick={() => say({ kind: 'reset', guard: visit.next, result: r.result })}
					>
						{r.words}
					</Button>
				))}
				<Button
					kind="quiet"
					disabled={busy}
					onClick={() => say({ kind: 'reset', guard: visit.next, result: 'not-reached' })}
				>
					I cannot find it or get to it
				</Button>
			</div>
		</Says>
	);
}

function Breaker({ visit, say, busy }: StageProps) {
	return (
		<Says visit={visit} title="The breaker, once">
			{[
				{ result: 'came-back' as const, words: 'The power is back' },
				{ result: 'no-change' as const, words: 'Nothing changed' },
				{ result: 'not-reached' as const, words: 'I cannot get there' },
				{ result: 'will-not-hold' as const, words: 'It went off again: I leave it off' },
			].map((r) => (
				<Button
					key={r.result}
					className="min-h-14 text-lg"
					disabled={busy}
					onClick={() => say({ kind: 'breaker', result: r.result })}
				>
					{r.words}
				</Button>
			))}
		</Says>
	);
}

function Photograph({ visit, take, busy }: { visit: Visit; take: (file: Blob) => void; busy: boolean }) {
	const input = useRef<HTMLInputElement>(null);
	const [failed, setFailed] = useState<Error | null>(null);
	const pick = async (file: File | undefined) => {
		if (!file) return;
		try {
			setFailed(null);
			take(await smaller(file));
		} catch {
			setFailed(new Error(`“${file.name}” is no picture that can be opened.`));
		}
	};
	return (
		<section aria-label="Photographs" className="grid gap-2 border-t border-rule pt-4">
			<p className="m-0 text-lg">
				A photograph of the outlet, from a step away, helps.{' '}
				<span className="text-soft">
					{visit.pictures === 0 ? '' : visit.pictures === 1 ? '1 sent.' : `${visit.pictures} sent.`}
				</span>
			</p>
			<Button className="justify-self-start" disabled={busy} onClick={() => input.current?.click()}>
				Take or pick a photograph
			</Button>
			<PictureInput label="A photograph" at={input} take={pick} />
			<Problem error={failed} />
		</section>
	);
}

function Tell({ say, busy }: { say: StageProps['say']; busy: boolean }) {
	const [text, setText] = useState('');
	return (
		<form
			aria-label="Anything else"
			className="grid gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				say({ kind: 'note', text }, () => setText(''));
			}}
		>
			<label className="grid gap-1 text-soft">
				anything else we should know
				<textarea className={`${field} min-h-20 py-2 text-lg`} value={text} onChange={(e) => setText(e.target.value)} />
			</label>
			<Button type="submit" className="justify-self-start" disabled={busy || !text.trim()}>
				Send it
			</Button>
		</form>
	);
}

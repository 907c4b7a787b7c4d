import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { type NewDrill, useBeginDrill, useDrills } from '../api/drill';
import { useMay } from '../api/shop';
import { Button, field } from '../ui/Button';
import { OpenFile } from '../ui/OpenFile';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { ago } from '../ui/words';
import { OwnScene } from './OwnScene';
import { gradeWords, saveScene, tenth } from './words';

/** What to train next, the scenes that ship, and what one did. */
export function DrillsScreen() {
	const sheet = useDrills();
	const begin = useBeginDrill();
	const go = useNavigate();
	const manages = useMay('manage');
	const [asked] = useSearchParams();
	const start = (made: NewDrill) => begin.mutate(made, { onSuccess: (call) => go(`/calls/${call.id}`) });
	const shared = asked.get('theme');
	const s = sheet.data;
	const first = s?.next[0];
	const due = s?.next.filter((c) => !c.dueAt || new Date(c.dueAt) <= new Date()) ?? [];
	return (
		<Page title="Drills" under="Circuits that hurt nobody: testers are simulated, nothing here is of a real call">
			<Problem error={sheet.error ?? begin.error} again={sheet.error ? () => sheet.refetch() : undefined} />
			{shared && (
				<section aria-label="A scene by link" className="flex flex-wrap items-center gap-4 border-2 border-accent p-3">
					<p className="m-0 grow text-lg">
						Somebody shared a scene with you: {s?.next.find((c) => c.theme === shared)?.words ?? shared}, level{' '}
						{asked.get('level')}.
					</p>
					<Button
						kind="main"
						disabled={begin.isPending}
						onClick={() =>
							start({ theme: shared, level: Number(asked.get('level') ?? 1), seed: Number(asked.get('seed') ?? 1) })
						}
					>
						Begin that one
					</Button>
				</section>
			)}
			{s && first && (
				<section aria-label="Next" className="grid gap-3 border-b-2 border-ink pb-4" data-next>
					<p className="m-0 text-soft">Train next</p>
					<h2 className="m-0 text-3xl/tight font-bold tracking-tight">{first.words}</h2>
					<div className="flex flex-wrap items-center gap-x-6 gap-y-2">
						<Button
							kind="main"
							className="min-h-14 px-6 text-lg"
							disabled={begin.isPending}
							onClick={() => start({ theme: first.theme, level: first.level })}
						>
							Begin, level {first.level}
						</Button>
						<p className="m-0 text-soft">
							{first.done === 0
								? 'Not trained yet.'
								: `Trained ${first.done} ${first.done === 1 ? 'time' : 'times'}, due again.`}
							{due.length > 1 &&
								` After it: ${due
									.slice(1, 4)
									.map((c) => `“${c.words}”`)
									.join(', ')}.`}
						</p>
					</div>
				</section>
			)}
			<div className="flex flex-wrap gap-x-6">
				<Link to="/school" className="inline-flex min-h-11 items-center font-bold underline underline-offset-4">
					The tester's school
				</Link>
				{manages && (
					<Link to="/drills/people" className="inline-flex min-h-11 items-center underline underline-offset-4">
						What the shop's people trained
					</Link>
				)}
				<OpenFile label="Begin from a file" open={(scene) => start({ scene })} />
			</div>
			{s && (
				<>
					<Drawn cards={s.next} start={start} busy={begin.isPending} />
					{s.mine.length > 0 && (
						<Part title="Yours">
							<ul className="m-0 list-none p-0">
								{s.mine.slice(0, 12).map((m) => (
									<li key={m.call} className="flex flex-wrap items-center gap-x-4 border-b border-rule">
										<Link
											to={m.result ? `/calls/${m.call}/drill` : `/calls/${m.call}`}
											className="inline-flex min-h-11 grow items-center underline decoration-hair underline-offset-4"
										>
											{m.result?.name ?? m.name}
										</Link>
										<span className="text-soft">{ago(m.begunAt)}</span>
										<b className="mono w-32 text-right whitespace-nowrap">
											{!m.result ? 'goes on' : m.result.danger ? 'stopped' : `${m.result.points} of 100`}
										</b>
									</li>
								))}
							</ul>
						</Part>
					)}
					{s.mistakes.length > 0 && (
						<Part title="Where it went wrong">
							<table className="w-full max-w-2xl border-collapse">
								<thead>
									<tr className="text-left text-soft">
										<th className="font-normal">mistake</th>
										<th className="text-right font-normal">in all</th>
										<th className="text-right font-normal">in the last five</th>
									</tr>
								</thead>
								<tbody>
									{s.mistakes.map((m) => (
										<tr key={m.kind} className="border-b border-rule">
											<td className="py-2">{m.words}</td>
											<td className="mono py-2 text-right">{m.count}</td>
											<td className="mono py-2 text-right font-bold">{m.lately}</td>
										</tr>
									))}
								</tbody>
							</table>
						</Part>
					)}
					<Shipped rows={s.shipped} start={start} busy={begin.isPending} />
					<OwnScene start={start} busy={begin.isPending} />
				</>
			)}
		</Page>
	);
}

type Sheet = NonNullable<ReturnType<typeof useDrills>['data']>;

function Drawn({ cards, start, busy }: { cards: Sheet['next']; start: (made: NewDrill) => void; busy: boolean }) {
	const [theme, setTheme] = useState('');
	const [level, setLevel] = useState(1);
	const [seed, setSeed] = useState('');
	const [copied, setCopied] = useState('');
	const named = { theme: theme || (cards[0]?.theme ?? ''), level, ...(seed ? { seed: Number(seed) } : {}) };
	const link = `${window.location.origin}/drills?theme=${named.theme}&level=${level}&seed=${seed || 1}`;
	return (
		<Part title="Draw one">
			<div className="flex flex-wrap items-end gap-4">
				<label className="grid gap-1 text-soft">
					theme
					<select className={field} value={named.theme} onChange={(e) => setTheme(e.target.value)}>
						{cards.map((c) => (
							<option key={c.theme} value={c.theme}>
								{c.words}
							</option>
						))}
					</select>
				</label>
				<label className="grid gap-1 text-soft">
					level
					<select className={field} value={level} onChange={(e) => setLevel(Number(e.target.value))}>
						{[1, 2, 3, 4].map((n) => (
							<option key={n}>{n}</option>
						))}
					</select>
				</label>
				<label className="grid gap-1 text-soft">
					seed, to share it
					<input
						className={`${field} mono w-28`}
						inputMode="numeric"
						placeholder="drawn"
						value={seed}
						onChange={(e) => setSeed(e.target.value.replace(/\D/g, '').slice(0, 9))}
					/>
				</label>
				<Button disabled={busy} onClick={() => start(named)}>
					Draw and begin
				</Button>
				<Button
					kind="quiet"
					disabled={!seed}
					onClick={() =>
						void navigator.clipboard?.writeText(link).then(
							() => setCopied(link),
							() => setCopied(link),
						)
					}
				>
					Copy the link
				</Button>
				<Button kind="quiet" disabled={!seed} onClick={() => void saveScene(named)}>
					Save the file
				</Button>
			</div>
			{copied && (
				<p role="status" className="mono m-0 wrap-anywhere">
					{copied}
				</p>
			)}
		</Part>
	);
}

function Shipped({ rows, start, busy }: { rows: Sheet['shipped']; start: (made: NewDrill) => void; busy: boolean }) {
	const [grade, setGrade] = useState(1);
	return (
		<Part
			title="Sixty scenes"
			aside={
				<fieldset className="m-0 flex border-0 p-0">
					<legend className="sr-only">Grade</legend>
					{[1, 2, 3, 4].map((g) => (
						<button
							key={g}
							type="button"
							aria-pressed={grade === g}
							onClick={() => setGrade(g)}
							className="min-h-11 px-3 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
						>
							{gradeWords[g]}
						</button>
					))}
				</fieldset>
			}
		>
			<p className="m-0 text-soft">Graded by the minutes that the best path takes.</p>
			<ul className="m-0 grid list-none gap-x-8 p-0 wide:grid-cols-2">
				{rows
					.filter((r) => r.grade === grade)
					.map((r) => (
						<li key={r.n} className="flex items-center gap-3 border-b border-rule py-1">
							<b className="mono w-8 shrink-0 text-right text-soft">{r.n}</b>
							<span className="min-w-0 grow">
								<b className="block">{r.name}</b>
								<span className="block text-soft">{r.words}</span>
							</span>
							<span className="mono text-right whitespace-nowrap text-soft">{tenth(r.best)} min</span>
							<Button
								disabled={busy}
								aria-label={`Begin scene ${r.n}`}
								onClick={() => start({ theme: r.theme, level: r.level, seed: r.seed })}
							>
								Begin
							</Button>
						</li>
					))}
			</ul>
		</Part>
	);
}

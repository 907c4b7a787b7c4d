import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import type { Sum, SumAnswer, SumField } from '../api/client';
import { useAnswer, useSums } from '../api/hooks';
import { field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { numberIn } from '../ui/words';

/** The figures of the trade, each with its formula and source; no call is needed. */
export function SumsScreen() {
	const sums = useSums();
	const wanted = useParams().sum;
	useEffect(() => {
		document.title = 'Sums, Elvat';
	}, []);
	const sum = sums.data?.find((s) => s.key === wanted) ?? sums.data?.[0];
	return (
		<div className="min-h-dvh">
			<header className="flex items-center gap-3 border-b-2 border-ink py-1.5 pr-2 pl-3 wide:pl-5">
				<Link
					to="/"
					aria-label="The day's calls"
					aria-keyshortcuts="h"
					className="grid size-11 place-items-center hover:bg-wash"
				>
					<Mark />
				</Link>
				<h1 className="m-0 min-w-0 grow truncate text-lg/tight font-bold">Sums</h1>
				<ThemeButton />
			</header>
			<main className="mx-auto grid max-w-6xl gap-x-8 gap-y-4 px-4 py-4 wide:grid-cols-[200px_1fr] wide:px-6">
				<Problem error={sums.error} again={() => sums.refetch()} />
				<nav aria-label="Sums" className="flex gap-x-1 overflow-x-auto wide:flex-col">
					{sums.data?.map((s) => (
						<Link
							key={s.key}
							to={`/sums/${s.key}`}
							aria-current={s === sum ? 'page' : undefined}
							className="inline-flex min-h-11 shrink-0 items-center border-b-2 border-rule px-2 aria-[current]:border-ink aria-[current]:bg-ink aria-[current]:font-bold aria-[current]:text-paper"
						>
							{s.words}
						</Link>
					))}
				</nav>
				{sum && <OneSum key={sum.key} sum={sum} />}
			</main>
		</div>
	);
}

function OneSum({ sum }: { sum: Sum }) {
	const [values, setValues] = useState<Record<string, number>>(() =>
		Object.fromEntries(sum.fields.map((f) => [f.key, f.usual])),
	);
	const answer = useAnswer(sum.key, values);
	return (
		<section
			className="grid grid-cols-1 content-start gap-5 wide:grid-cols-[minmax(0,1fr)_minmax(0,23rem)]"
			aria-label={sum.words}
		>
			<div className="grid content-start gap-3 wide:gap-2">
				{sum.fields.map((f) => (
					<FieldEntry
						key={f.key}
						field={f}
						value={values[f.key] ?? f.usual}
						save={(v) => setValues({ ...values, [f.key]: v })}
					/>
				))}
			</div>
			<div className="contents wide:grid wide:content-start wide:gap-3">
				<div className="max-wide:sticky max-wide:bottom-0 max-wide:order-9 max-wide:-mx-4 max-wide:border-t-2 max-wide:border-ink max-wide:bg-paper max-wide:px-4 max-wide:py-2">
					<Problem error={answer.error} />
					<div aria-live="polite">{answer.data && !answer.error && <Reads answer={answer.data} />}</div>
				</div>
				<div className="grid content-start gap-3">
					{answer.data && !answer.error && (
						<>
							<ul className="m-0 list-none p-0">
								{answer.data.lines
									.filter((l) => !l.main)
									.map((l) => (
										<li key={l.words} className="flex flex-wrap gap-x-3 border-b border-rule py-1">
											<span className="grow">{l.words}</span>
											<span className="mono text-right">{l.value}</span>
										</li>
									))}
							</ul>
							<p className="m-0">
								<b>Working</b> <span className="mono">{answer.data.working}</span>
							</p>
						</>
					)}
					<p className="m-0 text-soft">
						<b>Formula</b> {sum.formula}
					</p>
					<p className="m-0 text-soft">
						<b>Source</b> {sum.source}
					</p>
				</div>
			</div>
		</section>
	);
}

/** The figure as an instrument shows it: large, and against its limit where there is one. */
function Reads({ answer }: { answer: SumAnswer }) {
	const { share } = answer;
	const limit = 66; // percent of the scale: what is over shows as over
	return (
		<div className="grid gap-1.5 wide:gap-3">
			{answer.lines
				.filter((l) => l.main)
				.map((l) => (
					<p
						key={l.words}
						className={`m-0 flex flex-wrap items-baseline gap-x-3 px-3 py-1.5 wide:block wide:px-4 wide:py-3 ${answer.over ? 'bg-ink text-paper' : 'border-2 border-ink'}`}
					>
						{l.words}
						<b className="mono text-2xl wide:block wide:text-3xl">{l.value}</b>
					</p>
				))}
			{share !== undefined && (
				<div className="relative h-6 border-2 border-ink bg-sheet wide:h-8" aria-hidden="true">
					<i
						className={`block h-full ${answer.over ? 'bg-ink' : 'bg-accent'}`}
						style={{ width: `${Math.min(100, limit * share)}%` }}
					/>
					<i className="absolute -inset-y-2 w-1 bg-ink" style={{ left: `calc(${limit}% - 2px)` }} />
				</div>
			)}
			<p className="m-0 wide:text-lg">{answer.says}</p>
		</div>
	);
}

/** Choices beyond so many are a list. */
const tapped = 6;

function FieldEntry({ field: f, value, save }: { field: SumField; value: number; save: (v: number) => void }) {
	const [typed, setTyped] = useState(String(value));
	useEffect(() => setTyped(String(value)), [value]);
	const long = f.choices.length > tapped;
	const enter = (text: string) => {
		setTyped(text);
		const v = numberIn(text);
		if (!Number.isNaN(v)) save(v);
	};
	return (
		<div
			// What is typed into says itself what it is.
			{...(f.free ? {} : { role: 'group', 'aria-label': f.words })}
			className="grid gap-1 wide:grid-cols-[8rem_minmax(0,1fr)] wide:items-center wide:gap-4 wide:border-b wide:border-rule wide:pb-2"
		>
			<span aria-hidden="true">{f.words}</span>
			<div className="flex flex-wrap items-center gap-1.5">
				{f.free && (
					<label className="flex items-center gap-1.5 text-soft">
						<input
							aria-label={f.words}
							className={`${field} mono w-24 text-right`}
							inputMode="decimal"
							value={typed}
							onChange={(e) => enter(e.target.value)}
						/>
						{f.unit}
					</label>
				)}
				{long ? (
					<select
						aria-label={`${f.words}, usual values`}
						className={field}
						value={f.choices.some((c) => c.value === value) ? value : ''}
						onChange={(e) => save(Number(e.target.value))}
					>
						<option value="" disabled>
							usual values
						</option>
						{f.choices.map((c) => (
							<option key={c.words} value={c.value}>
								{c.words}
							</option>
						))}
					</select>
				) : (
					f.choices.map((c) => (
						<button
							key={c.words}
							type="button"
							aria-pressed={value === c.value}
							onClick={() => save(c.value)}
							className="min-h-11 min-w-11 border-2 border-hair px-2.5 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
						>
							{c.words}
						</button>
					))
				)}
			</div>
		</div>
	);
}

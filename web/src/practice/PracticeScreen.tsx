import { useEffect } from 'react';
import { Link, useParams } from 'react-router';
import type { Practice, PracticeSheet, Tool } from '../api/client';
import { useForgetLearned, usePractice, useSetPractice } from '../api/hooks';
import { PriceListPart } from '../price/PriceList';
import { tools } from '../readings/tools';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Ticked } from '../ui/Ticked';
import { Mark, ThemeButton } from '../ui/TopBar';
import { dateOf } from '../ui/words';
import { Figure } from './Figure';
import { House } from './House';

const partsOf = [
	{ part: 'tools', words: 'Tools and minutes' },
	{ part: 'practice', words: 'House practice' },
	{ part: 'code', words: 'Code' },
	{ part: 'prices', words: 'Prices' },
	{ part: 'weights', words: 'Weights' },
] as const;

/** What the shop has set for itself, part by part. */
export function PracticeScreen() {
	const asked = useParams().part;
	const part = partsOf.find((p) => p.part === asked)?.part ?? 'tools';
	const practice = usePractice();
	const set = useSetPractice();
	useEffect(() => {
		document.title = 'Practice and code, Elvat';
	}, []);
	const sheet = practice.data;
	const save: Save = (change) => set.mutate((now) => ({ ...asSet(now), ...change(asSet(now)) }));
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
				<h1 className="m-0 min-w-0 grow truncate text-lg/tight font-bold">Practice and code</h1>
				<ThemeButton />
			</header>
			<nav aria-label="Parts of the practice" className="flex overflow-x-auto border-b border-rule px-4 wide:px-5">
				{partsOf.map((p) => (
					<Link
						key={p.part}
						to={p.part === 'tools' ? '/practice' : `/practice/${p.part}`}
						aria-current={p.part === part ? 'page' : undefined}
						className="inline-flex min-h-11 shrink-0 items-center border-b-4 border-transparent px-3 aria-[current]:border-accent aria-[current]:font-bold"
					>
						{p.words}
					</Link>
				))}
			</nav>
			<main className="mx-auto grid max-w-6xl gap-6 px-4 py-5 wide:px-6">
				<Problem error={practice.error ?? set.error} />
				{sheet && part === 'tools' && (
					<>
						<Carried sheet={sheet} save={save} />
						<Minutes sheet={sheet} save={save} />
						<House part="clock" />
					</>
				)}
				{part === 'prices' && <PriceListPart />}
				{(part === 'practice' || part === 'code' || part === 'prices') && <House part={part} />}
				{sheet && part === 'weights' && (
					<>
						<Learned sheet={sheet} />
						<Weights sheet={sheet} save={save} />
					</>
				)}
			</main>
		</div>
	);
}

interface Part {
	sheet: PracticeSheet;
	save: Save;
}

/** Changes what is set, as it is by then. */
type Save = (change: (now: Practice) => Practice) => void;

/** What is set as the server keeps it: only what is not as usual. */
function asSet(sheet: PracticeSheet): Practice {
	const changed = (rows: { key: string; value: number; usual: number }[]) =>
		Object.fromEntries(rows.filter((r) => r.value !== r.usual).map((r) => [r.key, r.value]));
	return {
		weights: changed(sheet.weights),
		minutes: changed(sheet.minutes),
		tools: sheet.tools,
		qualified: sheet.qualified,
		three: sheet.three,
	};
}

const carriable: { tool: Tool; words: string }[] = [
	...tools.filter((t) => t.tool !== 'ohms' && t.tool !== 'plug-button').map(({ tool, words }) => ({ tool, words })),
	{ tool: 'plug-button', words: "Plug tester's button" },
	{ tool: 'device-button', words: "A GFCI's own button" },
];

function Carried({ sheet, save }: Part) {
	const toggle = (tool: Tool) =>
		save((now) => {
			const tools = now.tools ?? [];
			return { tools: tools.includes(tool) ? tools.filter((t) => t !== tool) : [...tools, tool] };
		});
	return (
		<section className="grid gap-2" aria-label="Tools carried">
			<h2 className="m-0 text-xl font-bold">Tools carried</h2>
			<p className="m-0 text-soft">Only these are proposed.</p>
			<div className="flex flex-wrap gap-2">
				{carriable.map((c) => (
					<button
						key={c.tool}
						type="button"
						aria-pressed={sheet.tools.includes(c.tool)}
						onClick={() => toggle(c.tool)}
						className="min-h-11 border-2 border-ink px-3 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						{c.words}
					</button>
				))}
			</div>
			<Ticked
				words="Propose taking a cable's end apart for a test with power on, where nothing safer helps. For a qualified person only; local law says who that is."
				value={sheet.qualified}
				save={(qualified) => save(() => ({ qualified }))}
			/>
			<Ticked
				words="Look for three faults at once too. It takes longer."
				value={sheet.three}
				save={(three) => save(() => ({ three }))}
			/>
		</section>
	);
}

function Minutes({ sheet, save }: Part) {
	return (
		<section className="grid gap-2" aria-label="Minutes">
			<h2 className="m-0 text-xl font-bold">Minutes</h2>
			<p className="m-0 text-soft">What each step takes. Assumptions; what is proposed first depends on them.</p>
			<ul className="m-0 grid list-none gap-x-8 p-0 wide:grid-cols-2">
				{sheet.minutes.map((m) => (
					<li key={m.key} className="flex items-center gap-3 border-b border-rule py-1">
						<span className="grow">{m.words}</span>
						<Figure
							words={m.words}
							value={m.value}
							usual={m.usual}
							save={(v) => save((now) => ({ minutes: { ...now.minutes, [m.key]: v } }))}
						/>
					</li>
				))}
			</ul>
		</section>
	);
}

/** What the shop's own opened boxes have taught, and how to begin anew. */
function Learned({ sheet }: { sheet: PracticeSheet }) {
	const forget = useForgetLearned();
	const { boxes, least, used, since } = sheet.learning;
	return (
		<section className="grid gap-2" aria-label="Learned from your boxes">
			<h2 className="m-0 text-xl font-bold">Learned from your boxes</h2>
			<p className="m-0">
				Something was found in <b className="mono">{boxes}</b> opened {boxes === 1 ? 'box' : 'boxes'}
				{since && ` since ${dateOf(since)}`}.{' '}
				{used
					? 'The weights below are corrected by it, where you have not set them yourself.'
					: `From ${least} on, they correct the weights below; until then the table stands as it is.`}
			</p>
			<div className="flex flex-wrap gap-3">
				<a
					href="/api/v1/practice/learning"
					download="elvat-learned.json"
					className="inline-flex min-h-11 items-center underline decoration-hair underline-offset-4"
				>
					Download the counts
				</a>
				{boxes > 0 && (
					<Button kind="quiet" disabled={forget.isPending} onClick={() => forget.mutate()}>
						Count anew from today
					</Button>
				)}
			</div>
			<Problem error={forget.error} />
		</section>
	);
}

const groups = [
	{ group: 'fault', words: 'Faults, beside a conductor off its terminal' },
	{ group: 'unrecorded', words: 'What nobody recorded, beside the same' },
	{ group: 'odds', words: 'How often something goes with it: odds, and shares' },
	{ group: 'condition', words: 'Conditions of the place: times the weight of the fault' },
	{ group: 'factor', words: 'Other factors' },
	{ group: 'share', words: 'Shares of all calls' },
] as const;

function Weights({ sheet, save }: Part) {
	return (
		<section className="grid gap-2" aria-label="Weights">
			<h2 className="m-0 text-xl font-bold">How likely each fault is before anything is read</h2>
			<p className="m-0 text-soft">
				One table. Every suspect says which rows it rests on. Readings soon outweigh it, but it decides between what no
				reading tells apart, such as the two ends of a cable.
			</p>
			{groups.map((g) => (
				<details key={g.group} open={window.innerWidth >= 900}>
					<summary className="flex min-h-11 cursor-pointer items-center border-b-2 border-ink">
						<h3 className="m-0 text-base font-bold">{g.words}</h3>
					</summary>
					<ul className="m-0 list-none p-0">
						{sheet.weights
							.filter((w) => w.group === g.group)
							.map((w) => (
								<li
									key={w.key}
									className="grid items-center gap-x-4 border-b border-rule py-1 wide:grid-cols-[1fr_1fr_auto]"
								>
									<b className="font-bold">{w.words}</b>
									<span className="text-soft">
										{w.why} ({w.standing})
										{w.learned !== undefined && (
											<b className="block text-ink">
												Your boxes make it {w.learned.toPrecision(2)}: found {w.found ?? 0} times where{' '}
												{(w.expected ?? 0).toFixed(1)} were expected.
											</b>
										)}
									</span>
									<Figure
										words={w.words}
										value={w.value}
										usual={w.usual}
										save={(v) => save((now) => ({ weights: { ...now.weights, [w.key]: v } }))}
									/>
								</li>
							))}
					</ul>
				</details>
			))}
		</section>
	);
}

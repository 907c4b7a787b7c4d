import { Link, useNavigate, useParams } from 'react-router';
import { useBeginDrill, useDrillScore } from '../api/drill';
import { useCall } from '../api/hooks';
import { Button } from '../ui/Button';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { mistakeWords, saveScene, tenth } from './words';

/** What a drill came to: against the best path and the plain rule, then each step with what was known. */
export function ScoreScreen() {
	const id = Number(useParams().call);
	const call = useCall(id).data;
	const score = useDrillScore(id);
	const again = useBeginDrill();
	const go = useNavigate();
	const s = score.data;
	const drill = call?.drill;
	const title = drill ? `Drill: ${drill.name}` : 'Drill';
	return (
		<Page title={title} under={drill?.words} back="/drills" backWords="Drills">
			<Problem error={score.error ?? again.error} again={score.error ? () => score.refetch() : undefined} />
			{!s && !score.error && <p className="m-0">Working it out, step by step.</p>}
			{s && (
				<>
					{s.stop && (
						<section aria-label="Stopped" className="flex border-2 border-ink bg-sheet">
							<i aria-hidden="true" className="stripes w-6 shrink-0" />
							<div className="px-4 py-3">
								<p className="m-0 text-xl/tight font-bold">{s.stop.did}</p>
								<p className="m-0">
									<b>What would have happened:</b> {s.stop.would}
								</p>
								<p className="m-0">{s.stop.rule}</p>
							</div>
						</section>
					)}
					<section aria-label="Score" className="grid gap-4 wide:grid-cols-[auto_1fr] wide:gap-10">
						<p className="m-0">
							<b className="mono block text-6xl/none">{s.points}</b>
							<span className="text-soft">of 100</span>
						</p>
						<div className="grid gap-2">
							<p className="m-0 text-lg">
								{s.stop
									? 'No points: speed counts for nothing where somebody would have been hurt.'
									: !s.over
										? 'It goes on still.'
										: s.solved
											? 'All that was wrong is put right.'
											: 'Something is wrong still: the customer calls back.'}
							</p>
							<Bars
								rows={[
									['You', s.minutes, s.boxes],
									['The best path', s.best, s.bestBoxes],
									['Box by box upstream', s.walk, s.walkBoxes],
								]}
							/>
							{s.was && (
								<p className="m-0">
									<b>What was wrong:</b> {s.was.join('; ')}.
								</p>
							)}
						</div>
					</section>
					<div className="flex flex-wrap gap-3">
						{s.over && drill && (
							<>
								<Button
									kind="main"
									disabled={again.isPending}
									onClick={() =>
										again.mutate(
											drill.theme ? { theme: drill.theme, level: drill.level, seed: drill.seed } : { call: id },
											{ onSuccess: (c) => go(`/calls/${c.id}`) },
										)
									}
								>
									The same once more
								</Button>
								<Button
									onClick={() =>
										void saveScene(
											drill.theme ? { theme: drill.theme, level: drill.level, seed: drill.seed } : { call: id },
										)
									}
								>
									Save the scene
								</Button>
							</>
						)}
						{!s.over && (
							<Link
								to={`/calls/${id}`}
								className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
							>
								Back to the drill
							</Link>
						)}
						<Link to="/drills" className="inline-flex min-h-11 items-center underline underline-offset-4">
							What to train next
						</Link>
					</div>
					<Part title="Step by step">
						<ol className="m-0 list-none p-0">
							{s.replay.map((r, i) => (
								<li
									// biome-ignore lint/suspicious/noArrayIndexKey: steps are never reordered
									key={i}
									className="grid gap-x-6 gap-y-1 border-b border-rule py-3 wide:grid-cols-[2rem_minmax(0,3fr)_minmax(0,2fr)]"
								>
									<b className="mono text-soft">{i + 1}</b>
									<div>
										<b>{r.words}</b>
										{r.minutes > 0 && <span className="text-soft"> {tenth(r.minutes)} min</span>}
										{(r.knew?.length ?? 0) > 0 && <p className="m-0 text-soft">Before it: {r.knew?.join(', ')}</p>}
										{r.mistakes?.map((m) => (
											<p key={m} className="m-0">
												<span className="bg-ink px-1.5 font-bold text-paper">{mistakeWords[m] ?? m}</span>
											</p>
										))}
									</div>
									<div className="max-wide:col-start-1">
										{r.told !== 0 && (
											<p className="m-0">
												It told {tenth(r.told)} bits of where it is
												{r.could > 0 && `; ${tenth(r.could)} were to be hoped for`}.
											</p>
										)}
										{r.better && (
											<p className="m-0">
												<b>Worth more then:</b> {r.better}
												{r.betterBits ? `, ${tenth(r.betterBits)} bits on average` : ''}.{' '}
												<span className="text-soft">{r.why}</span>
											</p>
										)}
									</div>
								</li>
							))}
						</ol>
					</Part>
				</>
			)}
		</Page>
	);
}

function Bars({ rows }: { rows: [string, number, number][] }) {
	const most = Math.max(1, ...rows.map((r) => r[1]));
	return (
		<table className="w-full max-w-2xl border-collapse">
			<tbody>
				{rows.map(([words, minutes, boxes], i) => (
					<tr key={words} className="border-b border-rule">
						<th className="py-1 pr-3 text-left font-normal whitespace-nowrap">{words}</th>
						<td className="w-full">
							<span
								aria-hidden="true"
								className={`block h-4 ${i === 0 ? 'bg-accent' : 'bg-ink'}`}
								style={{ width: `${(100 * minutes) / most}%` }}
							/>
						</td>
						<td className="mono py-1 pl-3 text-right whitespace-nowrap">{tenth(minutes)} min</td>
						<td className="py-1 pl-3 text-right whitespace-nowrap text-soft">
							{boxes} {boxes === 1 ? 'box' : 'boxes'}
						</td>
					</tr>
				))}
			</tbody>
		</table>
	);
}

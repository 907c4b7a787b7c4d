import { useSearchParams } from 'react-router';
import { useSchool } from '../api/drill';
import { Delta } from '../delta/Delta';
import { Page } from '../ui/Page';
import { Problem } from '../ui/Problem';

/** One outlet, any fault, every tester at once: what each shows, what it hides, and why. */
export function SchoolScreen() {
	const [asked, ask] = useSearchParams();
	const lesson = asked.get('lesson') ?? 'sound';
	const load = Number(asked.get('load') ?? 0);
	const school = useSchool(lesson, load);
	const s = school.data;
	const set = (next: { lesson?: string; load?: number }) =>
		ask({ lesson: next.lesson ?? lesson, load: String(next.load ?? load) }, { replace: true });
	return (
		<Page
			title="The tester's school"
			under="One outlet at the bench, by the model: nothing here is live"
			back="/drills"
			backWords="Drills"
		>
			<Problem error={school.error} again={() => school.refetch()} />
			{s && (
				<div className="grid items-start gap-6 wide:grid-cols-[17rem_minmax(0,1fr)]">
					<div className="grid gap-4">
						<fieldset className="m-0 grid border-0 p-0">
							<legend className="w-full border-b-2 border-ink p-0 text-lg font-bold">What is wrong</legend>
							{s.lessons.map((l) => (
								<button
									key={l.key}
									type="button"
									aria-pressed={lesson === l.key}
									onClick={() => set({ lesson: l.key })}
									className="min-h-11 border-b border-rule px-2 text-left hover:bg-wash aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
								>
									{l.words}
								</button>
							))}
						</fieldset>
						<fieldset className="m-0 grid gap-2 border-0 p-0">
							<legend className="w-full border-b-2 border-ink p-0 text-lg font-bold">Plugged in below</legend>
							<div className="flex gap-px bg-rule">
								{s.loads.map((w) => (
									<button
										key={w}
										type="button"
										aria-pressed={load === w}
										onClick={() => set({ load: w })}
										className="min-h-11 grow bg-sheet px-1 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
									>
										{w === 0 ? 'nothing' : `${w} W`}
									</button>
								))}
							</div>
						</fieldset>
					</div>
					<div className="grid gap-4">
						{s.live && (
							<p role="alert" className="m-0 flex border-2 border-ink">
								<i aria-hidden="true" className="stripes w-4 shrink-0" />
								<span className="px-3 py-2 text-lg">
									<b>The metal is live: {Math.round(s.yoke)} V.</b> Plate screw, yoke and every case plugged in there.
								</span>
							</p>
						)}
						<p className="m-0">
							A perfect meter:{' '}
							<b className="mono">
								{s.volts
									.slice(0, 3)
									.map((v) => Math.round(v))
									.join(' / ')}{' '}
								V
							</b>{' '}
							between the slots,{' '}
							<b className="mono">
								{s.volts
									.slice(3)
									.map((v) => Math.round(v))
									.join(' / ')}{' '}
								V
							</b>{' '}
							from each to a known ground.
						</p>
						<ul className="m-0 grid list-none gap-px bg-rule p-0" aria-label="What each tester shows">
							{s.seen.map((t) => (
								<li key={t.name} className="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-4 bg-paper py-3">
									<Delta delta={t.delta} size={88} />
									<div>
										<p className="m-0 flex flex-wrap items-baseline gap-x-3 text-lg font-bold">
											{t.name}
											{t.hides && <span className="bg-ink px-1.5 text-base text-paper">shows nothing wrong</span>}
										</p>
										<p className="m-0">{t.says}</p>
										<p className="m-0 text-soft">{t.why}</p>
									</div>
								</li>
							))}
						</ul>
					</div>
				</div>
			)}
		</Page>
	);
}

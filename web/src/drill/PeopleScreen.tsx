import { useDrillsOfPeople } from '../api/drill';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { ago } from '../ui/words';

/** What the shop's people trained. It counts; it does not judge. */
export function PeopleScreen() {
	const people = useDrillsOfPeople();
	return (
		<Page title="What the people trained" back="/drills" backWords="Drills">
			<Problem error={people.error} again={() => people.refetch()} />
			<p className="m-0 text-lg">
				Who is ready for which calls is yours to judge, on the job and beside them: no figure here says it, and no
				certificate is issued.
			</p>
			{people.data?.length === 0 && <p className="m-0">Nobody has trained yet.</p>}
			{people.data?.map((p) => (
				<Part key={p.person} title={p.person || 'Whoever works here'}>
					<div className="grid gap-6 wide:grid-cols-3">
						<div>
							<h3 className="m-0 text-base font-bold">
								{p.drills} {p.drills === 1 ? 'drill' : 'drills'}
							</h3>
							<ul className="m-0 list-none p-0">
								{p.results.slice(0, 6).map((r) => (
									<li key={r.at} className="flex min-h-9 items-center gap-3 border-b border-rule">
										<span className="grow">{r.name}</span>
										<span className="text-soft">{ago(r.at)}</span>
										<b className="mono">{r.danger ? 'stopped' : r.points}</b>
									</li>
								))}
							</ul>
						</div>
						<div>
							<h3 className="m-0 text-base font-bold">Where it went wrong</h3>
							<ul className="m-0 list-none p-0">
								{p.mistakes.map((m) => (
									<li key={m.kind} className="flex min-h-9 items-center gap-3 border-b border-rule">
										<span className="grow">{m.words}</span>
										<b className="mono">{m.count}</b>
									</li>
								))}
								{p.mistakes.length === 0 && <li className="min-h-9">Nothing counted.</li>}
							</ul>
						</div>
						<div>
							<h3 className="m-0 text-base font-bold">Themes</h3>
							<ul className="m-0 list-none p-0">
								{p.next.map((c) => (
									<li key={c.theme} className="flex min-h-9 items-center gap-3 border-b border-rule">
										<span className="grow">{c.words}</span>
										<span className="text-soft">{c.done === 0 ? 'not yet' : `level ${c.level}`}</span>
									</li>
								))}
							</ul>
						</div>
					</div>
				</Part>
			))}
		</Page>
	);
}

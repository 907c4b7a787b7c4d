import type { Call, Test } from '../api/client';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { minutes } from '../ui/words';
import { Looked, PutRight } from './Looked';

interface Props {
	call: Call;
	/** Goes to where the test is done, with its tester in hand. */
	go: (test: Test) => void;
}

const deadFirst =
	'Power off and proven dead before the cover comes off: tester proven on a live source, all pairs of both halves, each hot slot to an independent ground, tester proven again. Local code and the authority having jurisdiction decide who may.';

/** What to do now, in one sentence, with why, how long, and how safe. */
export function Advice({ call, go }: Props) {
	const [now, ...then] = call.diagnosis.next;
	if (call.stops.length === 0) return null;
	if (!now) {
		return (
			<section className="border-b-2 border-ink pb-4" aria-label="Do now">
				<p className="m-0 text-2xl font-bold">No reading left that would tell more.</p>
				<p className="m-0 mt-1 text-soft">
					What was read fits the first suspect below as well as it can. Read the outlets still blank on the run, or look
					at the appliance.
				</p>
			</section>
		);
	}
	const opens = now.do === 'open';
	return (
		<>
			<PutRight call={call} />
			<section className="border-b-2 border-ink pb-3" aria-label="Do now">
				<div className="flex flex-wrap items-center gap-x-5 gap-y-3">
					<div className="min-w-64 grow basis-0">
						<p className="m-0 font-bold text-accent">
							Do now, {minutes(now.minutes)}, {opens ? 'power off' : 'nothing opened'}
						</p>
						<p className="m-0 mt-1 text-2xl/tight font-bold tracking-tight text-balance wide:text-[1.7rem]/tight">
							{now.say}
						</p>
						<p className="m-0 mt-1 text-soft">{now.why}</p>
					</div>
					<Button kind="main" className="min-h-14 px-6 text-lg max-wide:w-full" onClick={() => go(now)}>
						{opens ? 'Show the box' : 'Enter it'}
					</Button>
				</div>
				{opens && (
					<div className="mt-3">
						<Caution>{deadFirst}</Caution>
						<Looked call={call} opening={now} />
					</div>
				)}
				{then.length > 0 && (
					<ul className="m-0 mt-2 list-none p-0" aria-label="Or else">
						{then.slice(0, 2).map((t) => (
							<li key={t.say}>
								<button
									type="button"
									onClick={() => go(t)}
									className="flex min-h-11 w-full items-baseline gap-2 py-2 text-left text-soft hover:bg-wash hover:text-ink"
								>
									<span className="shrink-0">or</span>
									<span className="grow">{t.say}</span>
									<span className="shrink-0">{minutes(t.minutes)}</span>
								</button>
							</li>
						))}
					</ul>
				)}
			</section>
		</>
	);
}

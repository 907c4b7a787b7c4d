import { useState } from 'react';
import type { Call, Entry, Strength, Work } from '../api/client';
import { useMarkEntry, useTrace } from '../api/hooks';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';

export interface WayProps {
	call: Call;
	work: Work;
	enter: (e: Entry) => void;
	busy: boolean;
}

interface PanelProps {
	work: Work;
	pressed: (breaker: string) => boolean;
	tap: (breaker: string) => void;
	/** Marks in words beside a breaker. */
	note?: (breaker: string) => string;
	label: string;
	levels?: Strength[];
	disabled?: boolean;
}

/** The breakers in two columns as they stand in a panel: odd ones left, even ones right. */
export function Breakers({ work, pressed, tap, note, label, levels, disabled }: PanelProps) {
	const rows = work.directory;
	const numbered = rows.every((r) => /^\d+$/.test(r.breaker));
	const row = (breaker: string, i: number) => (numbered ? Math.ceil(Number(breaker) / 2) : Math.floor(i / 2) + 1);
	const column = (breaker: string, i: number) => (numbered ? 2 - (Number(breaker) % 2) : (i % 2) + 1);
	return (
		<fieldset className="m-0 grid grid-cols-2 gap-px border-0 p-0">
			<legend className="sr-only">{label}</legend>
			{rows.map((r, i) => {
				const level = levels?.find((s) => s.breaker === r.breaker)?.level;
				return (
					<button
						key={r.breaker}
						type="button"
						aria-pressed={pressed(r.breaker)}
						aria-label={`Breaker ${r.breaker}${r.serves ? `, ${r.serves}` : ''}`}
						disabled={disabled}
						onClick={() => tap(r.breaker)}
						style={{ gridRow: row(r.breaker, i), gridColumn: column(r.breaker, i) }}
						className="flex min-h-11 min-w-0 items-center gap-2 bg-sheet px-2 outline-1 -outline-offset-1 outline-rule text-left enabled:hover:bg-wash aria-pressed:bg-ink aria-pressed:text-paper"
					>
						<b className="mono w-7 shrink-0 text-lg">{r.breaker}</b>
						<span className="min-w-0 grow truncate">{note?.(r.breaker) || r.serves}</span>
						{level !== undefined && (
							<span className="h-2 w-10 shrink-0 border border-hair" role="img" aria-label={`${level} of 10`}>
								<i className="block h-full bg-accent" style={{ width: `${level * 10}%` }} />
							</span>
						)}
					</button>
				);
			})}
		</fieldset>
	);
}

/** A transmitter at the outlet, a receiver over the breakers: the first pass teaches, the second counts. */
export function ByTransmitter({ call, work, enter, busy }: WayProps) {
	const [pass, setPass] = useState(1);
	const [answers, setAnswers] = useState<string[]>([]);
	const trace = useTrace(call.id);
	const swap = (b: string) => setAnswers(answers.includes(b) ? answers.filter((x) => x !== b) : [...answers, b]);
	const only = answers.length === 1 ? answers[0] : undefined;
	return (
		<div className="grid gap-3">
			<p className="m-0 text-lg">
				<b>{pass === 1 ? 'First pass.' : 'Second pass: this one counts.'}</b>{' '}
				{pass === 1
					? 'Transmitter into the outlet, receiver slowly over every breaker: it answers at many and learns the panel.'
					: 'The same again, held the same way. Tap the breaker at which it answers.'}
			</p>
			<Breakers
				work={work}
				label={pass === 1 ? 'Where it answers, first pass' : 'Where it answers, second pass'}
				pressed={(b) => answers.includes(b)}
				tap={swap}
				levels={trace.data}
			/>
			{pass === 1 ? (
				<Button
					kind="main"
					className="min-h-14"
					onClick={() => {
						setPass(2);
						setAnswers([]);
						trace.reset();
					}}
				>
					The first pass is done
				</Button>
			) : (
				<>
					<Button
						kind="main"
						className="min-h-14"
						disabled={busy || !only}
						onClick={() => only && enter({ kind: 'traced', breaker: only, way: 'transmitter, second pass' })}
					>
						{only ? `It is breaker ${only}` : answers.length > 1 ? 'It answers at several' : 'Tap the breaker first'}
					</Button>
					{answers.length > 1 && (
						<p className="m-0">Turn its gain down and pass again; or go on by halves, which settles it.</p>
					)}
					<Button kind="quiet" className="justify-self-start" onClick={() => setPass(1)}>
						Begin again
					</Button>
				</>
			)}
			{work.tracer && (
				<Button
					kind="quiet"
					className="justify-self-start"
					disabled={trace.isPending}
					onClick={() => trace.mutate(pass)}
				>
					Demo: let a simulated receiver answer
				</Button>
			)}
			<Problem error={trace.error} />
		</div>
	);
}

/** What must not go off is asked before any breaker is thrown. */
function StaysOn({ work, enter, busy }: WayProps) {
	const [stay, setStay] = useState<string[]>([]);
	return (
		<div className="grid gap-3">
			<p className="m-0 text-lg">
				<b>What must not go off?</b> A medical device, an alarm, a sump pump, a freezer, a computer at work, somebody on
				the stairs. Ask in the house; tap the breakers that feed it.
			</p>
			<Breakers
				work={work}
				label="Must not go off"
				pressed={(b) => stay.includes(b)}
				tap={(b) => setStay(stay.includes(b) ? stay.filter((x) => x !== b) : [...stay, b])}
				note={(b) => (stay.includes(b) ? 'stays on' : '')}
			/>
			<Button
				kind="main"
				className="min-h-14"
				disabled={busy}
				onClick={() => enter({ kind: 'must-stay', breakers: stay })}
			>
				{stay.length === 0 ? 'Asked: nothing has to stay on' : `Asked: ${stay.join(', ')} stays on`}
			</Button>
		</div>
	);
}

const signs = {
	loud: {
		way: 'something loud and a shout',
		how: 'Plug a radio, a vacuum cleaner or a lamp into the outlet, and let it be heard or seen from the panel. One breaker off at a time, the likeliest first, each on again.',
		done: 'It stopped with breaker',
	},
	sensor: {
		way: 'the sensor left in the slot',
		how: 'Leave the sensor in the hot slot, switched on and sounding, and listen from the panel. One breaker off at a time, each on again. A sensor that falls silent is a hint: prove it with the meter.',
		done: 'It fell silent with breaker',
	},
};

/** One breaker after the other, until what is plugged in stops. */
export function BySign({ sign, ...props }: WayProps & { sign: keyof typeof signs }) {
	const { work, enter, busy } = props;
	const { way, how, done } = signs[sign];
	const [tried, setTried] = useState<string[]>([]);
	if (!work.search.asked) return <StaysOn {...props} />;
	const { left, stay } = work.search;
	const next = left.find((b) => !tried.includes(b) && !stay.includes(b));
	return (
		<div className="grid gap-3">
			<p className="m-0">{how}</p>
			{next === undefined ? (
				<p className="m-0 text-lg">
					<b>None of those that may go off.</b> What is left must stay on
					{stay.length > 0 && ` (${stay.join(', ')})`}: ask who it serves first. Or another panel feeds it.
				</p>
			) : (
				<>
					<p className="m-0 text-2xl font-bold">Breaker {next} off</p>
					<div className="grid grid-cols-[1fr_auto] gap-3">
						<Button
							kind="main"
							className="min-h-14"
							disabled={busy}
							onClick={() => enter({ kind: 'traced', breaker: next, way })}
						>
							{done} {next}
						</Button>
						<Button className="min-h-14" onClick={() => setTried([...tried, next])}>
							It goes on
						</Button>
					</div>
				</>
			)}
			{tried.length > 0 && (
				<Button kind="quiet" className="justify-self-start" onClick={() => setTried(tried.slice(0, -1))}>
					Back to breaker {tried.at(-1)}
				</Button>
			)}
		</div>
	);
}

/** Half of those that may be it off, a look at the outlet, and half of what is left. */
export function ByHalves(props: WayProps) {
	const { call, work, enter, busy } = props;
	const mark = useMarkEntry(call.id);
	const { search } = work;
	if (!search.asked) return <StaysOn {...props} />;
	const answered = work.journal.filter((l) => l.entry.kind === 'halved' && !l.entry.withdrawn);
	const takeBack = (all: typeof answered) => {
		for (const l of all) mark.mutate({ entry: l.id, withdrawn: true });
	};
	return (
		<div className="grid gap-3">
			{search.off.length > 0 && (
				<p className="m-0 text-2xl/tight font-bold text-balance">Off: {search.off.join(', ')}. All others on.</p>
			)}
			<p className="m-0 text-soft">{search.why}</p>
			{search.off.length > 0 && (
				<>
					<Breakers
						work={work}
						label="Off now"
						disabled
						tap={() => undefined}
						pressed={(b) => search.off.includes(b)}
						note={(b) =>
							search.off.includes(b)
								? 'off'
								: search.stay.includes(b)
									? 'stays on'
									: search.left.includes(b)
										? ''
										: 'is not it'
						}
					/>
					<p className="m-0 text-lg font-bold">Is the outlet dead?</p>
					<div className="grid grid-cols-2 gap-3">
						<Button
							className="min-h-14"
							disabled={busy}
							onClick={() => enter({ kind: 'halved', breakers: search.off, wentDead: true })}
						>
							Dead
						</Button>
						<Button
							className="min-h-14"
							disabled={busy}
							onClick={() => enter({ kind: 'halved', breakers: search.off, wentDead: false })}
						>
							Still live
						</Button>
					</div>
				</>
			)}
			{search.found && (
				<Button
					kind="main"
					className="min-h-14"
					disabled={busy}
					onClick={() =>
						search.found && enter({ kind: 'traced', breaker: search.found, way: 'switching off by halves' })
					}
				>
					It is breaker {search.found}
				</Button>
			)}
			{answered.length > 0 && (
				<div className="flex flex-wrap gap-3">
					<Button kind="quiet" disabled={mark.isPending} onClick={() => takeBack(answered.slice(0, 1))}>
						Take the last answer back
					</Button>
					<Button kind="quiet" disabled={mark.isPending} onClick={() => takeBack(answered)}>
						Begin again
					</Button>
				</div>
			)}
			<Problem error={mark.error} />
		</div>
	);
}

/** One at the panel, one at the outlets, each with a phone: the directory writes itself. */
export function ByTwo(props: WayProps) {
	const { call, work, enter, busy } = props;
	const [at, setAt] = useState<'panel' | 'outlets' | null>(null);
	const [dead, setDead] = useState<string[]>([]);
	const [hidden, setHidden] = useState('');
	if (!work.search.asked) return <StaysOn {...props} />;
	// The newest of both kinds says where they stand: off and not answered, or answered.
	const newest = work.journal.find(
		(l) => !l.entry.withdrawn && (l.entry.kind === 'thrown' || (l.entry.kind === 'died' && l.entry.breaker)),
	);
	const off = newest?.entry.kind === 'thrown' ? newest.entry.breaker : undefined;
	if (at === null)
		return (
			<div className="grid gap-3">
				<p className="m-0">Both open this call, each on a phone. What one says shows at the other in a few seconds.</p>
				<div className="grid grid-cols-2 gap-3">
					<Button className="min-h-16" onClick={() => setAt('panel')}>
						I am at the panel
					</Button>
					<Button className="min-h-16" onClick={() => setAt('outlets')}>
						I am at the outlets
					</Button>
				</div>
			</div>
		);
	return (
		<div className="grid gap-3">
			{at === 'panel' ? (
				<>
					<p className="m-0 text-lg" role="status">
						{off ? (
							<b>Breaker {off} is off. The other one is looking.</b>
						) : newest ? (
							`${newest.words}. On again, then the next one.`
						) : (
							'Switch one off, and tap it.'
						)}
					</p>
					<Breakers
						work={work}
						label="Switched off"
						disabled={busy}
						pressed={(b) => b === off}
						tap={(b) => !work.search.stay.includes(b) && enter({ kind: 'thrown', breaker: b })}
						note={(b) => (work.search.stay.includes(b) ? 'stays on' : '')}
					/>
				</>
			) : off ? (
				<>
					<p className="m-0 text-2xl font-bold" role="status">
						Breaker {off} is off. What is dead?
					</p>
					<div className="grid grid-cols-2 gap-px bg-rule">
						{call.stops.map((s) => {
							const id = s.devices[0]?.id;
							if (!id) return null;
							return (
								<button
									key={s.box}
									type="button"
									aria-pressed={dead.includes(id)}
									onClick={() => setDead(dead.includes(id) ? dead.filter((x) => x !== id) : [...dead, id])}
									className="min-h-13 bg-sheet px-3 text-left wrap-anywhere hover:bg-wash aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
								>
									{s.label}
								</button>
							);
						})}
					</div>
					<label className="grid gap-1 text-soft">
						and what is not on this run
						<input
							className="min-h-11 border-b-2 border-ink bg-sheet px-2 text-ink"
							value={hidden}
							placeholder="such as range, hall light"
							onChange={(e) => setHidden(e.target.value)}
						/>
					</label>
					<Button
						kind="main"
						className="min-h-14"
						disabled={busy}
						onClick={() => {
							enter({ kind: 'died', breaker: off, outlets: dead, hidden: hidden || undefined });
							setDead([]);
							setHidden('');
						}}
					>
						{dead.length + (hidden ? 1 : 0) === 0 ? 'Nothing here went dead' : 'These are dead, all others live'}
					</Button>
				</>
			) : (
				<p className="m-0 text-lg" role="status">
					{newest ? `${newest.words}. Waiting for the next breaker.` : 'Waiting for the first breaker to go off.'}
				</p>
			)}
			<Button kind="quiet" className="justify-self-start" onClick={() => setAt(null)}>
				Change places
			</Button>
		</div>
	);
}

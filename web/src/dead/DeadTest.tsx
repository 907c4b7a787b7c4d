import { useState } from 'react';
import type { Call, Entry } from '../api/client';
import { Button, field } from '../ui/Button';
import { HandsFree } from '../ui/HandsFree';
import { numberIn } from '../ui/words';

const pairs = [
	{ key: 'hotNeutral', words: 'hot to neutral', ground: false },
	{ key: 'hotGround', words: 'hot to ground', ground: true },
	{ key: 'neutralGround', words: 'neutral to ground', ground: true },
	{ key: 'toEarth', words: 'hot to an independent ground', ground: false },
] as const;
const halves = ['top', 'bottom'] as const;
const counted: Record<number, string> = { 4: 'four', 8: 'eight' };

interface Props {
	call: Call;
	box: string;
	stage: 'installed' | 'device-out';
	/** The device that is tested: each of a box is proven by itself. */
	device?: string;
	enter: (e: Entry) => void;
	busy: boolean;
}

type Asked = 'pairs' | 'sensor' | 'which' | 'volts';

/** Every pair of both halves and each hot to an independent ground: each question yes or no, or the volts typed. */
export function DeadTest({ call, box, stage, device, enter: send, busy }: Props) {
	const stop = call.stops.find((s) => s.box === box);
	const at = stop?.devices.findIndex((d) => d.id === device) ?? -1;
	const several = stage === 'installed' && (stop?.devices.length ?? 0) > 1;
	const enter = (e: Entry) => send(e.kind === 'dead' && stage === 'installed' ? { ...e, device } : e);
	const grounded =
		stage === 'installed' && at >= 0
			? stop?.devices[at]?.slots !== 2
			: stop?.devices.some((d) => d.slots !== 2) !== false;
	const wanted = pairs.filter((p) => grounded || !p.ground);
	const [asked, ask] = useState<Asked>('pairs');
	const [handsFree, setHandsFree] = useState(false);
	if (call.drill) {
		return (
			<Button
				kind="main"
				className="min-h-16 text-lg"
				aria-keyshortcuts="y"
				disabled={busy}
				onClick={() => enter({ kind: 'dead', box, stage, dead: { top: nothing, bottom: nothing, sensorSilent: true } })}
			>
				{stage === 'installed'
					? 'Meter and sensor on all pairs, at the slots'
					: 'Device out: meter and sensor at the wires'}
			</Button>
		);
	}
	const n = counted[2 * wanted.length] ?? 2 * wanted.length;
	const record = (silent: boolean) => {
		setHandsFree(false);
		enter({
			kind: 'dead',
			box,
			stage,
			dead: { top: nothing, bottom: nothing, sensorSilent: silent, below: 1 },
		});
	};
	const question =
		asked === 'sensor' ? (
			<div className="grid gap-2">
				<p className="m-0 text-lg font-bold">The sensor, at every slot and wire in there?</p>
				<div className="grid grid-cols-2 gap-3">
					<Button
						kind="main"
						className="min-h-16 text-lg"
						aria-keyshortcuts="y"
						disabled={busy}
						onClick={() => record(true)}
					>
						Silent everywhere
					</Button>
					<Button className="min-h-16" disabled={busy} onClick={() => record(false)}>
						It answers somewhere
					</Button>
				</div>
				<p className="m-0 text-soft">A sensor alone is no proof.</p>
				<Button kind="quiet" className="justify-self-start" onClick={() => ask('pairs')}>
					Back to the meter
				</Button>
			</div>
		) : (
			<div className="grid grid-cols-[1fr_auto] gap-3">
				<Button
					kind="main"
					className="min-h-16 text-lg"
					aria-keyshortcuts="y"
					disabled={busy}
					onClick={() => ask('sensor')}
				>
					All {n} below 1 V
				</Button>
				<Button
					className="min-h-16"
					disabled={busy}
					onClick={() => {
						setHandsFree(false);
						ask('which');
					}}
				>
					One is not
				</Button>
			</div>
		);
	if (asked === 'volts') return <TypedVolts {...{ box, stage, enter, busy, wanted }} back={() => ask('pairs')} />;
	return (
		<section className="grid gap-3" aria-label="Dead test">
			{several && at >= 0 && (
				<p className="m-0 text-lg font-bold">
					Device {at + 1} of {stop?.devices.length}: each is proven by itself
				</p>
			)}
			<p className="m-0 text-soft">
				{stage === 'installed'
					? 'Meter at the slots, cover on; the independent ground by a long lead from one proven good.'
					: 'Meter at the wires, device out: what was on the upper screws, then on the lower ones; two circuits in one box show here.'}
			</p>
			{asked === 'which' ? (
				<div className="grid gap-2">
					<p className="m-0 text-lg font-bold">Which one is live, with the breaker off?</p>
					<div className="grid grid-cols-2 gap-px bg-rule">
						{wanted.flatMap((p) =>
							halves.map((h) => (
								<button
									key={p.key + h}
									type="button"
									disabled={busy}
									onClick={() => enter({ kind: 'second-source', box, text: `${h} ${p.words}, with the breaker off` })}
									className="min-h-13 bg-sheet px-3 text-left enabled:hover:bg-wash"
								>
									<b>{h}</b> {p.words}
								</button>
							)),
						)}
					</div>
					<div className="flex flex-wrap gap-3">
						<Button kind="quiet" onClick={() => ask('volts')}>
							Type the volts
						</Button>
						<Button kind="quiet" onClick={() => ask('pairs')}>
							Back
						</Button>
					</div>
				</div>
			) : (
				<>
					<ol className="m-0 list-none border-t border-rule p-0" aria-label="To measure">
						{wanted.map((p) => (
							<li key={p.key} className="flex min-h-10 items-center gap-3 border-b border-rule">
								<span className="grow">{p.words}</span>
								<b>top</b>
								<b>bottom</b>
							</li>
						))}
					</ol>
					{question}
					{asked === 'pairs' && (
						<div className="flex flex-wrap gap-3">
							<Button kind="quiet" onClick={() => ask('volts')}>
								Type the volts
							</Button>
							<Button kind="quiet" onClick={() => setHandsFree(true)}>
								Hands free
							</Button>
						</div>
					)}
				</>
			)}
			{handsFree && (
				<HandsFree
					title={`Dead test at ${stop?.label ?? box}`}
					steps={halves.flatMap((h) => wanted.map((p) => ({ words: `${h === 'top' ? 'Top' : 'Bottom'}: ${p.words}` })))}
					end={question}
					close={() => setHandsFree(false)}
				/>
			)}
		</section>
	);
}

const nothing = { hotNeutral: null, hotGround: null, neutralGround: null };

interface TypedProps extends Omit<Props, 'call'> {
	wanted: readonly (typeof pairs)[number][];
	back: () => void;
}

/** The same with each voltage as the meter shows it. */
function TypedVolts({ box, stage, enter, busy, wanted, back }: TypedProps) {
	const [typed, setTyped] = useState<Record<string, string>>({});
	// Not asked is not answered: silence in the form is never taken for a sensor that answers.
	const [silent, setSilent] = useState<boolean | null>(null);
	const [unsaid, setUnsaid] = useState(false);
	const value = (half: string, key: string) => {
		const v = numberIn(typed[`${half} ${key}`] ?? '');
		return Number.isNaN(v) ? undefined : v;
	};
	const half = (name: string) => ({
		hotNeutral: value(name, 'hotNeutral'),
		hotGround: value(name, 'hotGround'),
		neutralGround: value(name, 'neutralGround'),
	});
	return (
		<form
			className="grid gap-2"
			aria-label="Dead test, volts"
			onSubmit={(e) => {
				e.preventDefault();
				setUnsaid(silent === null);
				if (silent === null) return;
				enter({
					kind: 'dead',
					box,
					stage,
					dead: {
						top: half('top'),
						bottom: half('bottom'),
						topToEarth: value('top', 'toEarth'),
						bottomToEarth: value('bottom', 'toEarth'),
						sensorSilent: silent,
					},
				});
			}}
		>
			<table className="w-full max-w-xl border-collapse">
				<thead>
					<tr className="text-left text-soft">
						<th className="font-normal">volts</th>
						<th className="font-normal">top</th>
						<th className="font-normal">bottom</th>
					</tr>
				</thead>
				<tbody>
					{wanted.map((p) => (
						<tr key={p.key} className="border-b border-rule">
							<th className="py-1 text-left font-normal">{p.words}</th>
							{halves.map((h) => (
								<td key={h} className="py-1">
									<input
										aria-label={`${h} ${p.words}, volts`}
										className={`${field} mono w-20 text-right`}
										inputMode="decimal"
										value={typed[`${h} ${p.key}`] ?? ''}
										onChange={(e) => setTyped({ ...typed, [`${h} ${p.key}`]: e.target.value })}
									/>
								</td>
							))}
						</tr>
					))}
				</tbody>
			</table>
			<fieldset className="m-0 flex flex-wrap gap-x-6 border-0 p-0">
				<legend className="sr-only">The sensor</legend>
				{(
					[
						[true, 'the sensor is silent at every slot and wire'],
						[false, 'it answers somewhere'],
					] as const
				).map(([is, words]) => (
					<label key={words} className="flex min-h-11 items-center gap-2">
						<input
							type="radio"
							name="sensor"
							className="size-6 accent-accent"
							checked={silent === is}
							onChange={() => setSilent(is)}
						/>
						{words}
					</label>
				))}
			</fieldset>
			{unsaid && silent === null && (
				<p role="alert" className="m-0 font-bold">
					Say whether the sensor is silent or answers: it was not asked yet.
				</p>
			)}
			<div className="flex flex-wrap gap-3">
				<Button type="submit" kind="main" disabled={busy}>
					Record the dead test
				</Button>
				<Button kind="quiet" onClick={back}>
					Back
				</Button>
			</div>
		</form>
	);
}

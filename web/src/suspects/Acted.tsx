import { useState } from 'react';
import { Link } from 'react-router';
import type { Call, Reading, Test } from '../api/client';
import { useAddReading, useAddStop } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';

/** What came of an act, one tap: evidence, and the state of all that is read from then on. */
export function Acted({ call, act }: { call: Call; act: Test }) {
	const add = useAddReading(call.id);
	const enter = (reading: Reading) => add.mutate({ id: newID(), reading });
	const [named, setNamed] = useState('');
	const base: Reading = { tool: 'act', act: act.act };
	const off = add.isPending;
	return (
		<div className="flex flex-wrap items-center gap-2">
			{act.act === 'unplug-all' && (
				<Button
					kind="main"
					className="min-h-14 px-6 text-lg max-wide:w-full"
					disabled={off}
					onClick={() => enter(base)}
				>
					Everything is unplugged
				</Button>
			)}
			{act.act === 'switches-on' && (
				<Button
					kind="main"
					className="min-h-14 px-6 text-lg max-wide:w-full"
					disabled={off}
					onClick={() => enter(base)}
				>
					Every switch is on
				</Button>
			)}
			{(act.act === 'reset' || act.act === 'reset-breaker') && (
				<>
					<Button disabled={off} onClick={() => enter({ ...base, at: act.at, held: true })}>
						it holds
					</Button>
					<Button disabled={off} onClick={() => enter({ ...base, at: act.at, held: false })}>
						it does not hold
					</Button>
				</>
			)}
			{act.act === 'find-box' && (
				<>
					<Button disabled={off} onClick={() => enter({ ...base, at: act.at, found: [] })}>
						none there
					</Button>
					<DrawIn call={call} cable={act.at ?? ''} />
				</>
			)}
			{act.act === 'reset-gfcis' && (
				<>
					<Button disabled={off} onClick={() => enter({ ...base, found: [], cameBack: [] })}>
						none had tripped
					</Button>
					<label className="flex items-center gap-2 text-soft">
						tripped was
						<input
							className={`${field} w-36`}
							value={named}
							placeholder="which one"
							onChange={(e) => setNamed(e.target.value)}
						/>
					</label>
					<Button
						disabled={off || named.trim() === ''}
						onClick={() => enter({ ...base, found: [named.trim()], cameBack: act.dead ?? [] })}
					>
						and it works now
					</Button>
					<Button
						disabled={off || named.trim() === ''}
						onClick={() => enter({ ...base, found: [named.trim()], cameBack: [] })}
					>
						still dead
					</Button>
				</>
			)}
			<Problem error={add.error} />
		</div>
	);
}

/** A box that nobody had drawn, found along a cable: it goes into the run, and is read like any other. */
function DrawIn({ call, cable }: { call: Call; cable: string }) {
	const add = useAddStop(call.id);
	const [label, setLabel] = useState('');
	const from = call.stops.find((s) => s.cable.id === cable)?.from ?? '';
	return (
		<>
			<label className="flex items-center gap-2 text-soft">
				there is one
				<input
					className={`${field} w-40`}
					value={label}
					placeholder="where"
					onChange={(e) => setLabel(e.target.value)}
				/>
			</label>
			<Button
				disabled={add.isPending || label.trim() === ''}
				onClick={() => add.mutate(() => ({ after: from, into: cable, ground: true, label: label.trim() }))}
			>
				draw it into the run
			</Button>
			<Problem error={add.error} />
		</>
	);
}

const hintAnswers = {
	'live-plate': ['It answers', 'It is silent'],
	'warm-plate': ['It is warm', 'It is cool'],
	wiggle: ['It flickers', 'It burns steadily'],
} as const;

/** A look or a feel from outside: yes or no. */
export function Hinted({ call, test }: { call: Call; test: Test }) {
	const add = useAddReading(call.id);
	if (!test.hint) return null;
	const [yes, no] = hintAnswers[test.hint];
	const enter = (answer: boolean) =>
		add.mutate({ id: newID(), reading: { tool: 'hint', hint: test.hint, site: test.site, yes: answer } });
	return (
		<div className="flex flex-wrap items-center gap-2">
			<Button disabled={add.isPending} onClick={() => enter(true)}>
				{yes}
			</Button>
			<Button disabled={add.isPending} onClick={() => enter(false)}>
				{no}
			</Button>
			<Problem error={add.error} />
		</div>
	);
}

/** What cannot be reached is not asked for again. */
export function Skip({ call, test }: { call: Call; test: Test }) {
	const add = useAddReading(call.id);
	if (!['reading', 'act', 'open'].includes(test.do)) return null;
	const skipped: Reading =
		test.do === 'open'
			? { tool: 'eyes', site: test.site, skipped: true }
			: test.do === 'act'
				? {
						tool: 'act',
						act: test.act,
						at: test.act === 'reset' || test.act === 'find-box' ? test.at : undefined,
						skipped: true,
					}
				: test.hint
					? { tool: 'hint', hint: test.hint, site: test.site, skipped: true }
					: {
							tool: test.tool ?? 'plug',
							at: test.between ? undefined : test.at,
							half: test.between ? undefined : test.half,
							mode: test.mode,
							between: test.between,
							skipped: true,
						};
	return (
		<>
			<Button
				kind="quiet"
				disabled={add.isPending}
				onClick={() => add.mutate({ id: newID(), reading: JSON.parse(JSON.stringify(skipped)) })}
			>
				{test.do === 'act' ? 'Cannot do that' : 'Cannot reach it'}
			</Button>
			<Problem error={add.error} />
		</>
	);
}

/** Nothing is left to look for: the way on. */
export function Finished({ call }: { call: Call }) {
	return (
		<Link
			to={`/calls/${call.id}/hand-over`}
			className="inline-flex min-h-14 items-center bg-accent px-6 text-lg font-bold text-on-accent hover:brightness-110 max-wide:w-full max-wide:justify-center"
		>
			Hand over
		</Link>
	);
}

/** The power is off: the way on is to prove it. */
export function PowerOff({ call }: { call: Call }) {
	return (
		<Link
			to={`/calls/${call.id}/dead`}
			className="inline-flex min-h-14 items-center bg-accent px-6 text-lg font-bold text-on-accent hover:brightness-110 max-wide:w-full max-wide:justify-center"
		>
			It is off: prove it dead
		</Link>
	);
}

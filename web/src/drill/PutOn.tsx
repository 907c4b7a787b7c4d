import { useEffect, useState } from 'react';
import type { Device } from '../api/client';
import { Delta } from '../delta/Delta';
import type { EntryProps } from '../readings/entries';
import { Button } from '../ui/Button';

const words: Partial<Record<string, string>> = {
	plug: 'Plug it in',
	meter: 'Put the probes on',
	sensor: 'Hold it to the slots and the plate',
	lamp: 'Put the lamp on',
	analyzer: 'Load it for a moment',
};

/** In a drill a tester is put on, and shows what it shows. */
export function PutOn({ call, stop, device, half, tool, mode, setMode, busy, enter, keys }: EntryProps) {
	const here = call.readings.filter(
		(r) => !r.withdrawn && r.reading.at === device.id && r.reading.tool === tool && (r.reading.half ?? half) === half,
	);
	const over = call.drill?.over ?? false;
	const put = () => enter({ tool, ...(tool === 'meter' ? { mode } : {}) });
	useEffect(() => {
		keys.current = { part: () => {}, enter: put };
	});
	if (over) return <p className="m-0">The drill is over: no tester shows anything any more.</p>;
	if (tool === 'ohms' || tool === 'clamp') return <Between points={stop.points} busy={busy} enter={enter} />;
	if (tool === 'plug-button' || tool === 'device-button' || tool === 'light')
		return <Buttons device={device} busy={busy} press={(t) => enter({ tool: t })} />;
	return (
		<div className="grid gap-3">
			{tool === 'meter' && (
				<fieldset className="m-0 flex gap-px border-0 bg-rule p-0">
					<legend className="sr-only">How it loads the circuit</legend>
					{(['high-z', 'low-z'] as const).map((m) => (
						<button
							key={m}
							type="button"
							aria-pressed={mode === m}
							onClick={() => setMode(m)}
							className="min-h-11 grow bg-sheet px-3 aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
						>
							{m === 'high-z' ? 'High impedance' : 'Low impedance'}
						</button>
					))}
				</fieldset>
			)}
			<Button kind="main" className="min-h-16 text-lg" disabled={busy} onClick={put}>
				{words[tool] ?? 'Put it on'}
			</Button>
			<Last says={here[0]?.says} delta={here[0]?.delta} />
		</div>
	);
}

function Last({ says, delta }: { says?: string; delta?: Parameters<typeof Delta>[0]['delta'] }) {
	if (!says) return <p className="m-0 text-soft">Not put on here yet.</p>;
	return (
		<p role="status" aria-label="It shows" className="m-0 flex items-center gap-3 text-lg">
			<Delta delta={delta} size={56} />
			<b>{says}</b>
		</p>
	);
}

function Buttons({
	device,
	busy,
	press,
}: {
	device: Device;
	busy: boolean;
	press: (tool: 'plug-button' | 'device-button') => void;
}) {
	return (
		<div className="grid gap-3">
			<Button className="min-h-14" disabled={busy} onClick={() => press('plug-button')}>
				Press the plug tester's button
			</Button>
			{device.kind === 'gfci' && (
				<Button className="min-h-14" disabled={busy} onClick={() => press('device-button')}>
					Press the GFCI's own test button
				</Button>
			)}
			<p className="m-0 text-soft">A plug tester's button sends a current into the ground.</p>
		</div>
	);
}

/** Resistance between two wires of an opened box. */
function Between({
	points,
	busy,
	enter,
}: {
	points: { name: string; words: string }[];
	busy: boolean;
	enter: EntryProps['enter'];
}) {
	const [a, setA] = useState('');
	const [b, setB] = useState('');
	return (
		<div className="grid gap-2">
			<p className="m-0">Ohmmeter, between two wires. Breaker off, proven dead.</p>
			{(
				[
					['one', a, setA],
					['the other', b, setB],
				] as const
			).map(([label, value, set]) => (
				<label key={label} className="grid gap-1 text-soft">
					{label}
					<select
						className="min-h-11 border-b-2 border-ink bg-sheet px-2 text-ink"
						value={value}
						onChange={(e) => set(e.target.value)}
					>
						<option value="">which?</option>
						{points.map((p) => (
							<option key={p.name} value={p.name}>
								{p.words}
							</option>
						))}
					</select>
				</label>
			))}
			<Button
				kind="main"
				className="min-h-14"
				disabled={busy || !a || !b || a === b}
				onClick={() => enter({ tool: 'ohms', between: [a, b] })}
			>
				Put it on
			</Button>
		</div>
	);
}

import { useState } from 'react';
import type { Basics, Pair } from '../api/client';
import { Delta } from '../delta/Delta';
import { DeltaPad } from '../delta/DeltaPad';
import { type SideKey, sides } from '../delta/shape';
import { Button } from '../ui/Button';
import { capital } from '../ui/words';
import { useDraft } from './draft';
import { Enter, type EntryProps, filled, useKeys } from './entries';
import { LampRow, lampPlaces } from './Lamps';
import { TeachLamps } from './TeachLamps';
import { type Lamps, type Lit, lampDelta } from './tools';

type Pattern = Basics['patterns'][number];

const nextLit: Record<string, Lit | undefined> = { '': 'lit', lit: 'dark', dark: undefined };

/** A pattern for those who do not see it: its name, then what each lamp does. */
function inWords({ name, lamps }: Pattern): string {
	return `${name}: ${sides.map((s) => `${s.words} ${lamps[s.key]}`).join(', ')}`;
}

/** What the three lamps show is one tap: as it should be large, the others by the trade's names. */
export function PlugEntry({ place, device, basics, busy, enter, keys }: EntryProps) {
	const [lamps, keep, drop] = useDraft<Lamps>(`${place}.plug`, {});
	const [single, setSingle] = useState(filled(lamps));
	const [teaching, setTeaching] = useState(false);
	const cycle = (key: SideKey) => {
		setSingle(true);
		keep({ ...lamps, [key]: nextLit[lamps[key] ?? ''] });
	};
	const take = (l: Lamps) => {
		enter({ tool: 'plug', lamps: l });
		setSingle(false);
		drop();
	};
	useKeys(keys, { part: (n) => sides[n] && cycle(sides[n].key), enter: () => filled(lamps) && !busy && take(lamps) });
	if (device.slots === 2) {
		return (
			<p className="m-0 py-6 text-lg">No ground slot: no plug tester goes in here. Use the meter or the sensor.</p>
		);
	}
	if (teaching) return <TeachLamps known={basics.lamps} done={() => setTeaching(false)} />;
	if (single)
		return (
			<div className="grid grid-cols-1 gap-3 wide:grid-cols-[16rem_1fr]">
				<DeltaPad
					delta={lampDelta(lamps)}
					tapSide={cycle}
					side={(key) => (
						<button
							type="button"
							onClick={() => cycle(key)}
							aria-label={`Lamp ${sides.find((s) => s.key === key)?.words}: ${lamps[key] ?? 'not read'}`}
							className="mono grid min-h-11 min-w-16 place-items-center bg-sheet/80 px-2 text-lg font-bold"
						>
							{lamps[key] ?? <span className="font-normal text-soft">tap</span>}
						</button>
					)}
				/>
				<div className="grid content-end gap-3">
					<p className="m-0 text-soft">Only some lamps can be seen? Enter those.</p>
					<Enter ready={filled(lamps)} busy={busy} enter={() => take(lamps)} />
					<Button kind="quiet" className="justify-self-start" onClick={() => setSingle(false)}>
						Whole patterns
					</Button>
				</div>
			</div>
		);
	const [sound, ...others] = basics.patterns;
	return (
		<fieldset className="m-0 grid grid-cols-1 gap-2 border-0 p-0" disabled={busy}>
			<legend className="sr-only">What the three lamps show</legend>
			{sound && (
				<button
					type="button"
					onClick={() => take(sound.lamps)}
					aria-label={`Enter: ${inWords(sound)}`}
					className="flex min-h-16 items-center justify-center gap-5 bg-accent px-3 text-xl font-bold text-on-accent enabled:hover:brightness-110 disabled:opacity-45"
				>
					{capital(sound.name)}
					{basics.lamps.length > 0 && <LampRow lamps={basics.lamps} shown={sound.lamps} size={30} />}
				</button>
			)}
			<div className="grid grid-cols-2 gap-px border border-rule bg-rule wide:grid-cols-4">
				{others.map((p) => (
					<PatternButton key={p.name} pattern={p} lamps={basics.lamps} take={() => take(p.lamps)} />
				))}
				<button
					type="button"
					onClick={() => setSingle(true)}
					className="min-h-14 bg-sheet px-2 text-soft underline decoration-hair underline-offset-4 enabled:hover:bg-wash"
				>
					lamp by lamp
				</button>
			</div>
			{basics.lamps.length === 0 && <Untaught teach={() => setTeaching(true)} />}
		</fieldset>
	);
}

/** A pattern: as its lamps where they are taught, else as its delta, and its name. */
function PatternButton({ pattern, lamps, take }: { pattern: Pattern; lamps: Pair[]; take: () => void }) {
	const onTester = lamps.map((p, i) => `${lampPlaces[i]} ${pattern.lamps[p]}`).join(', ');
	return (
		<button
			type="button"
			onClick={take}
			title={onTester || undefined}
			aria-label={`Enter: ${inWords(pattern)}`}
			className="grid min-h-15 place-items-center content-center gap-0.5 bg-sheet px-1 py-1 text-center enabled:hover:bg-wash enabled:active:bg-accent disabled:opacity-45"
		>
			<span aria-hidden="true" className="flex items-center gap-2">
				<Delta delta={lampDelta(pattern.lamps)} size={28} />
				{lamps.length > 0 && <LampRow lamps={lamps} shown={pattern.lamps} size={22} />}
			</span>
			<span aria-hidden="true" className="text-[0.9375rem]/4 font-bold">
				{pattern.name}
			</span>
		</button>
	);
}

const askedKey = 'elvat.lamps-asked';

/** Asked once, on the first reading: how this tester's lamps stand. */
function Untaught({ teach }: { teach: () => void }) {
	const [put, setPut] = useState(localStorage.getItem(askedKey) !== null);
	return (
		<p className="m-0 flex flex-wrap items-center gap-x-2">
			{!put && <span>How do the lamps of your tester stand?</span>}
			<Button kind="quiet" onClick={teach}>
				Teach them, four taps
			</Button>
			{!put && (
				<Button
					kind="quiet"
					onClick={() => {
						localStorage.setItem(askedKey, 'later');
						setPut(true);
					}}
				>
					Not now
				</Button>
			)}
		</p>
	);
}

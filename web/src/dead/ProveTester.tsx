import { useState } from 'react';
import type { Entry } from '../api/client';
import { useBasics } from '../api/hooks';
import { Button, field } from '../ui/Button';
import { numberIn } from '../ui/words';
import { keepSource, lastSource } from './source';

interface Props {
	/** The testers were last proven so; undefined: not on this call. */
	last: Entry | undefined;
	enter: (e: Entry) => void;
	busy: boolean;
}

/** The testers are proven on something known to be live; once a day it is typed. */
export function ProveTester({ last, enter, busy }: Props) {
	const kept =
		last?.source && last.tester && last.volts !== undefined
			? { source: last.source, tester: last.tester, volts: last.volts }
			: lastSource();
	const [other, setOther] = useState(kept === undefined);
	const [tester, setTester] = useState('meter and sensor');
	const [source, setSource] = useState('');
	const [volts, setVolts] = useState('');
	const basics = useBasics().data;
	const proven = (s: { tester: string; source: string; volts: number }) => {
		if (!Number.isNaN(s.volts)) keepSource(s);
		enter({ kind: 'tester-proven', ...s, volts: Number.isNaN(s.volts) ? undefined : s.volts });
	};
	return (
		<div className="grid gap-2">
			<p className="m-0 text-soft">
				On a source known to be live: {(basics?.provesOn ?? []).map((s) => `${s.least} to ${s.most} V`).join(', or ')}.
			</p>
			{kept && (
				<Button kind="main" className="min-h-14 text-lg" disabled={busy} onClick={() => proven(kept)}>
					Same again: {kept.source}, {kept.volts} V
				</Button>
			)}
			{other ? (
				<form
					className="flex flex-wrap items-end gap-3"
					aria-label="Prove the testers"
					onSubmit={(e) => {
						e.preventDefault();
						proven({ tester, source, volts: numberIn(volts) });
					}}
				>
					<label className="grid gap-1 text-soft">
						live source
						<input
							className={field}
							value={source}
							placeholder="such as hall outlet"
							onChange={(e) => setSource(e.target.value)}
						/>
					</label>
					<label className="grid gap-1 text-soft">
						shows, V
						<input
							className={`${field} mono w-24 text-right`}
							inputMode="decimal"
							value={volts}
							onChange={(e) => setVolts(e.target.value)}
						/>
					</label>
					<label className="grid gap-1 text-soft">
						testers
						<input className={field} value={tester} onChange={(e) => setTester(e.target.value)} />
					</label>
					<Button type="submit" kind={kept ? 'plain' : 'main'} disabled={busy}>
						Proven
					</Button>
				</form>
			) : (
				<Button kind="quiet" className="justify-self-start" onClick={() => setOther(true)}>
					Another source, or other volts
				</Button>
			)}
		</div>
	);
}

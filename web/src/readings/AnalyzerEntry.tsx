import type { Reading } from '../api/client';
import { field } from '../ui/Button';
import { numberIn } from '../ui/words';
import { useDraft } from './draft';
import { Enter, type EntryProps, useKeys } from './entries';

const figures = [
	{ key: 'volts', words: 'volts', unit: 'V' },
	{ key: 'drop', words: 'drop at 15 A', unit: '%' },
	{ key: 'hot', words: 'ohms, hot', unit: 'ohm' },
	{ key: 'neutral', words: 'ohms, neutral', unit: 'ohm' },
	{ key: 'ground', words: 'ohms, ground', unit: 'ohm' },
] as const;

type Figures = Record<(typeof figures)[number]['key'] | 'wiring', string>;
const noFigures: Figures = { volts: '', drop: '', hot: '', neutral: '', ground: '', wiring: '' };

/** What a load tester shows; what it cannot tell is left empty. */
export function AnalyzerEntry({ place, device, basics, busy, enter, keys }: EntryProps) {
	const [draft, keep, drop] = useDraft<Figures>(`${place}.analyzer`, noFigures);
	const value = (key: keyof Figures) => (draft[key].trim() === '' ? null : numberIn(draft[key]));
	const wrong = figures.find((f) => Number.isNaN(value(f.key)));
	const filled = Object.values(draft).some((v) => v !== '');
	const take = () => {
		const ohms = { hot: value('hot'), neutral: value('neutral'), ground: value('ground'), hotNeutral: null };
		const reading: Omit<Reading, 'at' | 'half'> = { tool: 'analyzer' };
		if (value('volts') !== null) reading.volts = value('volts') ?? 0;
		if (value('drop') !== null) reading.dropPercent = value('drop');
		if (ohms.hot !== null || ohms.neutral !== null || ohms.ground !== null) reading.ohms = ohms;
		if (draft.wiring) reading.wiring = draft.wiring;
		enter(reading);
		drop();
	};
	const ready = filled && !wrong;
	useKeys(keys, {
		part: (n) => document.querySelectorAll<HTMLInputElement>('[data-figure]')[n]?.focus(),
		enter: () => ready && !busy && take(),
	});
	if (device.slots === 2) return <p className="m-0 py-4 text-lg">No ground slot: no load tester goes in here.</p>;
	return (
		<>
			<div className="grid grid-cols-2 gap-3">
				{figures.map((f) => (
					<label key={f.key} className="grid gap-1 text-soft">
						{f.words}
						<span className="flex items-baseline gap-1">
							<input
								data-figure
								className={`${field} mono w-full text-right text-lg font-bold`}
								inputMode="decimal"
								value={draft[f.key]}
								onChange={(e) => keep({ ...draft, [f.key]: e.target.value })}
								onKeyDown={(e) => e.key === 'Enter' && ready && !busy && take()}
							/>
							<span className="w-9">{f.unit}</span>
						</span>
					</label>
				))}
				<label className="grid gap-1 text-soft">
					its verdict
					<select
						aria-label="Its verdict"
						className={field}
						value={draft.wiring}
						onChange={(e) => keep({ ...draft, wiring: e.target.value })}
					>
						<option value="">not noted</option>
						{basics.wirings.map((w) => (
							<option key={w} value={w}>
								{w.replaceAll('-', ' ')}
							</option>
						))}
					</select>
				</label>
			</div>
			{wrong && (
				<p role="alert" className="m-0 font-bold">
					“{draft[wrong.key]}” is not a number of {wrong.unit}.
				</p>
			)}
			<Enter ready={ready} busy={busy} enter={take} />
		</>
	);
}

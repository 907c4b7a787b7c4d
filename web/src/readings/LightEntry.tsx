import { useState } from 'react';
import type { Light } from '../api/client';
import { useTellLight } from '../api/hooks';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { capital } from '../ui/words';
import { WhichOfAGFCI } from './ButtonEntry';
import { useDraft } from './draft';
import { Choice, Enter, type EntryProps, useKeys } from './entries';

const shows: Light['shows'][] = ['off', 'on', 'blinking'];
const unsaid = 'no sheet at hand';

/**
 * The light on a GFCI's face. It means what that device's own sheet says, which a person
 * says once for each kind of device; what nobody said counts for nothing.
 */
export function LightEntry({ place, basics, device, tool, setTool, busy, enter, keys }: EntryProps) {
	const [seen, keep, drop] = useDraft<Light>(`${place}.light`, { shows: 'on' });
	const [again, setAgain] = useState(false);
	const [other, setOther] = useState(false);
	const tell = useTellLight();
	const kinds = [...new Set(basics.lights.map((l) => l.kind ?? ''))];
	const known = basics.lights.find(
		(l) => l.kind === seen.kind && l.shows === seen.shows && (l.colour ?? '') === (seen.colour ?? ''),
	)?.means;
	const means = again ? seen.means : (known ?? seen.means);
	const wordsOf = (m?: string) => basics.meanings.find((w) => w.means === m)?.words ?? unsaid;
	const kind = seen.kind?.trim() || undefined;
	const ready = seen.shows === 'off' || seen.colour !== undefined;
	const take = () => {
		const light: Light = { shows: seen.shows, colour: seen.colour, kind, means: kind ? means : undefined };
		const made = () => {
			enter({ tool: 'light', light });
			drop();
		};
		if (light.kind && light.means && light.means !== known) tell.mutate(light, { onSuccess: made });
		else made();
	};
	useKeys(keys, {
		part: (n) => shows[n] && keep({ ...seen, shows: shows[n], colour: n === 0 ? undefined : seen.colour }),
		enter: () => ready && !busy && take(),
	});
	if (device.kind !== 'gfci') return <p className="m-0 py-4 text-lg">No GFCI: it has no light to read.</p>;
	return (
		<>
			<WhichOfAGFCI tool={tool} setTool={setTool} />
			<Choice
				words="The light"
				value={seen.shows}
				choices={shows}
				take={(s) => keep({ ...seen, shows: s, colour: s === 'off' ? undefined : seen.colour })}
			/>
			{seen.shows !== 'off' && (
				<Choice
					words="Its colour"
					value={seen.colour ?? ''}
					choices={basics.lightColours}
					take={(colour) => keep({ ...seen, colour })}
				/>
			)}
			<fieldset className="m-0 flex flex-wrap items-center gap-2 border-0 p-0">
				<legend className="p-0 pb-1.5">Which device? As you call it; its sheet is looked up once.</legend>
				{kinds.map((k) => (
					<Button
						key={k}
						aria-pressed={seen.kind === k}
						className="aria-pressed:bg-ink aria-pressed:text-paper"
						onClick={() => {
							setOther(false);
							setAgain(false);
							keep({ ...seen, kind: k, means: undefined });
						}}
					>
						{k}
					</Button>
				))}
				{kinds.length === 0 || other ? (
					<input
						aria-label="Kind of device"
						className={`${field} min-w-0 grow`}
						maxLength={60}
						placeholder="white, one light beside reset"
						value={seen.kind ?? ''}
						onChange={(e) => keep({ ...seen, kind: e.target.value, means: undefined })}
					/>
				) : (
					<Button
						kind="quiet"
						onClick={() => {
							setOther(true);
							keep({ ...seen, kind: undefined, means: undefined });
						}}
					>
						another kind
					</Button>
				)}
			</fieldset>
			{kind && known && !again && (
				<p className="m-0 flex flex-wrap items-center gap-x-3">
					<span>
						By its sheet: <b>{wordsOf(known)}</b>
					</span>
					<Button kind="quiet" onClick={() => setAgain(true)}>
						the sheet says otherwise
					</Button>
				</p>
			)}
			{kind && (!known || again) && (
				<fieldset className="m-0 grid gap-px border-0 bg-rule p-0">
					<legend className="w-full bg-sheet p-0 pb-1">What does its own sheet say that means?</legend>
					{[...basics.meanings.map((m) => m.means), undefined].map((m) => (
						<button
							key={m ?? unsaid}
							type="button"
							aria-pressed={means === m}
							onClick={() => keep({ ...seen, means: m as Light['means'] })}
							className="min-h-11 bg-sheet px-3 text-left aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
						>
							{capital(wordsOf(m))}
						</button>
					))}
				</fieldset>
			)}
			{!(kind && means) && (
				<p className="m-0 text-soft">Written down as seen. Until its sheet is read it counts for nothing.</p>
			)}
			<Problem error={tell.error} />
			<Enter ready={ready} busy={busy || tell.isPending} enter={take} />
		</>
	);
}

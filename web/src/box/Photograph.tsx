import { useRef, useState } from 'react';
import type { Box, LandingPlace, OpenedBox, Tap } from '../api/client';
import { useSetPhotograph } from '../api/hooks';
import { newID } from '../api/newID';
import { Button, field } from '../ui/Button';
import { PictureInput } from '../ui/PictureInput';
import { Problem } from '../ui/Problem';
import { smaller } from '../ui/picture';
import { endWords, landingWords } from './cables';

interface Props {
	call: number;
	opened: OpenedBox;
	save: (box: Box) => void;
}

/** The picture of the pulled device: each wire is pointed at and named; the names are the put-back sheet. */
export function Photograph({ call, opened, save }: Props) {
	const keep = useSetPhotograph(call, opened.box.id);
	const input = useRef<HTMLInputElement>(null);
	const [over, setOver] = useState(false);
	const [at, setAt] = useState<{ x: number; y: number } | null>(null);
	const [failed, setFailed] = useState<Error | null>(null);
	const box = opened.box;
	const existing = box.existing ?? { kind: 'receptacle' as const, id: 'old' };
	const taps = existing.taps ?? [];
	const setTaps = (next: Tap[]) =>
		save({ ...box, existing: { ...existing, wiring: undefined, makeup: '', taps: next } });
	const take = async (file: File | undefined) => {
		if (!file) return;
		try {
			setFailed(null);
			keep.mutate({ id: newID(), picture: await smaller(file) });
		} catch {
			setFailed(new Error(`“${file.name}” is no picture that can be opened.`));
		}
	};
	const named = new Set(taps.map((t) => t.wire));
	const ends = box.cables
		.flatMap((c) => c.conductors.map((k) => `${c.id}@${box.id}.${k}`))
		.filter((end) => !named.has(end));
	return (
		<div className="grid gap-3">
			<Problem error={failed ?? keep.error} />
			{opened.photograph ? (
				<div className="relative w-fit max-w-full self-start">
					{/* The picture is tapped where a wire is; the list below does the same by keyboard. */}
					<button
						type="button"
						className="block cursor-crosshair"
						aria-label="Point at a wire on the picture"
						onClick={(e) => {
							const r = e.currentTarget.getBoundingClientRect();
							setAt(
								e.detail === 0
									? { x: 0.5, y: 0.5 }
									: { x: (e.clientX - r.left) / r.width, y: (e.clientY - r.top) / r.height },
							);
						}}
					>
						<img
							src={`/api/v1/calls/${call}/boxes/${box.id}/photograph?${opened.photograph}`}
							alt={`The pulled device at ${opened.label}`}
							className="block max-h-[72dvh] w-auto max-w-full"
						/>
					</button>
					{[...taps, ...(at ? [{ ...at, wire: '', to: '' }] : [])].map((t, i) => (
						<span
							key={`${t.wire} ${t.x} ${t.y}`}
							className="mono pointer-events-none absolute grid size-8 -translate-1/2 place-items-center rounded-full border-2 border-sheet bg-ink font-bold text-paper"
							style={{ left: `${t.x * 100}%`, top: `${t.y * 100}%` }}
						>
							{i + 1}
						</span>
					))}
				</div>
			) : (
				<button
					type="button"
					onClick={() => input.current?.click()}
					onDragOver={(e) => {
						e.preventDefault();
						setOver(true);
					}}
					onDragLeave={() => setOver(false)}
					onDrop={(e) => {
						e.preventDefault();
						setOver(false);
						take(e.dataTransfer.files[0]);
					}}
					className={`grid min-h-64 place-items-center border-2 border-dashed border-ink p-6 text-lg ${over ? 'bg-wash' : ''}`}
				>
					<span>
						<b className="block">Take or drop a picture of the pulled device, wires still on</b>
						<span className="text-soft">Breaker off and proven dead first. Where it was taken is not kept.</span>
					</span>
				</button>
			)}
			<PictureInput label="Picture of the pulled device" at={input} take={take} />
			{at && (
				<NewTap
					number={taps.length + 1}
					ends={ends}
					box={box}
					places={opened.places}
					done={(tap) => {
						setTaps([...taps, { ...at, ...tap }]);
						setAt(null);
					}}
					cancel={() => setAt(null)}
				/>
			)}
			{opened.photograph && !at && (
				<p className="m-0 text-soft print:hidden">
					{ends.length > 0
						? `Point at each wire on the picture. ${ends.length} of ${ends.length + taps.length} not named yet.`
						: 'Every wire is named.'}
				</p>
			)}
			{taps.length > 0 && (
				<section aria-label="Put-back sheet">
					<h2 className="m-0 border-b-2 border-ink text-base font-bold">Put-back sheet, {opened.label}</h2>
					<ol className="m-0 list-none p-0">
						{taps.map((t, i) => (
							<li
								key={t.wire}
								className="grid grid-cols-[2.2rem_1fr_1fr_auto] items-center gap-2 border-b border-rule py-1"
							>
								<b className="mono text-center">{i + 1}</b>
								<span>{endWords(box.cables, t.wire)}</span>
								<b>{landingWords(opened.places, t.to)}</b>
								<Button
									kind="quiet"
									className="print:hidden"
									aria-label={`Take back: ${endWords(box.cables, t.wire)}`}
									onClick={() => setTaps(taps.filter((_, n) => n !== i))}
								>
									undo
								</Button>
							</li>
						))}
					</ol>
				</section>
			)}
			{opened.photograph && (
				<div className="flex flex-wrap gap-3 print:hidden">
					<Button onClick={() => window.print()} disabled={taps.length === 0}>
						Print the put-back sheet
					</Button>
					<Button kind="quiet" onClick={() => input.current?.click()}>
						Another picture
					</Button>
				</div>
			)}
		</div>
	);
}

interface NewTapProps {
	number: number;
	ends: string[];
	places: LandingPlace[];
	box: Box;
	done: (tap: { wire: string; to: string }) => void;
	cancel: () => void;
}

function NewTap({ number, ends, places, box, done, cancel }: NewTapProps) {
	const [wire, setWire] = useState('');
	return (
		<section
			className="sticky bottom-0 z-10 grid gap-2 border-2 border-accent bg-paper p-3 print:hidden"
			aria-label={`Wire ${number}`}
		>
			<div className="flex items-center gap-3">
				<b className="grow">
					{wire ? `${endWords(box.cables, wire)}: where does it land?` : `Wire ${number}: which one is it?`}
				</b>
				<Button kind="quiet" onClick={cancel}>
					Cancel
				</Button>
			</div>
			<div className="flex flex-wrap gap-1.5">
				{(wire ? places.map((p) => p.point) : ends).map((p) => (
					<button
						key={p}
						type="button"
						onClick={() => (wire ? done({ wire, to: p }) : setWire(p))}
						className={`${field} px-3 hover:bg-wash`}
					>
						{wire ? landingWords(places, p) : endWords(box.cables, p)}
					</button>
				))}
			</div>
		</section>
	);
}

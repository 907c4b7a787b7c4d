import { TriangleAlert } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import type { Call, Schemas } from '../api/client';
import { newID } from '../api/newID';
import { useCommand, useMay } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';

type Hazard = Schemas['Hazard'];
type Sign = Hazard['signs'][number];

const signs: Record<Sign, string> = {
	heat: 'Heat',
	smell: 'Smell',
	scorching: 'Scorching',
	sparks: 'Sparks or crackling',
	water: 'Water',
	shock: 'Shock or tingle',
};

const placeOf = (call: Call, h: Hazard) =>
	h.place === 'panel' ? 'the panel' : (call.stops.find((s) => s.box === h.place)?.label ?? 'a place nobody named');

const tellers: Record<Hazard['by'], string> = {
	customer: 'The customer reports',
	office: 'The office was told of',
	electrician: 'Reported on this call:',
	reading: 'A reading shows',
	box: 'Seen in the box:',
};

/** The hazards that stand, over everything else on each screen of a call, and how each ends. */
export function Hazards({ call }: { call: Call }) {
	const standing = call.hazards.filter((h) => !h.looked);
	if (standing.length === 0) return null;
	return (
		<section role="alert" aria-label="Reported hazards" className="flex items-stretch bg-ink text-paper">
			<i aria-hidden="true" className="stripes w-5 shrink-0" />
			<div className="grid grow gap-2 px-4 py-2">
				{standing.map((h) => (
					<div key={h.id} className="flex flex-wrap items-center gap-x-5 gap-y-2">
						<p className="m-0 min-w-60 grow basis-0 text-lg/snug">
							<b>
								DANGER: {tellers[h.by]} {h.signs.join(', ')} at {placeOf(call, h)}.
							</b>{' '}
							Breaker off and locked out. Reset nothing, plug nothing in.
						</p>
						<LookedAt call={call} hazard={h} />
					</div>
				))}
			</div>
		</section>
	);
}

/** A hazard ends when somebody has looked at its place with the power off. */
function LookedAt({ call, hazard }: { call: Call; hazard: Hazard }) {
	const [open, setOpen] = useState(false);
	const may = useMay('work');
	const command = useCommand(call.id);
	const [found, setFound] = useState('');
	const [done, setDone] = useState('');
	if (!may) return null;
	return (
		<Dialog.Root open={open} onOpenChange={setOpen}>
			<Dialog.Trigger asChild>
				<button
					type="button"
					className="min-h-11 border-2 border-paper px-4 py-1 font-bold hover:bg-paper hover:text-ink max-wide:w-full print:hidden"
				>
					Looked at it
				</button>
			</Dialog.Trigger>
			<Sheet title={`Looked at ${placeOf(call, hazard)}`}>
				<form
					className="grid gap-3"
					onSubmit={(e) => {
						e.preventDefault();
						command.mutate({ do: 'looked-at', hazard: hazard.id, found, done }, { onSuccess: () => setOpen(false) });
					}}
				>
					<Caution>
						Power off and locked out, the place proven dead before the cover comes off. Local code and the authority
						having jurisdiction decide who may.
					</Caution>
					<label className="grid gap-1 text-soft">
						what was found
						<input className={field} value={found} onChange={(e) => setFound(e.target.value)} />
					</label>
					<label className="grid gap-1 text-soft">
						what was done
						<input className={field} value={done} onChange={(e) => setDone(e.target.value)} />
					</label>
					<Button type="submit" kind="main" disabled={command.isPending || !found.trim() || !done.trim()}>
						End this hazard
					</Button>
					<Problem error={command.error} />
				</form>
			</Sheet>
		</Dialog.Root>
	);
}

/** One button on every screen of a call: what can hurt is told where it is seen. */
export function HazardButton({ call, place = '' }: { call: Call; place?: string }) {
	const [open, setOpen] = useState(false);
	const may = useMay('work');
	if (call.drill || !may) return null;
	return (
		<Dialog.Root open={open} onOpenChange={setOpen}>
			<Dialog.Trigger asChild>
				<button
					type="button"
					aria-label="Report a hazard"
					title="Report heat, smell, sparks, water or a shock"
					className="grid size-11 shrink-0 place-items-center hover:bg-wash print:hidden"
				>
					<TriangleAlert size={22} aria-hidden="true" />
				</button>
			</Dialog.Trigger>
			<Sheet title="Report a hazard">
				<TellHazard call={call} place={place} by="electrician" done={() => setOpen(false)} />
			</Sheet>
		</Dialog.Root>
	);
}

/** Which signs, and where; said by whoever is named. */
export function TellHazard({
	call,
	by,
	place,
	done,
}: {
	call: Call;
	by: Hazard['by'];
	place?: string;
	done: () => void;
}) {
	const command = useCommand(call.id);
	const [told, setTold] = useState<Sign[]>([]);
	const [where, setWhere] = useState(place ?? '');
	return (
		<form
			className="grid gap-3"
			aria-label="Report a hazard"
			onSubmit={(e) => {
				e.preventDefault();
				command.mutate({ do: 'tell-hazard', id: newID(), signs: told, place: where, by }, { onSuccess: done });
			}}
		>
			<fieldset className="m-0 grid grid-cols-2 gap-2 border-0 p-0">
				<legend className="p-0 pb-1 font-bold">What is there?</legend>
				{(Object.keys(signs) as Sign[]).map((s) => (
					<button
						key={s}
						type="button"
						aria-pressed={told.includes(s)}
						onClick={() => setTold(told.includes(s) ? told.filter((t) => t !== s) : [...told, s])}
						className="min-h-12 border-2 border-ink px-3 text-left aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						{signs[s]}
					</button>
				))}
			</fieldset>
			<label className="grid gap-1 text-soft">
				Where
				<select className={field} value={where} onChange={(e) => setWhere(e.target.value)}>
					<option value="">Not known</option>
					<option value="panel">The panel</option>
					{call.stops.map((s) => (
						<option key={s.box} value={s.box}>
							{s.label}
						</option>
					))}
				</select>
			</label>
			<Button type="submit" kind="main" className="min-h-14" disabled={command.isPending || told.length === 0}>
				Report it
			</Button>
			<p className="m-0 text-soft">Until somebody has looked at it, nothing is reset, switched on or plugged in.</p>
			<Problem error={command.error} />
		</form>
	);
}

function Sheet({ title, children }: { title: string; children: React.ReactNode }) {
	return (
		<Dialog.Portal>
			<Dialog.Overlay className="fixed inset-0 z-30 bg-ink/60 dark:bg-paper/80" />
			<Dialog.Content
				aria-describedby={undefined}
				className="fixed inset-x-0 bottom-0 z-40 max-h-[85dvh] overflow-y-auto border-t-4 border-ink bg-paper px-4 pt-3 pb-6 wide:inset-x-auto wide:top-24 wide:bottom-auto wide:left-1/2 wide:w-[30rem] wide:-translate-x-1/2 wide:border-4"
			>
				<div className="mb-2 flex items-center">
					<Dialog.Title className="m-0 text-xl font-bold">{title}</Dialog.Title>
					<Dialog.Close asChild>
						<Button kind="quiet" className="ml-auto">
							Close
						</Button>
					</Dialog.Close>
				</div>
				{children}
			</Dialog.Content>
		</Dialog.Portal>
	);
}

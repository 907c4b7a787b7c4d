import type { ConduitBend, NewOutlet, NewRun, NewRunOrder, WayLeg } from '../api/client';
import { exposures } from '../box/choices';
import { RoomPick } from '../box/served';
import { Button, field } from '../ui/Button';
import { Figure, Part, Pick, Words, yesNo } from '../ui/controls';
import { Ticked } from '../ui/Ticked';
import { angles, devices, nextOutlet, shapes, uses, wallsOf, ways } from './words';

interface Props {
	run: NewRun;
	order: NewRunOrder;
	save: (order: NewRunOrder) => void;
}

/** What is to be served, where, and how one gets there. */
export function Order({ run, order, save }: Props) {
	const outlet = (i: number, what: Partial<NewOutlet>) =>
		save({ ...order, outlets: order.outlets.map((o, k) => (k === i ? { ...o, ...what } : o)) });
	const laid = Boolean(run.laidAt);
	return (
		<fieldset disabled={laid} className="m-0 grid min-w-0 gap-4 border-0 p-0" aria-label="What is ordered">
			<h2 className="sr-only">What is ordered</h2>
			<Words label="name" value={order.name ?? ''} save={(name) => save({ ...order, name })} />
			{order.outlets.map((o, i) => (
				<OneOutlet
					key={o.id}
					n={i + 1}
					outlet={o}
					order={order}
					change={(what) => outlet(i, what)}
					remove={
						order.outlets.length > 1
							? () =>
									save({
										...order,
										outlets: order.outlets
											.filter((x) => x.id !== o.id)
											.map((x) => (x.after === o.id ? { ...x, after: undefined } : x)),
									})
							: undefined
					}
				/>
			))}
			<Button
				className="justify-self-start"
				onClick={() =>
					save({
						...order,
						outlets: [
							...order.outlets,
							{
								id: nextOutlet(order),
								for: order.outlets.at(-1)?.for ?? 'general',
								place: order.outlets.at(-1)?.place,
								way: [{ by: order.outlets.at(-1)?.way.at(-1)?.by ?? 'finished-wall', feet: 10 }],
							},
						],
					})
				}
			>
				One more outlet
			</Button>
			{(order.from ?? 'panel') === 'panel' && <Panel order={order} save={save} />}
			<Removed order={order} save={save} />
		</fieldset>
	);
}

interface OutletProps {
	n: number;
	outlet: NewOutlet;
	order: NewRunOrder;
	change: (what: Partial<NewOutlet>) => void;
	remove?: () => void;
}

function OneOutlet({ n, outlet: o, order, change, remove }: OutletProps) {
	const place = o.place ?? {};
	const before = order.outlets.slice(0, n - 1);
	const single = ['appliance', 'refrigerator', 'freezer', 'sump-pump'].includes(o.for);
	return (
		<section
			id={`outlet-${o.id}`}
			className="grid scroll-mt-4 gap-2 border-t-2 border-ink pt-2"
			aria-label={`Outlet ${n}`}
		>
			<div className="flex items-center gap-2">
				<h3 className="m-0 grow text-base font-bold">{o.label || `Outlet ${n}`}</h3>
				{remove && (
					<Button kind="quiet" onClick={remove}>
						Take it out
					</Button>
				)}
			</div>
			<Words label="called" value={o.label ?? ''} save={(label) => change({ label })} />
			<Pick over words="for" value={o.for} of={uses} save={(use) => change({ for: use })} />
			{single && <Words label="which" value={o.what ?? ''} save={(what) => change({ what })} />}
			<Figure words="nameplate" unit="W" value={o.watts} save={(watts) => change({ watts: watts ?? 0 })} />
			<RoomPick words="room" value={place.room ?? ''} save={(room) => change({ place: { ...place, room } })} />
			<details>
				<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
					more of the outlet
				</summary>
				<div className="grid gap-2 pt-1">
					<Pick
						words="how wet"
						value={place.exposure}
						of={exposures}
						save={(exposure) => change({ place: { ...place, exposure } })}
					/>
					<Pick
						words="finished"
						value={place.finished}
						of={yesNo}
						save={(finished) => change({ place: { ...place, finished } })}
					/>
					<Pick
						words="in reach"
						value={place.accessible}
						of={yesNo}
						save={(accessible) => change({ place: { ...place, accessible } })}
					/>
					<Figure
						words="to a sink"
						unit="ft"
						value={place.feetToSink}
						save={(feetToSink) => change({ place: { ...place, feetToSink } })}
					/>
					<Ticked
						words="runs three hours or more"
						value={o.continuous ?? false}
						save={(continuous) => change({ continuous })}
					/>
					<Ticked words="fastened in place" value={o.fixed ?? false} save={(fixed) => change({ fixed })} />
					<Ticked words="mostly a motor" value={o.motor ?? false} save={(motor) => change({ motor })} />
					<Pick words="box in" value={o.wall} of={wallsOf} save={(wall) => change({ wall })} />
					<Pick words="device" value={o.device} of={devices} save={(device) => change({ device })} />
					{before.length > 1 && (
						<Pick
							words="hangs on"
							value={o.after ?? before.at(-1)?.id}
							of={before.map((b) => ({ value: b.id, words: b.label || b.id }))}
							save={(after) => change({ after })}
						/>
					)}
				</div>
			</details>
			<Way legs={o.way} save={(way) => change({ way })} />
		</section>
	);
}

/** The way to the outlet, leg after leg. */
function Way({ legs, save }: { legs: WayLeg[]; save: (legs: WayLeg[]) => void }) {
	const change = (i: number, what: Partial<WayLeg>) => save(legs.map((l, k) => (k === i ? { ...l, ...what } : l)));
	return (
		<div className="grid gap-2">
			<h4 className="m-0 text-base font-bold">The way there</h4>
			<ol className="m-0 grid list-none gap-2 p-0">
				{legs.map((l, i) => (
					// biome-ignore lint/suspicious/noArrayIndexKey: legs have no names, and keep their order
					<li key={i} className="grid gap-2 border-l-4 border-hair pl-3">
						<div className="flex flex-wrap items-center gap-2">
							<select
								aria-label={`Leg ${i + 1} goes by`}
								className={field}
								value={l.by}
								onChange={(e) => change(i, { by: e.target.value as WayLeg['by'] })}
							>
								{ways.map((w) => (
									<option key={w.value} value={w.value}>
										{w.words}
									</option>
								))}
							</select>
							<Figure words="length" unit="ft" value={l.feet} save={(feet) => feet && change(i, { feet })} />
							{legs.length > 1 && (
								<Button
									kind="quiet"
									aria-label={`Take leg ${i + 1} out`}
									onClick={() => save(legs.filter((_, k) => k !== i))}
								>
									out
								</Button>
							)}
						</div>
						{['open-joists', 'attic', 'crawl-space'].includes(l.by) && (
							<Ticked words="across the framing" value={l.across ?? false} save={(across) => change(i, { across })} />
						)}
						{l.by === 'finished-wall' && (
							<Figure
								words="plates"
								unit="to bore"
								value={l.plates}
								save={(plates) => change(i, { plates: plates ?? 0 })}
							/>
						)}
						<details>
							<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
								more of the leg
							</summary>
							<div className="grid gap-2 pt-1">
								<Pick
									words="how wet"
									value={l.exposure ?? 'dry'}
									of={exposures}
									save={(exposure) => change(i, { exposure })}
								/>
								<Pick
									words="in conduit"
									value={l.conduit ?? ''}
									of={[
										{ value: '', words: 'as the way asks' },
										{ value: 'emt', words: 'EMT' },
										{ value: 'pvc', words: 'PVC' },
									]}
									save={(kind) => change(i, { conduit: (kind || undefined) as WayLeg['conduit'] })}
								/>
								<Figure words="framing" unit="in" value={l.depthIn} save={(depthIn) => change(i, { depthIn })} />
								<Figure words="every" unit="in" value={l.spacingIn} save={(spacingIn) => change(i, { spacingIn })} />
								<Figure
									words="bundled"
									unit="cables"
									value={l.bundled}
									save={(bundled) => change(i, { bundled: bundled ?? 0 })}
								/>
								<Figure words="hottest" unit="°C" value={l.airC} save={(airC) => change(i, { airC })} />
							</div>
						</details>
						{(l.conduit || l.by === 'surface' || l.by === 'masonry') && (
							<Bends bends={l.bends ?? []} save={(bends) => change(i, { bends })} />
						)}
					</li>
				))}
			</ol>
			<Button
				kind="quiet"
				className="justify-self-start"
				onClick={() => save([...legs, { by: 'finished-wall', feet: 8 }])}
			>
				One more leg
			</Button>
		</div>
	);
}

function Bends({ bends, save }: { bends: ConduitBend[]; save: (bends: ConduitBend[]) => void }) {
	const change = (i: number, what: Partial<ConduitBend>) =>
		save(bends.map((b, k) => (k === i ? { ...b, ...what } : b)));
	return (
		<div className="grid gap-2">
			{bends.map((b, i) => (
				// biome-ignore lint/suspicious/noArrayIndexKey: bends have no names, and keep their order
				<div key={i} className="grid gap-2 border-l-2 border-hair pl-3">
					<div className="flex flex-wrap items-center gap-2">
						<Pick words="bend" value={b.shape} of={shapes} save={(shape) => change(i, started(shape))} />
						<Button
							kind="quiet"
							aria-label={`Take bend ${i + 1} out`}
							onClick={() => save(bends.filter((_, k) => k !== i))}
						>
							out
						</Button>
					</div>
					{b.shape !== 'back-to-back' && (
						<Figure
							words={b.shape === 'ninety' ? 'stub' : 'offset'}
							unit="in"
							value={b.heightIn}
							save={(heightIn) => change(i, { heightIn })}
						/>
					)}
					{(b.shape === 'offset' || b.shape === 'back-to-back') && (
						<Figure words="distance" unit="in" value={b.distanceIn} save={(distanceIn) => change(i, { distanceIn })} />
					)}
					{b.shape.endsWith('offset') && (
						<Pick
							words="angle"
							value={b.angleDeg ?? (b.shape === 'offset' ? 30 : 10)}
							of={angles}
							save={(angleDeg) => change(i, { angleDeg })}
						/>
					)}
				</div>
			))}
			<Button kind="quiet" className="justify-self-start" onClick={() => save([...bends, started('offset')])}>
				{bends.length ? 'One more bend' : 'It has a bend'}
			</Button>
		</div>
	);
}

/** A bend with figures that can be: they are measured and set right. */
const started = (shape: ConduitBend['shape']): ConduitBend =>
	({
		offset: { shape, heightIn: 4, distanceIn: 24, angleDeg: undefined },
		'box-offset': { shape, heightIn: 0.5, distanceIn: undefined, angleDeg: undefined },
		ninety: { shape, heightIn: 12, distanceIn: undefined, angleDeg: undefined },
		'back-to-back': { shape, heightIn: undefined, distanceIn: 36, angleDeg: undefined },
	})[shape];

function Panel({ order, save }: Omit<Props, 'run'>) {
	const panel = order.panel ?? {};
	const change = (what: typeof panel) => save({ ...order, panel: { ...panel, ...what } });
	return (
		<Part title="The panel" id="the-panel">
			<Words label="breaker no." value={panel.breaker ?? ''} save={(breaker) => change({ breaker })} />
			<Figure words="free spaces" unit="" value={panel.free} save={(free) => change({ free })} />
			<Pick words="flush in wall" value={panel.flush} of={yesNo} save={(flush) => change({ flush })} />
			<Pick
				words="service"
				value={panel.room}
				of={[
					{ value: true, words: 'summed up, carries it' },
					{ value: false, words: 'not, or not summed up' },
				]}
				save={(room) => change({ room })}
			/>
		</Part>
	);
}

function Removed({ order, save }: Omit<Props, 'run'>) {
	const all = order.remove ?? [];
	const change = (i: number, what: Partial<(typeof all)[number]>) =>
		save({ ...order, remove: all.map((r, k) => (k === i ? { ...r, ...what } : r)) });
	return (
		<Part title="What serves nothing more">
			{all.map((r, i) => (
				// biome-ignore lint/suspicious/noArrayIndexKey: what is removed has no name, and keeps its order
				<div key={i} className="grid gap-2 border-l-4 border-hair pl-3">
					<Words label="cable" value={r.cable} save={(cable) => change(i, { cable })} />
					<Words label="from" value={r.from} save={(from) => change(i, { from })} />
					<Words label="to" value={r.to} save={(to) => change(i, { to })} />
					<div className="flex flex-wrap items-center gap-2">
						<Pick
							words="it is"
							value={r.how}
							of={[
								{ value: 'left', words: 'left, made safe' },
								{ value: 'out', words: 'taken out' },
							]}
							save={(how) => change(i, { how })}
						/>
						<Button kind="quiet" onClick={() => save({ ...order, remove: all.filter((_, k) => k !== i) })}>
							Not this one
						</Button>
					</div>
				</div>
			))}
			<Button
				kind="quiet"
				className="justify-self-start"
				onClick={() =>
					save({ ...order, remove: [...all, { cable: 'old cable', from: 'box', to: 'outlet', how: 'left' }] })
				}
			>
				A cable that serves nothing more
			</Button>
		</Part>
	);
}

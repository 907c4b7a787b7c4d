import { useEffect, useRef } from 'react';
import type { Box, BoxCable, Plan } from '../api/client';
import { Figure, Pick, Words, yesNo } from '../ui/controls';
import { cableWords } from './cables';
import { aluminumWays, exposures, poles, protections, secondHots, volumes, walls, withDevice } from './choices';
import { loads, RoomTaps } from './served';

interface Props {
	plan: Plan;
	box: Box;
	save: (box: Box) => void;
}

/** What is not known and decides; each is answered where it stands. */
export function Asks({ plan, box, save }: Props) {
	const first = useRef<HTMLElement>(null);
	const left = plan.asks.length;
	const before = useRef(left);
	// Answered: the next one comes to where the thumb is.
	useEffect(() => {
		if (left < before.current) first.current?.scrollIntoView({ block: 'nearest' });
		before.current = left;
	}, [left]);
	if (plan.asks.length === 0) return null;
	return (
		<section
			ref={first}
			className="mb-3 scroll-mt-4 border-l-4 border-accent pl-3 print:border-ink"
			aria-label="Not known"
		>
			<h2 className="m-0 text-base font-bold">Not known, and it decides</h2>
			<ul className="m-0 list-none p-0">
				{plan.asks.map((a) => (
					<li key={a.field + a.words} className="border-b border-rule py-1.5 last:border-0">
						<p className="m-0 pb-1">{a.words}</p>
						<div className="print:hidden">
							<Answer field={a.field} box={box} save={(what) => save({ ...box, ...what })} />
						</div>
					</li>
				))}
			</ul>
		</section>
	);
}

interface AnswerProps {
	field: string;
	box: Box;
	save: (what: Partial<Box>) => void;
}

function Answer({ field, box, save }: AnswerProps) {
	const [part = '', ...rest] = field.split('.');
	switch (part) {
		case 'cables':
			return rest.length > 1 ? (
				<OfCable id={rest[0] ?? ''} about={rest[1] ?? ''} box={box} save={save} />
			) : (
				<SwitchWire box={box} save={save} />
			);
		case 'place':
			return <OfPlace about={rest[0] ?? ''} box={box} save={save} />;
		default:
			return <OfBox field={field} box={box} save={save} />;
	}
}

function OfCable({ id, about, box, save }: Omit<AnswerProps, 'field'> & { id: string; about: string }) {
	const cable = box.cables.find((c) => c.id === id);
	if (!cable) return null;
	const change = (what: Partial<BoxCable>) =>
		save({ cables: box.cables.map((c) => (c.id === id ? { ...c, ...what } : c)) });
	switch (about) {
		case 'servesPlace':
			return (
				<RoomTaps
					words="it serves"
					value={cable.servesPlace?.room ?? ''}
					save={(room) => change({ servesPlace: { ...cable.servesPlace, room } })}
				/>
			);
		case 'servesLoad':
			return (
				<Pick
					words="hangs on it"
					value={cable.servesLoad ?? 'unknown'}
					of={loads}
					save={(servesLoad) => change({ servesLoad })}
				/>
			);
		case 'hot2':
			return (
				<Pick words="it is" value={cable.hot2 ?? 'unknown'} of={[...secondHots]} save={(hot2) => change({ hot2 })} />
			);
		default:
			return null;
	}
}

/** Which wire comes from the wall switch: the second hot of one of the cables. */
function SwitchWire({ box, save }: Omit<AnswerProps, 'field'>) {
	const able = box.cables.filter((c) => c.conductors.includes('hot2'));
	if (able.length === 0)
		return <p className="m-0 text-soft">No cable has a second hot yet: say so under “Correct what is in the box”.</p>;
	return (
		<Pick
			words="it is of"
			value={able.find((c) => c.hot2 === 'switched')?.id}
			of={able.map((c) => ({ value: c.id, words: cableWords(c).name }))}
			save={(id) => save({ cables: box.cables.map((c) => (c.id === id ? { ...c, hot2: 'switched' as const } : c)) })}
		/>
	);
}

function OfPlace({ about, box, save }: Omit<AnswerProps, 'field'> & { about: string }) {
	const place = box.place ?? {};
	const change = (what: typeof place) => save({ place: { ...place, ...what } });
	switch (about) {
		case 'room':
			return <RoomTaps words="room" value={place.room ?? ''} save={(room) => change({ room })} />;
		case 'exposure':
			return <Pick words="how wet" value={place.exposure} of={exposures} save={(exposure) => change({ exposure })} />;
		case 'finished':
			return <Pick words="finished" value={place.finished} of={yesNo} save={(finished) => change({ finished })} />;
		case 'countertop':
			return (
				<Pick words="countertop" value={place.countertop} of={yesNo} save={(countertop) => change({ countertop })} />
			);
		case 'openAccess':
			return (
				<Pick words="open way" value={place.openAccess} of={yesNo} save={(openAccess) => change({ openAccess })} />
			);
		case 'runFeet':
			return <Figure words="new cable" unit="ft" value={place.runFeet} save={(runFeet) => change({ runFeet })} />;
		default:
			return null;
	}
}

const existingOf = (box: Box) => box.existing ?? { kind: 'receptacle' as const, id: 'old' };

function OfBox({ field, box, save }: AnswerProps) {
	const enclosure = (what: Partial<Box['box']>) => save({ box: { ...box.box, ...what } });
	const breaker = (what: Partial<Box['breaker']>) => save({ breaker: { ...box.breaker, ...what } });
	switch (field) {
		case 'breaker.protection':
			return (
				<Pick
					words="protects"
					value={box.breaker.protection ?? 'unknown'}
					of={protections}
					save={(protection) => breaker({ protection })}
				/>
			);
		case 'breaker.poles':
			return <Pick words="switches" value={box.breaker.poles} of={poles} save={(n) => breaker({ poles: n })} />;
		case 'breaker.otherOutlets':
			return (
				<Pick
					words="others"
					value={box.breaker.otherOutlets}
					of={yesNo}
					save={(otherOutlets) => breaker({ otherOutlets })}
				/>
			);
		case 'box.wall':
			return <Pick words="wall" value={box.box.wall} of={walls} save={(wall) => enclosure({ wall })} />;
		case 'box.bonded':
			return <Pick words="bonded" value={box.box.bonded} of={yesNo} save={(bonded) => enclosure({ bonded })} />;
		case 'box.aluminumConnectors':
			return (
				<Pick
					words="aluminium"
					value={box.box.aluminumConnectors ?? false}
					of={aluminumWays}
					save={(aluminumConnectors) => enclosure({ aluminumConnectors })}
				/>
			);
		case 'box.volumeIn3':
			return (
				<div className="grid gap-1.5">
					<Pick
						words="volume"
						value={box.box.volumeIn3}
						of={volumes()}
						save={(volumeIn3) => enclosure({ volumeIn3, size: undefined })}
					/>
					<Figure words="marked" unit="in³" value={box.box.volumeIn3} save={(v) => enclosure({ volumeIn3: v })} />
					{box.box.material === 'metal' && (
						<Words
							value={box.box.size ?? ''}
							label="size, metal"
							save={(size) => enclosure({ size: size || undefined, volumeIn3: undefined })}
						/>
					)}
				</div>
			);
		case 'existing.switched':
			return (
				<Pick
					words="on a switch"
					value={box.existing?.switched}
					of={[
						{ value: 'top', words: 'upper half' },
						{ value: 'bottom', words: 'lower half' },
					]}
					save={(switched) => save({ existing: { ...existingOf(box), switched } })}
				/>
			);
		case 'device.tamperResistant':
			return (
				<Pick
					words="marked so"
					value={box.device?.tamperResistant}
					of={yesNo}
					save={(tamperResistant) => save(withDevice(box, { tamperResistant }))}
				/>
			);
		case 'device.weatherResistant':
			return (
				<Pick
					words="marked so"
					value={box.device?.weatherResistant}
					of={yesNo}
					save={(weatherResistant) => save(withDevice(box, { weatherResistant }))}
				/>
			);
		default:
			return null;
	}
}

import type { Box, Finding, Landing } from '../api/client';
import { cableWords } from './cables';
import { type DeviceShape, type Drawn, type Face, layOut, type Wire } from './layout';
import { type Extent, Viewer } from './Viewer';

interface Props {
	box: Box;
	faces: Face[];
	landings: Landing[];
	/** Points that the step in hand touches; their wires are lit. */
	lit?: string[];
	/** Findings to pin, each with its number in the list. */
	pins?: { finding: Finding; number: number }[];
	label: string;
}

/** Insulation, as paint. These colours mean wires and nothing else. */
const paints: Record<string, string> = {
	black: '#17151d',
	white: '#fbfaf5',
	gray: '#a5a3a0',
	grey: '#a5a3a0',
	red: '#c8322b',
	blue: '#2f62b8',
	bare: '#c07a3a',
	green: '#3f8f4f',
	'green-yellow': '#3f8f4f',
	yellow: '#d9b92f',
};

/** The opened box as it is seen from the front, drawn from what is recorded. */
export function BoxDrawing({ box, faces, landings, lit, pins = [], label }: Props) {
	const d = layOut(box, faces, landings);
	const isLit = (w: Wire) => lit?.includes(w.from) && lit.includes(w.to);
	const someLit = d.wires.some(isLit);
	const outline = (
		<rect
			x={22}
			y={d.top}
			width={d.width - 44}
			height={d.height - d.top - 6}
			rx={14}
			fill="var(--box)"
			stroke="var(--ink)"
			strokeWidth={box.box.material === 'metal' ? 5 : 2.5}
		/>
	);
	return (
		<Viewer
			width={d.width}
			height={d.height}
			label={label}
			near={extentOf(d.wires.filter(isLit))}
			whole={
				<>
					{outline}
					{d.wires.map((w) => (
						<path
							key={w.key}
							d={w.path}
							fill="none"
							stroke={isLit(w) ? 'var(--accent)' : 'var(--wire-edge)'}
							strokeWidth={isLit(w) ? 24 : 7}
						/>
					))}
					{d.devices.map((v) => (
						<rect
							key={v.id}
							x={v.x - v.width / 2}
							y={v.y}
							width={v.width}
							height={v.height}
							fill="var(--sheet)"
							stroke="var(--ink)"
							strokeWidth={6}
						/>
					))}
				</>
			}
		>
			{outline}
			{d.sheaths.map((s) => (
				<Sheath key={s.id} box={box} id={s.id} x={s.x} top={d.top} room={d.width / d.sheaths.length} />
			))}
			{d.wires.filter(isLit).map((w) => (
				<path key={w.key} d={w.path} className="lit-wire" fill="none" stroke="var(--accent)" strokeWidth={19} />
			))}
			{d.wires.map((w) => (
				<WirePath key={w.key} wire={w} quiet={someLit && !isLit(w)} />
			))}
			{d.devices.map((v, i) => (
				<DeviceBack
					key={v.id}
					v={v}
					d={d}
					landed={landings}
					number={!v.toggle && d.devices.filter((x) => !x.toggle).length > 1 ? i + 1 : 0}
				/>
			))}
			{d.splices.map((s) => (
				<g key={s.name}>
					<rect
						x={s.x - s.width / 2}
						y={s.y - 20}
						width={s.width}
						height={40}
						rx={s.cap ? 18 : 4}
						fill="var(--sheet)"
						stroke="var(--ink)"
						strokeWidth={2}
					/>
					<text x={s.x} y={s.y + 6} textAnchor="middle" className="fill-ink text-[18px]">
						{s.words}
					</text>
				</g>
			))}
			{d.screw && <Screw x={d.screw.x} y={d.screw.y} paint="#3f8f4f" />}
			<Pins d={d} pins={pins} />
		</Viewer>
	);
}

/** What the wires cover together. */
function extentOf(wires: Wire[]): Extent | undefined {
	if (wires.length === 0) return undefined;
	const xs: number[] = [];
	const ys: number[] = [];
	for (const w of wires) {
		// A path is places alone: each command is followed by pairs of figures.
		for (const [i, n] of [...w.path.matchAll(/-?[\d.]+/g)].entries()) (i % 2 === 0 ? xs : ys).push(Number(n[0]));
	}
	return { left: Math.min(...xs), right: Math.max(...xs), top: Math.min(...ys), bottom: Math.max(...ys) };
}

function WirePath({ wire, quiet }: { wire: Wire; quiet: boolean }) {
	const paint = paints[wire.colour] ?? paints.black;
	return (
		<g fill="none" strokeLinecap="butt" opacity={quiet ? 0.45 : 1} data-wire={wire.key}>
			<path d={wire.path} stroke="var(--box)" strokeWidth={12} />
			<path d={wire.path} stroke="var(--wire-edge)" strokeWidth={8} />
			<path d={wire.path} stroke={paint} strokeWidth={5.2} />
			{wire.colour === 'green-yellow' && (
				<path d={wire.path} stroke="#e8cf3f" strokeWidth={5.2} strokeDasharray="6 10" />
			)}
		</g>
	);
}

/** The words with their middle left out where there is no room for them: names differ at either end. */
function fitted(words: string, room: number, letter: number): string {
	const n = Math.max(8, Math.floor(room / letter));
	return words.length <= n ? words : `${words.slice(0, n - 5).trimEnd()}…${words.slice(-4)}`;
}

interface SheathProps {
	box: Box;
	id: string;
	x: number;
	top: number;
	/** From one sheath to the next. */
	room: number;
}

function Sheath({ box, id, x, top, room }: SheathProps) {
	const c = box.cables.find((cable) => cable.id === id);
	if (!c) return null;
	const half = 19 * Math.max(2, c.conductors.length) * 0.5 + 14;
	const words = cableWords(c);
	return (
		<g>
			<rect
				x={x - half}
				y={top - 26}
				width={2 * half}
				height={64}
				rx={6}
				fill="var(--sheath)"
				stroke="var(--ink)"
				strokeWidth={2}
			/>
			<text x={x} y={top - 64} textAnchor="middle" className="fill-ink text-[20px] font-bold">
				<title>{words.name}</title>
				{fitted(words.name, room, 11.5)}
			</text>
			<text x={x} y={top - 40} textAnchor="middle" className="fill-soft text-[17px]">
				{fitted(words.about, room, 9)}
			</text>
		</g>
	);
}

const metal = { hot: '#d9ae4a', hot2: '#d9ae4a', neutral: '#cfcdc9', ground: '#3f8f4f' };

interface DeviceBackProps {
	v: DeviceShape;
	d: Drawn;
	landed: Landing[];
	/** Which device of the box it is; 0 where it is the only one. */
	number: number;
}

function DeviceBack({ v, d, landed, number }: DeviceBackProps) {
	const [x, y, w, h] = [v.x - v.width / 2, v.y, v.width, v.height];
	const used = new Set(landed.flat());
	const upper = v.gfci ? (v.lineAbove ? 'LINE' : 'LOAD') : '';
	const lower = v.gfci ? (v.lineAbove ? 'LOAD' : 'LINE') : '';
	return (
		<g>
			<rect x={x} y={y} width={w} height={h} rx={9} fill="var(--sheet)" stroke="var(--ink)" strokeWidth={3} />
			{[
				[upper, y + 51],
				[lower, y + h - 41],
			].map(([text, at]) => (
				<text key={text} x={v.x} y={at} textAnchor="middle" className="fill-ink text-[19px] font-bold">
					{text}
				</text>
			))}
			<text x={v.x} y={y + h / 2 - 4} textAnchor="middle" className="fill-ink text-[18px]">
				{v.toggle ? 'switch' : v.gfci ? 'GFCI' : v.twoSlot ? 'two-slot' : 'receptacle'} {number > 0 && number}
			</text>
			<text x={v.x} y={y + h / 2 + 17} textAnchor="middle" className="fill-soft text-[16px]">
				seen from the front
			</text>
			{!v.gfci && !v.toggle && <TabMark x={x + 4} y={y + h / 2} broken={v.brokenNeutral} />}
			{!v.gfci && !v.toggle && <TabMark x={x + w - 4} y={y + h / 2} broken={v.brokenHot} />}
			{[...d.terminals]
				.filter(([name]) => name.startsWith(`${v.id}.`))
				.map(([name, t]) => (
					<Screw key={name} x={t.x} y={t.y} paint={metal[t.kind]} empty={!used.has(name)} />
				))}
			{!v.toggle && (
				<text x={x + 18} y={y + h / 2 - 34} textAnchor="start" className="fill-soft text-[16px]">
					silver
				</text>
			)}
			<text x={x + w - 18} y={y + h / 2 - 34} textAnchor="end" className="fill-soft text-[16px]">
				brass
			</text>
		</g>
	);
}

/** The link between two screws; a broken one is parted. */
function TabMark({ x, y, broken }: { x: number; y: number; broken: boolean }) {
	return broken ? (
		<path d={`M${x} ${y - 30}v18M${x} ${y + 12}v18M${x - 6} ${y - 6}l12 12`} stroke="var(--ink)" strokeWidth={3} />
	) : (
		<path d={`M${x} ${y - 30}v60`} stroke="var(--hair)" strokeWidth={5} />
	);
}

function Screw({ x, y, paint, empty }: { x: number; y: number; paint: string; empty?: boolean }) {
	return (
		<g opacity={empty ? 0.55 : 1}>
			<circle cx={x} cy={y} r={12} fill={paint} stroke="var(--ink)" strokeWidth={2.5} />
			<path d={`M${x - 6} ${y + 5}l12 -10`} stroke="#1b1922" strokeWidth={2.5} />
		</g>
	);
}

function Pins({ d, pins }: { d: Drawn; pins: Props['pins'] }) {
	const taken = new Map<string, number>();
	return (
		<g>
			{pins?.map(({ finding, number }) => {
				const at = finding.at?.map((name) => d.pin(name)).find((place) => place !== undefined);
				if (!at) return null;
				const key = `${Math.round(at.x)} ${Math.round(at.y)}`;
				const n = taken.get(key) ?? 0;
				taken.set(key, n + 1);
				const [x, y] = [at.x + (at.back ? -n : n) * 27, at.y];
				const danger = finding.severity === 'danger';
				return (
					<g key={number} data-pin={number}>
						{danger ? (
							<path
								d={`M${x} ${y - 17}l17 17l-17 17l-17 -17Z`}
								fill="var(--ink)"
								stroke="var(--sheet)"
								strokeWidth={2}
							/>
						) : (
							<circle cx={x} cy={y} r={12.5} fill="var(--ink)" stroke="var(--sheet)" strokeWidth={2} />
						)}
						<text x={x} y={y + 5.5} textAnchor="middle" className="fill-paper text-[16px] font-bold">
							{number}
						</text>
					</g>
				);
			})}
		</g>
	);
}

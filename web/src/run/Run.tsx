import { useEffect, useLayoutEffect, useRef, useState } from 'react';
import type { Call } from '../api/client';
import { DeltaMark } from '../delta/Delta';
import { Button } from '../ui/Button';
import { feet, percent } from '../ui/words';
import { layOut, type Placed } from './layout';
import { Strip } from './Strip';
import { assumed, found, halves, label } from './shown';
import { stateNow } from './state';

interface Props {
	call: Call;
	picked: string | null;
	pick: (box: string) => void;
}

const left = 84; // the panel, and room beside it
const tall = 124; // from row to row
const above = 60; // of a row: deltas over the line
const worthDrawing = 0.01; // suspicion below this is only in the list
const narrow = 138; // the least a stop needs
const roomy = 190; // from here on a figure fits beside the names

function useWidth() {
	const ref = useRef<HTMLDivElement>(null);
	const [width, setWidth] = useState(1200);
	useLayoutEffect(() => {
		const element = ref.current;
		if (!element) return;
		const watch = new ResizeObserver(() => setWidth(element.clientWidth));
		watch.observe(element);
		return () => watch.disconnect();
	}, []);
	return [ref, width] as const;
}

/** From how many pixels the whole run is drawn by itself; less is a phone's. */
const wide = 900;

/** The run: drawn whole, or on a phone folded to one line until it is opened. */
export function Run(props: Props) {
	const [ref, width] = useWidth();
	const [open, setOpen] = useState(false);
	const folded = width < wide && !open;
	return (
		<section ref={ref} className="relative bg-sheet" aria-label="The run, from the panel outward">
			{folded ? <Strip {...props} open={() => setOpen(true)} /> : <Whole {...props} width={width} />}
			{width < wide && open && (
				<Button kind="quiet" className="w-full border-t border-rule" onClick={() => setOpen(false)}>
					Fold the run
				</Button>
			)}
		</section>
	);
}

/** The run like a line of stations, with its branches below. */
function Whole({ call, picked, pick, width }: Props & { width: number }) {
	const ref = useRef<HTMLDivElement>(null);
	const layout = layOut(call.stops);
	const column = Math.max(narrow, Math.min(300, (width - left - 64) / Math.max(1, layout.columns)));
	const x = (c: number) => left + c * column - (c ? column * 0.12 : 0);
	const y = (r: number) => above + 2 + r * tall;
	const whole = Math.max(width, x(layout.columns) + 76);
	const high = layout.rows * tall + 4 + (restOf(call).length > 0 && width >= wide ? 26 : 0);
	const weights = new Map(
		call.diagnosis.weights.filter((s) => s.probability >= worthDrawing).map((s) => [s.site, s.probability]),
	);

	// Keep the picked stop in view where the run is longer than the screen.
	const at = layout.placed.find((p) => p.stop.box === picked);
	const middle = at ? x(at.column) : null;
	const middleRow = at ? y(at.row) : null;
	useEffect(() => {
		const box = ref.current;
		if (middle !== null && middleRow !== null && box)
			box.scrollTo({ left: middle - box.clientWidth / 2, top: middleRow - box.clientHeight / 2, behavior: 'smooth' });
	}, [middle, middleRow]);

	return (
		<div ref={ref} className="relative max-h-[18rem] overflow-auto max-wide:max-h-[50dvh]">
			<div className="relative" style={{ width: whole, height: high }}>
				<svg width={whole} height={high} className="absolute inset-0" aria-hidden="true">
					{at && (
						<rect
							x={x(at.column) - narrow / 2 + 2}
							y={y(at.row) - above + 1}
							width={narrow - 4}
							height={tall - 3}
							fill="var(--accent-wash)"
						/>
					)}
					{layout.placed.map((p) => (
						<Line
							key={p.stop.box}
							p={p}
							x={x}
							y={y}
							column={column}
							weight={weights.get(p.stop.cable.id)}
							assumed={assumed(call, p.stop.box)}
						/>
					))}
					<PanelMark call={call} y={y(0)} weight={weights.get('panel')} />
					{layout.placed.map((p) => (
						<StopMark
							key={p.stop.box}
							call={call}
							p={p}
							x={x(p.column)}
							y={y(p.row)}
							picked={p.stop.box === picked}
							weight={weights.get(p.stop.box)}
						/>
					))}
				</svg>
				<Rest call={call} />
				{layout.placed.map((p) => (
					<button
						key={p.stop.box}
						type="button"
						onClick={() => pick(p.stop.box)}
						aria-pressed={p.stop.box === picked}
						aria-label={label(call, p, weights.get(p.stop.box))}
						className="absolute bg-transparent"
						style={{
							left: x(p.column) - narrow / 2 + 4,
							top: y(p.row) - above + 2,
							width: narrow - 8,
							height: tall - 6,
						}}
					/>
				))}
			</div>
		</div>
	);
}

/** What of the weights is under no stop and no cable, so that all adds up. */
function restOf(call: Call): string[] {
	const { weights, sound, unexplained } = call.diagnosis;
	const elsewhere = weights.find((w) => w.site === 'elsewhere')?.probability ?? 0;
	if (Math.max(elsewhere, sound) < worthDrawing) return [];
	const rest = [
		[elsewhere, 'elsewhere: a switch, a GFCI in another room, the supply'],
		[sound, 'nothing wrong here'],
		[unexplained, 'none of what is looked for'],
	] as const;
	return rest.filter(([p]) => p >= worthDrawing).map(([p, words]) => `${percent(p)} ${words}`);
}

function Rest({ call }: { call: Call }) {
	const rest = restOf(call);
	if (rest.length === 0) return null;
	return <p className="absolute bottom-0.5 left-4 m-0 text-sm text-soft max-wide:hidden">{rest.join(', ')}</p>;
}

interface LineProps {
	p: Placed;
	x: (column: number) => number;
	y: (row: number) => number;
	column: number;
	weight: number | undefined;
	/** It is not sure that it runs there. */
	assumed: boolean;
}

/** The cable that feeds a stop. One without a ground is drawn as two thin lines. */
function Line({ p, x, y, column, weight, assumed }: LineProps) {
	const [x1, x2] = [x(p.fromColumn) + (p.fromColumn ? 10 : 0), x(p.column) - 10];
	const [y1, y2] = [y(p.fromRow), y(p.row)];
	const branch = y1 !== y2;
	const turn = x(p.fromColumn) + Math.min(column * 0.42, 84);
	const d = branch ? `M${x1} ${y1 + 6} H${turn - 8} q8 0 8 8 V${y2 - 8} q0 8 8 8 H${x2}` : `M${x1} ${y1} H${x2}`;
	const start = branch ? turn + 8 : p.fromColumn ? x1 : x(0);
	const mid = (start + x2) / 2;
	const ground = p.stop.cable.conductors.includes('ground');
	const most = Math.min(90, Math.abs(x2 - start) - 8);
	return (
		<g>
			<path
				d={d}
				fill="none"
				stroke="var(--ink)"
				strokeWidth={ground ? 4 : 6}
				strokeDasharray={assumed ? '3 7' : undefined}
			/>
			{assumed && (
				<text x={mid} y={y2 - 25} textAnchor="middle" fontSize="15" fontWeight="700" fill="var(--ink)">
					?
				</text>
			)}
			{!ground && <path d={d} fill="none" stroke="var(--sheet)" strokeWidth="2.6" />}
			{p.stop.protected.length > 0 && (
				<path
					d={d}
					fill="none"
					stroke="var(--ink)"
					strokeWidth="4"
					strokeDasharray="0.1 9"
					strokeLinecap="round"
					transform="translate(0 8)"
				/>
			)}
			{/* Between stops that stand close together the weight takes the place of the feet. */}
			{(weight === undefined || column >= roomy || branch) && (
				<text
					x={branch ? turn + 7 : mid}
					y={branch ? y2 - 14 : y2 - 9}
					textAnchor={branch ? 'start' : 'middle'}
					fontSize="14"
					fill="var(--soft)"
				>
					{feet(p.stop.cable.feet)}
				</text>
			)}
			{weight !== undefined && (
				<>
					<rect
						x={mid - Math.max(3, (weight * most) / 2)}
						y={y2 + 6}
						width={Math.max(6, weight * most)}
						height="6"
						fill="var(--accent)"
					/>
					<text
						x={mid}
						y={column >= roomy ? y2 + 27 : y2 - 9}
						textAnchor="middle"
						fontSize="14"
						fontWeight="700"
						fill="var(--ink)"
						className="mono"
					>
						{percent(weight)}
					</text>
				</>
			)}
		</g>
	);
}

function PanelMark({ call, y, weight }: { call: Call; y: number; weight: number | undefined }) {
	const off = !stateNow(call).breakerOn;
	return (
		<g>
			<rect x="16" y={y - 34} width="62" height="68" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="2.500" />
			<text x="47" y={y - 2} textAnchor="middle" fontSize="22" fontWeight="700" fill="var(--ink)">
				{call.breaker.label || '?'}
			</text>
			<text
				x="47"
				y={y + 20}
				textAnchor="middle"
				fontSize="14"
				fontWeight={off ? 700 : 400}
				fill={off ? 'var(--ink)' : 'var(--soft)'}
			>
				{off ? 'OFF' : `${call.breaker.amps} A`}
			</text>
			{off && <line x1="78" y1={y} x2="92" y2={y - 16} stroke="var(--ink)" strokeWidth="4" />}
			{weight !== undefined && <Weight x={47} y={y + 42} p={weight} />}
		</g>
	);
}

interface StopProps {
	call: Call;
	p: Placed;
	x: number;
	y: number;
	picked: boolean;
	weight: number | undefined;
}

function StopMark({ call, p, x, y, picked, weight }: StopProps) {
	const deltas = p.stop.devices.flatMap((d) => halves.map((h) => ({ id: d.id + h, delta: found(call, d.id, h) })));
	const now = stateNow(call);
	const plugged = call.loads.filter((l) => p.stop.devices.some((d) => d.id === l.at));
	const gap = Math.min(44, 120 / Math.max(1, deltas.length));
	return (
		<g>
			{deltas.map((d, i) => (
				<DeltaMark
					key={d.id}
					delta={d.delta}
					cx={x + (i - (deltas.length - 1) / 2) * gap}
					cy={y - 33}
					r={Math.min(15, gap * 0.36)}
				/>
			))}
			<rect
				x={x - 9}
				y={y - 9}
				width="18"
				height="18"
				fill={picked ? 'var(--accent)' : 'var(--sheet)'}
				stroke="var(--ink)"
				strokeWidth="2.500"
			/>
			{p.stop.split.length > 0 && (
				<line x1={x} y1={y - 52} x2={x} y2={y - 18} stroke="var(--ink)" strokeWidth="1.500" />
			)}
			{p.stop.devices.some((d) => d.kind === 'gfci') && (
				<Gate x={x} y={y} open={p.stop.devices.some((d) => now.tripped.includes(d.id))} />
			)}
			{plugged.map((l, i) => (
				<text
					key={l.id}
					x={x + 15}
					y={y - 8 - i * 14}
					fontSize="13"
					fontWeight={now.loadsOn.includes(l.id) ? 700 : 400}
					fill="var(--ink)"
				>
					{now.loadsOn.includes(l.id) ? '●' : '○'} {l.watts} W
				</text>
			))}
			<text x={x} y={y + 29} textAnchor="middle" fontSize="16" fontWeight={picked ? 700 : 600} fill="var(--ink)">
				{short(p.stop.label)}
			</text>
			{weight !== undefined && <Weight x={x} y={y + 38} p={weight} />}
		</g>
	);
}

/** A GFCI: a gate across the line behind its box, shut or swung open. */
function Gate({ x, y, open }: { x: number; y: number; open: boolean }) {
	return (
		<g>
			{open && <rect x={x + 12} y={y - 4} width="14" height="9" fill="var(--sheet)" />}
			<path
				d={open ? `M${x + 13} ${y} l11 -13` : `M${x + 13} ${y - 9} v18 M${x + 19} ${y - 9} v18`}
				stroke="var(--ink)"
				strokeWidth="3"
				fill="none"
				strokeLinecap="round"
			/>
		</g>
	);
}

/** The weight of suspicion: how much probability hangs there. */
function Weight({ x, y, p }: { x: number; y: number; p: number }) {
	const long = Math.max(3, p * 58);
	const text = percent(p);
	const whole = long + 8 + text.length * 8;
	return (
		<g>
			<rect x={x - whole / 2} y={y} width={long} height="14" fill="var(--accent)" />
			<text x={x - whole / 2 + long + 7} y={y + 12} fontSize="14" fontWeight="700" fill="var(--ink)" className="mono">
				{text}
			</text>
		</g>
	);
}

function short(name: string): string {
	return name.length > 17 ? `${name.slice(0, 16)}…` : name;
}

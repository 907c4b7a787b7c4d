import type { ReactNode } from 'react';
import type { Delta } from '../api/client';
import { DeltaMark } from './Delta';
import { type Corner, type CornerKey, corners, cornersOf, type SideKey, sides } from './shape';

const width = 340;
const height = 296;
const at = cornersOf(width / 2, 146, 106);

/** Where what is entered for a side stands: outside the triangle, by its side. */
const sidePlaces: Record<SideKey, readonly [number, number]> = {
	hotNeutral: [width / 2 - 116, 98],
	hotGround: [width / 2 + 116, 98],
	neutralGround: [width / 2, 265],
};

interface Props {
	delta: Delta | undefined;
	/** Drawn for each side, centred beside it. */
	side?: (key: SideKey) => ReactNode;
	/** Tapping the side itself. */
	tapSide?: (key: SideKey) => void;
	/** Drawn for each corner instead of its letter. */
	corner?: (key: CornerKey, letter: Corner) => ReactNode;
	className?: string;
}

/** The delta as large as a thumb needs it: readings are entered on its sides and corners. */
export function DeltaPad({ delta, side, tapSide, corner, className = '' }: Props) {
	const place = ([x, y]: readonly [number, number]) => ({
		left: `${(100 * x) / width}%`,
		top: `${(100 * y) / height}%`,
	});
	return (
		<div
			className={`relative mx-auto w-full max-w-[300px] ${className}`}
			style={{ aspectRatio: `${width} / ${height}` }}
		>
			<svg viewBox={`0 0 ${width} ${height}`} className="absolute inset-0 size-full" aria-hidden="true">
				<DeltaMark delta={{ ...delta, live: [] }} cx={width / 2} cy={146} r={106} />
				{tapSide &&
					sides.map((s) => {
						const [[x1, y1], [x2, y2]] = [at[s.ends[0]], at[s.ends[1]]];
						return (
							// biome-ignore lint/a11y/noStaticElementInteractions: a larger target for fingers; the button beside it is the control
							<line
								key={s.key}
								{...{ x1, y1, x2, y2 }}
								stroke="transparent"
								strokeWidth="44"
								className="cursor-pointer"
								onClick={() => tapSide(s.key)}
							/>
						);
					})}
			</svg>
			{corners.map((c) => (
				<div key={c.key} className="absolute -translate-x-1/2 -translate-y-1/2" style={place(at[c.letter])}>
					{corner ? corner(c.key, c.letter) : <Letter live={delta?.live?.includes(c.key)}>{c.letter}</Letter>}
				</div>
			))}
			{side &&
				sides.map((s) => (
					<div key={s.key} className="absolute -translate-x-1/2 -translate-y-1/2" style={place(sidePlaces[s.key])}>
						{side(s.key)}
					</div>
				))}
		</div>
	);
}

/** A corner that is only shown. */
export function Letter({ children, live, faint }: { children: ReactNode; live?: boolean; faint?: boolean }) {
	const ring = live ? 'border-[6px]' : faint ? 'border-[3px] border-dashed' : 'border-2';
	return (
		<span className={`grid size-14 place-items-center rounded-full bg-sheet text-2xl font-bold border-ink ${ring}`}>
			{children}
		</span>
	);
}

import type { Pair } from '../api/client';
import type { Lamps } from './tools';

export const lampPlaces = ['left', 'middle', 'right'];

/** The lamps as they stand on the tester taught: filled, with rays, where lit. */
export function LampRow({ lamps, shown, size = 34 }: { lamps: Pair[]; shown: Lamps; size?: number }) {
	return (
		<svg width={(size * 104) / 34} height={size} viewBox="0 0 104 34" aria-hidden="true" className="shrink-0">
			{lamps.map((p, i) => (
				<g key={p}>
					<circle
						cx={17 + i * 35}
						cy="17"
						r="11"
						fill={shown[p] === 'lit' ? 'currentColor' : 'none'}
						stroke="currentColor"
						strokeWidth="2.500"
					/>
					{shown[p] === 'lit' &&
						[0, 60, 120, 180, 240, 300].map((a) => (
							<line
								key={a}
								x1={17 + i * 35 + 13 * Math.cos((a * Math.PI) / 180)}
								y1={17 + 13 * Math.sin((a * Math.PI) / 180)}
								x2={17 + i * 35 + 16.5 * Math.cos((a * Math.PI) / 180)}
								y2={17 + 16.5 * Math.sin((a * Math.PI) / 180)}
								stroke="currentColor"
								strokeWidth="2.500"
							/>
						))}
				</g>
			))}
		</svg>
	);
}

import type { Delta as DeltaValue, Side } from '../api/client';
import { between, type Corner, corners, cornersOf, describe, type Place, sides, wave } from './shape';

interface Props {
	delta: DeltaValue | undefined;
	cx: number;
	cy: number;
	r: number;
}

/** A side: heavy for line voltage, broken for a ghost or a dip, wavy for over-voltage, nothing for nothing. */
function SideLine({ is, a, b, r }: { is: Side | undefined; a: Place; b: Place; r: number }) {
	const [[x1, y1], [x2, y2]] = between(a, b, r > 60 ? 0.32 * r : Math.max(5, 0.22 * r));
	const ends = { x1, y1, x2, y2 };
	const heavy = r > 60 ? 12 : Math.max(4.2, r * 0.19);
	switch (is) {
		case 'line':
			return <line {...ends} stroke="var(--ink)" strokeWidth={heavy} strokeLinecap="round" />;
		case 'ghost':
			return (
				<line
					{...ends}
					stroke="var(--ink)"
					strokeWidth={Math.max(1.8, heavy / 3)}
					strokeDasharray={`${heavy * 0.9} ${heavy * 0.8}`}
				/>
			);
		case 'over':
			return (
				<path
					d={wave([x1, y1], [x2, y2], heavy * 0.7)}
					fill="none"
					stroke="var(--ink)"
					strokeWidth={heavy * 0.75}
					strokeLinecap="round"
				/>
			);
		case 'none':
			return null;
		default:
			return (
				<line
					{...ends}
					stroke="var(--hair)"
					strokeWidth={Math.max(1.3, heavy / 5)}
					strokeDasharray={`${heavy / 5} ${heavy * 0.9}`}
					strokeLinecap="round"
				/>
			);
	}
}

/** The delta as part of a drawing. */
export function DeltaMark({ delta, cx, cy, r }: Props) {
	const at = cornersOf(cx, cy, r);
	const read = delta !== undefined;
	return (
		<g>
			{sides.map((s) => (
				<SideLine key={s.key} is={delta?.[s.key]} a={at[s.ends[0]]} b={at[s.ends[1]]} r={r} />
			))}
			{corners.map((c) => {
				const [x, y] = at[c.letter as Corner];
				const live = delta?.live?.includes(c.key);
				if (live) {
					return (
						<circle
							key={c.key}
							cx={x}
							cy={y}
							r={Math.max(4.4, r * 0.26)}
							fill="var(--sheet)"
							stroke="var(--ink)"
							strokeWidth={Math.max(2.6, r * 0.13)}
						/>
					);
				}
				return (
					<circle key={c.key} cx={x} cy={y} r={Math.max(2.2, r * 0.12)} fill={read ? 'var(--ink)' : 'var(--hair)'} />
				);
			})}
		</g>
	);
}

/** The delta by itself. */
export function Delta({ delta, size = 44 }: { delta: DeltaValue | undefined; size?: number }) {
	return (
		<svg
			width={size}
			height={size * 0.92}
			viewBox="0 0 44 40"
			role="img"
			aria-label={describe(delta)}
			className="shrink-0 overflow-visible"
		>
			<DeltaMark delta={delta} cx={22} cy={23} r={17} />
		</svg>
	);
}

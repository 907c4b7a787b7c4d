import type { BentConduit, NewRunPlan } from '../api/client';
import { measure } from '../ui/units';

/** Every bend of the run: what it looks like, and where the straight conduit is marked. */
export function Bends({ plan }: { plan: NewRunPlan }) {
	const all = plan.stretches.flatMap((s) =>
		s.legs.flatMap((leg) => (leg.pipe?.bent ?? []).map((bent) => ({ bent, outlet: s.outlet, pipe: leg.pipe }))),
	);
	if (all.length === 0) return null;
	return (
		<section aria-label="Bends" className="grid gap-4">
			<h2 className="m-0 border-b-2 border-ink text-base font-bold">Bends, with their marks</h2>
			{all.map(({ bent, outlet, pipe }, i) => (
				// biome-ignore lint/suspicious/noArrayIndexKey: bends have no names, and keep their order
				<figure key={i} className="m-0 grid gap-1 border-b border-rule pb-3">
					<figcaption>
						<b>{bent.name}</b>{' '}
						<span className="text-soft">
							to {plan.boxes.find((b) => b.outlet === outlet)?.label}, {pipe?.kind.toUpperCase()} {pipe?.size} in
						</span>
					</figcaption>
					<Shape bent={bent} />
					<p className="m-0">
						<span className="mono">{bent.working}.</span> {bent.how}
					</p>
				</figure>
			))}
			<p className="m-0 text-soft">
				Distances by trigonometry, to the sixteenth; the figures that are printed on benders round. A bender's own
				take-up is marked on it.
			</p>
		</section>
	);
}

const width = 460;
const edge = 34;
/** To the right of the bend stands how high it is. */
const gutter = 74;

/** The bend from the side, and the stick under it with its marks from the measured end. */
function Shape({ bent }: { bent: BentConduit }) {
	const spread = Math.max(...bent.path.map((p) => p.x), 1);
	const tall = Math.max(...bent.path.map((p) => p.y), 1);
	const scale = Math.min((width - edge - gutter) / spread, 110 / tall);
	const at = (p: { x: number; y: number }): [number, number] => [edge + p.x * scale, 14 + (tall - p.y) * scale];
	const points = bent.path.map((p) =>
		at(p)
			.map((v) => v.toFixed(1))
			.join(' '),
	);
	const ground = 14 + tall * scale;
	const last = Math.max(...bent.marks.map((m) => m.atIn), 1);
	const stick = ground + 58;
	const along = (inches: number) => edge + (inches / (last * 1.15)) * (width - 2 * edge);
	const said = (inches: number) => `${fraction(inches)} in`;
	const metric = measure('in').unit !== 'in';
	const shown = (inches: number) => (metric ? measure('in').said(inches) : said(inches));
	return (
		<svg
			viewBox={`0 0 ${width} ${stick + 48}`}
			className="w-full max-w-xl"
			role="img"
			aria-label={`${bent.name}; marks at ${bent.marks.map((m) => shown(m.atIn)).join(' and ')}`}
		>
			<path d={`M${points.join('L')}`} fill="none" stroke="var(--ink)" strokeWidth="13" strokeLinejoin="round" />
			<path d={`M${points.join('L')}`} fill="none" stroke="var(--sheet)" strokeWidth="8" strokeLinejoin="round" />
			{bent.heightIn !== undefined && bent.heightIn > 0 && (
				<g>
					<path
						d={`M${width - 22} ${ground}V${ground - bent.heightIn * scale}M${width - 27} ${ground}h10M${width - 27} ${ground - bent.heightIn * scale}h10`}
						stroke="var(--soft)"
						strokeWidth="1.500"
					/>
					<text
						x={width - 30}
						y={ground - (bent.heightIn * scale) / 2 + 5}
						textAnchor="end"
						className="fill-ink text-[15px] font-bold"
					>
						{shown(bent.heightIn)}
					</text>
				</g>
			)}
			<g>
				<rect
					x={edge}
					y={stick - 6}
					width={width - 2 * edge}
					height="12"
					fill="var(--sheet)"
					stroke="var(--ink)"
					strokeWidth="2"
				/>
				<path d={`M${edge} ${stick - 12}v24`} stroke="var(--ink)" strokeWidth="3" />
				<text x={edge} y={stick - 18} textAnchor="middle" className="fill-soft text-[13px]">
					end
				</text>
				{bent.marks.map((m, i) => (
					<g key={m.words}>
						<path d={`M${along(m.atIn)} ${stick - 11}v22`} stroke="var(--accent)" strokeWidth="3" />
						<text
							x={along(m.atIn)}
							y={i % 2 ? stick - 18 : stick + 28}
							textAnchor="middle"
							className="fill-ink text-[15px] font-bold"
						>
							{shown(m.atIn)}
						</text>
						<text
							x={along(m.atIn)}
							y={i % 2 ? stick - 34 : stick + 43}
							textAnchor="middle"
							className="fill-soft text-[13px]"
						>
							{m.words}
						</text>
					</g>
				))}
			</g>
		</svg>
	);
}

/** Inches to the sixteenth, as they stand on a rule. */
export function fraction(inches: number): string {
	const sixteenths = Math.round(inches * 16);
	const whole = Math.floor(sixteenths / 16);
	let [over, under] = [sixteenths % 16, 16];
	while (over > 0 && over % 2 === 0) {
		over /= 2;
		under /= 2;
	}
	if (over === 0) return String(whole);
	return whole ? `${whole} ${over}/${under}` : `${over}/${under}`;
}

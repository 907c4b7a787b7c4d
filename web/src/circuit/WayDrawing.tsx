import type { LaidLeg, NewRunPlan } from '../api/client';
import { feet } from '../ui/words';

/** The way as it is laid, from where the run begins to each outlet: what it goes through, and how much of that. */
export function WayDrawing({ plan, pick }: { plan: NewRunPlan; pick: (outlet: string) => void }) {
	const name = (id: string) =>
		id === 'panel' ? 'Panel' : (plan.boxes.find((b) => b.outlet === id)?.label ?? plan.there?.label ?? id);
	return (
		<ol className="m-0 grid list-none gap-3 p-0" aria-label="The way">
			{plan.stretches.map((s, n) => {
				const box = plan.boxes.find((b) => b.outlet === s.outlet);
				const guard = plan.guarded.find((g) => g.outlet === s.outlet);
				return (
					<li key={s.outlet} className="flex items-stretch">
						<div className="grid w-18 shrink-0 content-start wide:w-28">
							<Node root={s.from === 'panel'} />
							{/* On a phone it stands in the line above, where it is the outlet before. */}
							<span
								className={`pr-2 text-soft hyphens-auto ${plan.stretches[n - 1]?.outlet === s.from ? 'max-wide:sr-only' : ''}`}
							>
								{name(s.from)}
							</span>
						</div>
						<ol className="m-0 flex min-w-0 grow list-none flex-wrap gap-y-2 p-0">
							{s.legs.map((leg, i) => (
								<li
									// biome-ignore lint/suspicious/noArrayIndexKey: legs have no names, and keep their order
									key={i}
									className="min-w-34 basis-34"
									style={{ flexGrow: Math.max(leg.feet, 4) }}
								>
									<Through leg={leg} />
									<p className="m-0 pr-2 leading-tight">
										<b>{feet(leg.feet)}</b> {words[leg.by]}
										<span className="block text-soft">{counts(leg)}</span>
									</p>
								</li>
							))}
						</ol>
						<button
							type="button"
							onClick={() => pick(s.outlet)}
							className="grid min-h-11 w-24 shrink-0 content-start text-left wide:w-44"
						>
							<Node end gfci={guard?.device} />
							<span className="wrap-anywhere">
								<b className="block leading-tight">{name(s.outlet)}</b>
								<span className="block leading-tight text-soft">
									{box?.box.device?.amps} A{' '}
									{box?.box.device?.kind === 'receptacle' ? 'duplex' : box?.box.device?.kind.toUpperCase()}
								</span>
							</span>
						</button>
					</li>
				);
			})}
		</ol>
	);
}

const words: Record<LaidLeg['by'], string> = {
	'open-joists': 'open joists',
	attic: 'attic',
	'crawl-space': 'crawl space',
	'finished-wall': 'finished wall',
	surface: 'surface',
	masonry: 'masonry',
};

/** What has to be made on the leg, in a few figures. */
function counts(leg: LaidLeg): string {
	const parts = [];
	const many = (n: number | undefined, one: string) => n && parts.push(`${n} ${one}${n > 1 ? 's' : ''}`);
	if (leg.pipe)
		parts.push(`${leg.pipe.kind.toUpperCase()} ${leg.pipe.size} in, ${Math.round(100 * leg.pipe.fill)} % full`);
	many(leg.holes, 'hole');
	many(leg.guards, 'plate');
	many(leg.fasteners?.length, leg.pipe ? 'strap' : 'staple');
	many(leg.pipe?.bent.length, 'bend');
	return parts.join(', ') || 'fished';
}

/** A stop of the run: filled where the power comes from, a gate where a GFCI hangs. */
function Node({ root, end, gfci }: { root?: boolean; end?: boolean; gfci?: boolean }) {
	return (
		<svg width="100%" height="44" className="block h-11" aria-hidden="true">
			{/* The run goes on to the right of what it comes from, and ends in what it leads to. */}
			<line x1={end ? '0' : '20'} x2={end ? '30' : '100%'} y1="22" y2="22" stroke="var(--ink)" strokeWidth="4" />
			{root ? (
				<rect x="2" y="6" width="20" height="32" fill="var(--ink)" />
			) : (
				<>
					<rect x="18" y="8" width="24" height="28" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="3" />
					{gfci && <path d="M30 12V32M24 22H36" stroke="var(--accent)" strokeWidth="3.500" />}
				</>
			)}
		</svg>
	);
}

/** What the leg goes through, drawn across its length. */
function Through({ leg }: { leg: LaidLeg }) {
	const id = `through-${leg.by}${leg.across ? '-across' : ''}`;
	return (
		<svg width="100%" height="44" className="block" aria-hidden="true">
			<defs>
				<pattern
					id={id}
					width={leg.by === 'masonry' ? 28 : 16}
					height={leg.by === 'masonry' ? 22 : 44}
					patternUnits="userSpaceOnUse"
				>
					<Stuff by={leg.by} across={leg.across} />
				</pattern>
			</defs>
			<rect width="100%" height="44" fill={`url(#${id})`} />
			{leg.pipe ? (
				<>
					<rect y="16" width="100%" height="12" fill="var(--sheet)" />
					<line x1="0" x2="100%" y1="16" y2="16" stroke="var(--ink)" strokeWidth="2" />
					<line x1="0" x2="100%" y1="28" y2="28" stroke="var(--ink)" strokeWidth="2" />
					<line x1="0" x2="100%" y1="22" y2="22" stroke="var(--ink)" strokeWidth="2" strokeDasharray="7 4" />
				</>
			) : (
				<line x1="0" x2="100%" y1="22" y2="22" stroke="var(--ink)" strokeWidth="4" />
			)}
		</svg>
	);
}

function Stuff({ by, across }: { by: LaidLeg['by']; across?: boolean }) {
	const line = { stroke: 'var(--hair)', strokeWidth: 2, fill: 'none' };
	switch (by) {
		case 'open-joists':
			return across ? <path d="M4 2V42M10 2V42" {...line} /> : <path d="M0 30H16M0 38H16" {...line} />;
		case 'attic':
			return across ? <path d="M4 26V42M10 26V42" {...line} /> : <path d="M0 10L16 2M0 40H16" {...line} />;
		case 'crawl-space':
			return <path d="M0 4H16M3 40L6 36M11 40L14 36" {...line} />;
		case 'finished-wall':
			return <path d="M0 4H16M0 40H16M0 16L12 4M4 40L16 28" {...line} />;
		case 'masonry':
			return <path d="M0 1H28M0 12H28M7 1V12M21 12V22" {...line} />;
		default:
			return <path d="M0 38H16" {...line} />;
	}
}

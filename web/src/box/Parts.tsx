import type { Material, OpenedBox } from '../api/client';
import { shelves } from './shelves';

const dollars = (n: number) => `$${n.toFixed(2)}`;

/** A marking of a device is said by its number in the box, or alone where there is one. */
function ofDevice(opened: OpenedBox, marking: string): string {
	const devices = [opened.box.device, ...(opened.box.others ?? [])];
	const n = devices.findIndex((v) => v && marking.startsWith(`${v.id}: `));
	if (n < 0) return marking;
	const words = marking.slice(marking.indexOf(': ') + 2);
	return devices.length > 1 ? `device ${n + 1}: ${words}` : words;
}

/** What is used, as it is bought and as it is carried, by the shelves of the van. */
export function Materials({ materials }: { materials: Material[] }) {
	const rest = materials.filter((m) => !shelves.some((g) => g.key === m.group));
	const all = [...shelves, ...(rest.length > 0 ? [{ key: undefined, words: 'Other' }] : [])];
	const sum = materials.reduce((total, m) => total + (m.price ?? 0), 0);
	return (
		<>
			{materials.length === 0 && <p className="m-0">Nothing is planned yet, so nothing is used.</p>}
			{all.map((g) => {
				const items = materials.filter((m) => m.group === g.key || (!g.key && rest.includes(m)));
				if (items.length === 0) return null;
				return (
					<section key={g.words} aria-label={g.words}>
						<h2 className="m-0 border-b-2 border-ink text-base font-bold">{g.words}</h2>
						<ul className="m-0 list-none p-0">
							{items.map((m) => (
								<li key={m.code ?? m.item} className="flex gap-3 border-b border-rule py-1.5">
									<span className="mono w-18 shrink-0 text-right whitespace-nowrap">
										{Math.round(m.count * 10) / 10}
										{m.unit && ` ${m.unit}`}
									</span>
									<span className="grow">{m.item}</span>
									{g.key !== 'tool' && m.price !== undefined && (
										<span className="mono shrink-0 text-soft">{dollars(m.price)}</span>
									)}
								</li>
							))}
						</ul>
					</section>
				);
			})}
			{sum > 0 && (
				<p className="m-0 flex border-t-2 border-ink pt-1">
					<b className="grow">Parts, at the prices of the house</b>
					<b className="mono">{dollars(sum)}</b>
				</p>
			)}
		</>
	);
}

/** What the plan of a box uses, with what stands on its plates; prices are those of the house. */
export function Parts({ opened }: { opened: OpenedBox }) {
	const plan = opened.plan;
	return (
		<div className="grid gap-4">
			<Materials materials={plan.materials} />
			{plan.markings.length > 0 && (
				<div>
					<h2 className="m-0 text-base font-bold">Markings on the plates</h2>
					<ul className="m-0 list-none p-0">
						{plan.markings.map((m) => (
							<li key={m}>{ofDevice(opened, m)}</li>
						))}
					</ul>
				</div>
			)}
			<div>
				<h2 className="m-0 text-base font-bold">Choices of the house</h2>
				<ul className="m-0 list-none p-0 text-soft">
					{plan.choices.map((c) => (
						<li key={c} className="py-0.5">
							{c}
						</li>
					))}
				</ul>
			</div>
		</div>
	);
}

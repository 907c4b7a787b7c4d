import { type FormEvent, useState } from 'react';
import type { Have } from '../api/client';
import { useHouse } from '../api/hooks';
import { newID } from '../api/newID';
import { useAddStock, useStock } from '../api/shop';
import { Button, field } from '../ui/Button';
import { Page, Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { useTyped } from '../ui/typed';
import { numberIn } from '../ui/words';

/** What the vans carry. Make-ups take from it by themselves. */
export function VansScreen() {
	const stock = useStock();
	const vans = [...new Set(stock.data?.map((h) => h.van))];
	return (
		<Page title="Vans" under="Make-ups take what they use up from the first van by themselves">
			<Problem error={stock.error} again={() => stock.refetch()} />
			<div className="grid gap-8 wide:grid-cols-2">
				{vans.map((van) => (
					<Part key={van} title={van}>
						<ul className="m-0 grid list-none p-0">
							{stock.data
								?.filter((h) => h.van === van)
								.map((h) => (
									<Item key={`${h.item} ${h.unit}`} have={h} />
								))}
						</ul>
					</Part>
				))}
				<Load vans={vans} />
			</div>
		</Page>
	);
}

/** So many, with the unit. */
export function counted(count: number, unit: string): string {
	const n = Math.round(count * 10) / 10;
	return unit ? `${n} ${unit}` : `${n}`;
}

function Item({ have }: { have: Have }) {
	const add = useAddStock();
	const move = (count: number) => add.mutate({ ...have, id: newID(), count });
	return (
		<li className="flex flex-wrap items-center gap-x-3 border-b border-rule">
			<span className="min-w-0 grow py-1">{have.item}</span>
			<b className={`mono text-lg ${have.count < 0 ? 'underline decoration-wavy underline-offset-4' : ''}`}>
				{have.count < 0 ? `${counted(-have.count, have.unit)} short` : counted(have.count, have.unit)}
			</b>
			<span className="flex">
				<Button kind="quiet" aria-label={`One ${have.item} less`} disabled={add.isPending} onClick={() => move(-1)}>
					−
				</Button>
				<Button kind="quiet" aria-label={`One ${have.item} more`} disabled={add.isPending} onClick={() => move(1)}>
					+
				</Button>
			</span>
			<Problem error={add.error} />
		</li>
	);
}

function Load({ vans }: { vans: string[] }) {
	const add = useAddStock();
	const house = useHouse();
	const catalogue = [
		...(house.data?.prices.filter((p) => p.group) ?? []),
		...(house.data?.items.map((i) => ({ key: i.code, words: i.words, unit: i.unit || 'each' })) ?? []),
	];
	const [van, setVan] = useState('');
	const [item, setItem, take] = useTyped();
	const [count, setCount] = useState('');
	const [unit, setUnit] = useState('');
	const submit = (e: FormEvent) => {
		e.preventDefault();
		take((item) =>
			add.mutateAsync({ id: newID(), van: van || (vans[0] ?? 'Van 1'), item, unit, count: numberIn(count) }),
		);
		setCount('');
	};
	return (
		<Part title="Load a van">
			<form onSubmit={submit} aria-label="Load a van" className="grid gap-3">
				<label className="grid gap-1 text-soft">
					van
					<input
						className={field}
						list="vans"
						placeholder={vans[0] ?? 'Van 1'}
						value={van}
						onChange={(e) => setVan(e.target.value)}
					/>
					<datalist id="vans">
						{vans.map((v) => (
							<option key={v} value={v} />
						))}
					</datalist>
				</label>
				<label className="grid gap-1 text-soft">
					part
					<input
						className={field}
						list="catalogue"
						placeholder="as the catalogue has it"
						value={item}
						onChange={(e) => {
							setItem(e.target.value);
							const known = catalogue.find((p) => p.words === e.target.value);
							if (known) setUnit(known.unit === 'each' ? '' : known.unit);
						}}
					/>
					<datalist id="catalogue">
						{catalogue.map((p) => (
							<option key={p.key} value={p.words} />
						))}
					</datalist>
				</label>
				<div className="grid grid-cols-2 gap-3">
					<label className="grid gap-1 text-soft">
						how many
						<input
							className={`${field} mono`}
							inputMode="decimal"
							value={count}
							onChange={(e) => setCount(e.target.value)}
						/>
					</label>
					<label className="grid gap-1 text-soft">
						unit, for lengths
						<input className={field} placeholder="ft" value={unit} onChange={(e) => setUnit(e.target.value)} />
					</label>
				</div>
				<Button type="submit" disabled={!item.trim() || Number.isNaN(numberIn(count))}>
					Put it on
				</Button>
				<Problem error={add.error} />
			</form>
		</Part>
	);
}

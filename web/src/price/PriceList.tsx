import { useState } from 'react';
import type { PriceList as List } from '../api/client';
import { usePrices, useSetPrices } from '../api/day';
import { shelves } from '../box/shelves';
import { Button, field } from '../ui/Button';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { numberIn } from '../ui/words';
import { centsIn } from './words';

const kinds = [
	{ key: 'part', words: 'parts' },
	{ key: 'labour', words: 'labour' },
	{ key: 'task', words: 'tasks at a fixed price' },
	{ key: 'call-out', words: 'call-out' },
] as const;

/** What the shop charges: on quotes and invoices, beside what things cost it. */
export function PriceListPart() {
	const list = usePrices();
	const set = useSetPrices();
	if (!list.data) return <Problem error={list.error} again={() => list.refetch()} />;
	return <Loaded key={JSON.stringify(list.data)} list={list.data} set={set} />;
}

const cash = (cents: number | undefined) => (cents === undefined ? '' : (cents / 100).toFixed(2));
const share = (basis: number | undefined) => (basis === undefined ? '' : String(basis / 100));
const basisIn = (typed: string) => Math.round(numberIn(typed) * 100);

function Loaded({ list, set }: { list: List; set: ReturnType<typeof useSetPrices> }) {
	const [wrong, setWrong] = useState<Error | null>(null);
	const [now, setNow] = useState({
		name: list.seller.name,
		address: list.seller.address ?? '',
		taxId: list.seller.taxId ?? '',
		country: list.seller.country ?? '',
		currency: list.currency ?? 'USD',
		callOut: cash(list.callOut),
		hour: cash(list.hour),
		by: list.by ?? 'minute',
		step: String(list.step ?? 1),
		days: String(list.days ?? 30),
		number: list.number ?? '',
	});
	const [markup, setMarkup] = useState<Record<string, string>>(
		Object.fromEntries(['', ...shelves.map((s) => s.key)].map((k) => [k, share(list.markup?.[k])])),
	);
	const [tax, setTax] = useState<Record<string, string>>(
		Object.fromEntries(kinds.map((k) => [k.key, share(list.tax?.[k.key])])),
	);
	const [tasks, setTasks] = useState((list.tasks ?? []).map((t) => ({ ...t, cents: cash(t.cents) })));
	const [discounts, setDiscounts] = useState((list.discounts ?? []).map((d) => ({ ...d, basis: share(d.basis) })));
	const put = (key: keyof typeof now) => (e: { target: { value: string } }) =>
		setNow({ ...now, [key]: e.target.value });
	const text = (words: string, key: keyof typeof now, wide = 'w-64') => (
		<label className="grid max-w-full min-w-0 gap-1 text-soft">
			{words}
			<input className={`${field} ${wide}`} value={now[key]} onChange={put(key)} />
		</label>
	);
	const save = () => {
		const amount = (words: string, typed: string) => {
			const cents = centsIn(typed);
			if (Number.isNaN(cents)) throw new Error(`${words}: “${typed}” is no amount`);
			return cents;
		};
		const shares = (of: Record<string, string>) =>
			Object.fromEntries(
				Object.entries(of)
					.filter(([, typed]) => typed.trim() !== '')
					.map(([key, typed]) => {
						if (Number.isNaN(basisIn(typed))) throw new Error(`${key || 'all others'}: “${typed}” is no share`);
						return [key, basisIn(typed)];
					}),
			);
		try {
			setWrong(null);
			set.mutate({
				seller: {
					name: now.name,
					address: now.address || undefined,
					taxId: now.taxId || undefined,
					country: now.country || undefined,
				},
				currency: now.currency,
				callOut: amount('call-out', now.callOut),
				hour: amount('an hour', now.hour),
				by: now.by,
				step: Math.round(numberIn(now.step)) || 1,
				days: Math.round(numberIn(now.days)) || 30,
				number: now.number,
				markup: shares(markup),
				tax: shares(tax),
				tasks: tasks.filter((t) => t.words.trim()).map((t) => ({ ...t, cents: amount(t.words, t.cents) })),
				discounts: discounts.filter((d) => d.name.trim()).map((d) => ({ ...d, basis: basisIn(d.basis) })),
			});
		} catch (e) {
			setWrong(e as Error);
		}
	};
	return (
		<form
			aria-label="Price list"
			className="grid grid-cols-[minmax(0,1fr)] gap-6"
			onSubmit={(e) => {
				e.preventDefault();
				save();
			}}
		>
			<Part title="What is charged">
				<div className="flex flex-wrap gap-x-6 gap-y-3">
					{text('call-out', 'callOut', 'w-28 text-right mono')}
					{text('labour, an hour', 'hour', 'w-28 text-right mono')}
					<label className="grid gap-1 text-soft">
						labour is charged
						<select className={field} value={now.by} onChange={put('by')}>
							<option value="minute">by the minute</option>
							<option value="task">by task, where one is chosen</option>
						</select>
					</label>
					{text('minutes rounded up to', 'step', 'w-20 text-right mono')}
					{text('currency', 'currency', 'w-20')}
					{text('a quote holds, days', 'days', 'w-20 text-right mono')}
					{text('before invoice numbers', 'number', 'w-28')}
				</div>
				<Shares
					title="Put on the cost of parts, in percent"
					rows={[{ key: '', words: 'all others' }, ...shelves.filter((s) => s.key !== 'tool')]}
					typed={markup}
					set={setMarkup}
				/>
				<Shares title="Tax, in percent" rows={kinds} typed={tax} set={setTax} />
			</Part>
			<Part title="Tasks at a fixed price">
				{tasks.map((t, i) => (
					<div key={t.code} className="flex flex-wrap items-center gap-3">
						<input
							aria-label={`Task ${i + 1}`}
							className={`${field} grow`}
							value={t.words}
							onChange={(e) => setTasks(tasks.map((x, k) => (k === i ? { ...x, words: e.target.value } : x)))}
						/>
						<input
							aria-label={`Price of task ${i + 1}`}
							className={`${field} mono w-28 text-right`}
							inputMode="decimal"
							value={t.cents}
							onChange={(e) => setTasks(tasks.map((x, k) => (k === i ? { ...x, cents: e.target.value } : x)))}
						/>
						<Button kind="quiet" onClick={() => setTasks(tasks.filter((_, k) => k !== i))}>
							out
						</Button>
					</div>
				))}
				<Button
					kind="quiet"
					className="justify-self-start"
					onClick={() => setTasks([...tasks, { code: `task-${Date.now().toString(36)}`, words: '', cents: '' }])}
				>
					One more task
				</Button>
			</Part>
			<Part title="Discounts">
				{discounts.map((d, i) => (
					// biome-ignore lint/suspicious/noArrayIndexKey: they are named as they are typed
					<div key={i} className="flex flex-wrap items-center gap-3">
						<input
							aria-label={`Discount ${i + 1}`}
							className={`${field} grow`}
							value={d.name}
							onChange={(e) => setDiscounts(discounts.map((x, k) => (k === i ? { ...x, name: e.target.value } : x)))}
						/>
						<label className="flex items-center gap-1 text-soft">
							<input
								aria-label={`Share of discount ${i + 1}`}
								className={`${field} mono w-24 text-right`}
								inputMode="decimal"
								value={d.basis}
								onChange={(e) => setDiscounts(discounts.map((x, k) => (k === i ? { ...x, basis: e.target.value } : x)))}
							/>
							%
						</label>
						<Button kind="quiet" onClick={() => setDiscounts(discounts.filter((_, k) => k !== i))}>
							out
						</Button>
					</div>
				))}
				<Button
					kind="quiet"
					className="justify-self-start"
					onClick={() => setDiscounts([...discounts, { name: '', basis: '' }])}
				>
					One more discount
				</Button>
			</Part>
			<Part title="Who sells">
				<div className="flex flex-wrap gap-x-6 gap-y-3">
					{text('name', 'name')}
					{text('address', 'address', 'w-80 max-w-full')}
					{text('tax number', 'taxId', 'w-40')}
					{text('country, two letters', 'country', 'w-28')}
				</div>
			</Part>
			<Problem error={wrong ?? set.error} />
			<div className="flex items-center gap-3">
				<Button kind="main" type="submit" disabled={set.isPending}>
					Keep the price list
				</Button>
				{set.isSuccess && <span role="status">Kept.</span>}
			</div>
		</form>
	);
}

interface SharesProps {
	title: string;
	rows: readonly { key: string; words: string }[];
	typed: Record<string, string>;
	set: (typed: Record<string, string>) => void;
}

/** Shares in percent, one a row. */
function Shares({ title, rows, typed, set }: SharesProps) {
	return (
		<fieldset className="m-0 flex flex-wrap gap-x-6 gap-y-3 border-0 p-0">
			<legend className="p-0 pb-1 font-bold">{title}</legend>
			{rows.map((row) => (
				<label key={row.key} className="grid gap-1 text-soft">
					{row.words.toLowerCase()}
					<input
						className={`${field} mono w-24 text-right`}
						inputMode="decimal"
						value={typed[row.key] ?? ''}
						onChange={(e) => set({ ...typed, [row.key]: e.target.value })}
					/>
				</label>
			))}
		</fieldset>
	);
}

import { type ReactNode, useEffect, useRef, useState } from 'react';
import { field } from './Button';
import { measure } from './units';
import { numberIn } from './words';

interface PickProps<T> {
	words: string;
	value: T | undefined;
	of: readonly { value: T; words: string }[];
	save: (value: T) => void;
	/** The words stand over it, not before it. */
	over?: boolean;
}

/** One of a few, in one tap. */
export function Pick<T extends string | number | boolean>({ words, value, of, save, over }: PickProps<T>) {
	return (
		<fieldset className="m-0 flex flex-wrap items-center gap-1.5 border-0 p-0">
			<legend className={over ? 'mb-1 p-0' : 'float-left mr-1 w-24 shrink-0 p-0 text-soft'}>{words}</legend>
			{of.map((o) => (
				<button
					key={String(o.value)}
					type="button"
					aria-pressed={value === o.value}
					onClick={() => save(o.value)}
					className="min-h-11 min-w-11 border-2 border-hair px-2.5 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
				>
					{o.words}
				</button>
			))}
		</fieldset>
	);
}

export const yesNo = [
	{ value: true, words: 'yes' },
	{ value: false, words: 'no' },
] as const;

/** What is typed is saved when it is left, a moment after the last key, and when it goes. */
function useTyped(from: string, enter: (typed: string) => void) {
	const [typed, setTyped] = useState(from);
	const latest = useRef({ typed: from, from, enter });
	latest.current = { typed, from, enter };
	useEffect(() => setTyped(from), [from]);
	useEffect(() => {
		if (typed === from) return;
		const soon = setTimeout(() => latest.current.enter(typed), 1500);
		return () => clearTimeout(soon);
	}, [typed, from]);
	useEffect(() => {
		const keep = () => {
			const { typed: last, from: before, enter: save } = latest.current;
			if (last !== before) save(last);
		};
		window.addEventListener('pagehide', keep);
		return () => {
			window.removeEventListener('pagehide', keep);
			keep();
		};
	}, []);
	return [typed, setTyped, () => latest.current.enter(latest.current.typed)] as const;
}

interface NumberProps {
	words: string;
	unit: string;
	value: number | undefined;
	save: (value: number | undefined) => void;
}

/** A figure that may be left open. */
export function Figure({ words, unit: us, value, save }: NumberProps) {
	const { unit, shown, read } = measure(us);
	const [typed, setTyped, enter] = useTyped(value === undefined ? '' : String(shown(value)), (text) => {
		const v = text.trim() === '' ? undefined : numberIn(text);
		if (v !== undefined && Number.isNaN(v)) return;
		if (v !== (value === undefined ? undefined : shown(value))) save(v === undefined ? undefined : read(v));
	});
	return (
		<label className="flex items-center gap-2 text-soft">
			<span className="w-24 shrink-0">{words}</span>
			<input
				className={`${field} mono w-20 text-right`}
				inputMode="decimal"
				value={typed}
				aria-label={words}
				aria-invalid={typed.trim() !== '' && Number.isNaN(numberIn(typed))}
				onChange={(e) => setTyped(e.target.value)}
				onBlur={enter}
				onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
			/>
			{unit}
		</label>
	);
}

export function Words({ value, label, save }: { value: string; label: string; save: (v: string) => void }) {
	const [typed, setTyped, enter] = useTyped(value, (text) => text.trim() !== value && save(text.trim()));
	return (
		<label className="flex items-center gap-2 text-soft">
			<span className="w-24 shrink-0">{label}</span>
			<input
				aria-label={label}
				className={`${field} min-w-0 grow`}
				value={typed}
				onChange={(e) => setTyped(e.target.value)}
				onBlur={enter}
				onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
			/>
		</label>
	);
}

export function Part({
	id,
	title,
	more,
	children,
}: {
	id?: string;
	title: string;
	more?: ReactNode;
	children: ReactNode;
}) {
	return (
		<section id={id} className="grid scroll-mt-4 gap-2 border-t-2 border-ink pt-2" aria-label={title}>
			<h3 className="m-0 text-base font-bold">{title}</h3>
			{children}
			{more && (
				<details>
					<summary className="inline-flex min-h-11 cursor-pointer items-center underline decoration-hair underline-offset-4">
						more of it
					</summary>
					<div className="grid gap-2 pt-1">{more}</div>
				</details>
			)}
		</section>
	);
}

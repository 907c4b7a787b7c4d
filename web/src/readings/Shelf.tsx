import type { Delta as DeltaValue } from '../api/client';
import { Delta } from '../delta/Delta';

interface Choice {
	delta: DeltaValue;
	words: string;
	take: () => void;
	caption?: string;
}

interface Props {
	choices: Choice[];
	disabled: boolean;
	title: string;
	className?: string;
}

/** Whole readings ready to take with one tap, each drawn as its delta. */
export function Shelf({ choices, disabled, title, className = '' }: Props) {
	return (
		<fieldset
			className={`m-0 grid grid-cols-4 content-start gap-px border border-rule bg-rule p-0 wide:grid-cols-2 ${className}`}
		>
			<legend className="sr-only">{title}</legend>
			{choices.map((c) => (
				<button
					key={c.words}
					type="button"
					disabled={disabled}
					onClick={c.take}
					aria-label={`Enter: ${c.words}`}
					title={c.words}
					className="grid min-h-14 place-items-center content-center bg-sheet py-1 enabled:hover:bg-wash enabled:active:bg-accent"
				>
					<span aria-hidden="true" className="grid place-items-center">
						<Delta delta={c.delta} size={42} />
						{c.caption && <span className="text-sm">{c.caption}</span>}
					</span>
				</button>
			))}
		</fieldset>
	);
}

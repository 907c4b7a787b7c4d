import type { Call, Danger } from '../api/client';
import { Beside, useSpanish } from '../ui/Spanish';

interface Props {
	call: Call;
	exclude: (danger: Danger) => void;
	/** On a phone the button stands at the thumb. */
	docked?: boolean;
}

/** What can hurt stands over everything, until a reading excludes it. */
export function DangerBand({ call, exclude, docked }: Props) {
	const [spanish] = useSpanish();
	const urgent = call.diagnosis.hidden.filter((d) => d.urgent && d.name !== 'reported hazard'); // those have a band of their own
	const first = urgent[0];
	if (!first) return null;
	const [what, act, ...reason] = first.why.split('. ');
	return (
		<section role="alert" className="flex items-stretch bg-ink text-paper" aria-label="Danger">
			<i aria-hidden="true" className="stripes w-6 shrink-0 wide:w-16" />
			<div className="flex grow flex-wrap items-center gap-x-5 gap-y-2 px-4 py-2">
				<p className="m-0 min-w-60 grow basis-0">
					<b>{what}.</b> {act}. <span className="max-wide:hidden">{reason.join('. ')}</span>
					{urgent.length > 1 && ` And ${urgent.length - 1} more below.`}
					<Beside said={[first.saidWhy]} words={spanish} />
				</p>
				<button
					type="button"
					onClick={() => exclude(first)}
					className={`min-h-11 border-2 border-paper print:hidden px-4 py-1 text-left font-bold hover:bg-paper hover:text-ink ${docked ? 'max-wide:hidden' : 'max-wide:w-full'}`}
				>
					{first.do}
					<Beside said={[first.saidDo]} words={spanish} className="font-normal" />
				</button>
			</div>
		</section>
	);
}

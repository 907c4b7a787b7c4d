import { type RefObject, useEffect, useRef } from 'react';
import type { Basics, Call, Danger, Stop, Test } from '../api/client';
import { useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import type { EntryKeys } from '../readings/entries';
import { type Aim, ReadingPanel, ToolBar } from '../readings/Panel';
import { Acted, Skip } from '../suspects/Acted';
import { AdviceAct, AdviceHead, Outcomes, type useAdvice } from '../suspects/Advice';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Problem } from '../ui/Problem';
import { timeOf } from '../ui/words';
import { MoveLink } from './NextMove';

/** Whether the next move is a reading: the pad is where it is made. */
export const asksReading = ({ move }: Call) => move.kind === 'diagnose' && move.at !== undefined;

interface Props {
	call: Call;
	basics: Basics;
	stop: Stop;
	aim: Aim;
	/** The stop was picked; else what the call asks for next stands here. */
	picked: boolean;
	setAim: (aim: Aim) => void;
	follow: () => void;
	/** On along the run, to the nearest outlet not read. */
	walkOn: () => void;
	/** Both halves are read: on as before, by the advice or along the run. */
	onward: () => void;
	go: (test: Test) => void;
	exclude: (danger: Danger) => void;
	advice: ReturnType<typeof useAdvice>;
	keys: RefObject<EntryKeys | null>;
}

/**
 * What is done next, at the thumb of a phone: the pad where a reading is asked for or a stop
 * was picked, else the move by its name. On a laptop the pad stands there always, the advice beside it.
 */
export function Dock({
	call,
	basics,
	stop,
	aim,
	picked,
	setAim,
	follow,
	walkOn,
	onward,
	go,
	exclude,
	advice,
	keys,
}: Props) {
	const { move } = call;
	const reading = asksReading(call);
	const padded = picked || reading || call.drill !== undefined;
	const near = call.nearest;
	const add = useAddReading(call.id);
	const there = move.at === aim.device && move.tool === aim.tool && (move.kind === 'exclude' || move.half === aim.half);
	const elsewhere = picked && !there;
	const bar = useRef<HTMLElement>(null);
	// What the keyboard goes to in the page is never under the bar.
	useEffect(() => {
		const box = bar.current;
		if (!box) return;
		const pad = () => {
			const over = getComputedStyle(box).position === 'sticky' ? `${box.offsetHeight + 8}px` : '';
			document.documentElement.style.scrollPaddingBottom = over;
		};
		const watch = new ResizeObserver(pad);
		watch.observe(box);
		return () => {
			watch.disconnect();
			document.documentElement.style.scrollPaddingBottom = '';
		};
	}, []);
	return (
		<section
			ref={bar}
			aria-label={`Readings at ${stop.label}`}
			className="max-wide:sticky max-wide:bottom-0 max-wide:z-5 max-wide:order-9 max-wide:mt-auto max-wide:max-h-[min(75dvh,calc(100dvh-8rem))] max-wide:overflow-y-auto max-wide:border-t-2 max-wide:border-ink max-wide:bg-paper max-wide:pb-[env(safe-area-inset-bottom)] wide:border-r wide:border-rule"
		>
			{elsewhere && (
				<button
					type="button"
					onClick={follow}
					className="flex min-h-11 w-full items-center gap-2 border-b border-rule bg-wash px-4 text-left wide:hidden"
				>
					<b className="shrink-0">Next:</b> <span className="truncate">{move.words}</span>
				</button>
			)}
			<div className={padded ? 'px-4 pt-2 wide:px-5 wide:pt-3' : 'hidden px-5 pt-3 wide:block'}>
				<ReadingPanel
					call={call}
					stop={stop}
					basics={basics}
					aim={aim}
					setAim={setAim}
					onward={onward}
					add={add}
					keys={keys}
				>
					{near && near.at !== aim.device && (
						<Button kind="quiet" className="min-w-0" onClick={walkOn}>
							<span className="truncate">or on to {near.label}</span>
						</Button>
					)}
				</ReadingPanel>
			</div>
			{!padded && (
				<div className="px-4 py-3 wide:hidden">
					<MoveCard call={call} advice={advice} go={go} exclude={exclude} walkOn={walkOn} />
				</div>
			)}
			<p className="m-0 min-h-6 px-4 text-soft wide:px-5" role="status">
				{add.isPending
					? add.failureCount
						? 'Not saved yet: the server does not answer. Trying again.'
						: 'Saving'
					: add.isSuccess
						? `Saved ${timeOf(new Date().toISOString())}`
						: ''}
			</p>
			<div className="wide:hidden">
				<ToolBar aim={aim} setAim={setAim} />
			</div>
		</section>
	);
}

/** The move by its name, and the one button that does it. */
function MoveCard({ call, advice, go, exclude, walkOn }: Pick<Props, 'call' | 'advice' | 'go' | 'exclude' | 'walkOn'>) {
	if (call.drill && !call.drill.advised) return <p className="m-0">Pick an outlet on the run to put a tester on.</p>;
	if (call.move.underWay) return <Onward call={call} dock />;
	if (call.move.kind === 'exclude') return <ExcludeFirst call={call} exclude={exclude} dock />;
	const now = advice.now;
	if (!now) return <MoveLink call={call} />;
	return (
		<section aria-label="Next move" className="grid gap-3" data-next>
			<div>
				<AdviceHead now={now} level="dock" />
			</div>
			<AdviceAct call={call} now={now} go={go} />
			<span className="flex flex-wrap gap-x-3">
				<Skip call={call} test={now} />
				{call.nearest && (
					<Button kind="quiet" onClick={walkOn}>
						or on to {call.nearest.label}
					</Button>
				)}
			</span>
		</section>
	);
}

/** The way on where the work is on another screen. */
export function Onward({ call, dock }: { call: Call; dock?: boolean }) {
	const Say = dock ? 'h2' : 'p';
	return (
		<section className={dock ? '' : 'border-b-2 border-ink pb-3 max-wide:hidden'} aria-label="Next move" data-next>
			<Say className="m-0 mb-2 text-2xl/tight font-bold tracking-tight">
				{call.move.kind === 'next-call' ? 'This call is handed over.' : 'The work goes on.'}
			</Say>
			<MoveLink call={call} />
		</section>
	);
}

/** A danger that is not excluded is the next move; on a laptop it stands where the advice does. */
export function ExcludeFirst({
	call,
	exclude,
	dock,
}: {
	call: Call;
	exclude: (danger: Danger) => void;
	dock?: boolean;
}) {
	const add = useAddReading(call.id);
	const { move } = call;
	const danger = call.diagnosis.hidden.find((d) => d.urgent && d.at === move.at);
	if (!danger) return null;
	const Say = dock ? 'h2' : 'p';
	const act = move.act && call.diagnosis.next.find((t) => t.act === move.act);
	const test = act ?? call.diagnosis.next.find((t) => t.at === move.at && t.tool === move.tool);
	const skip = () =>
		add.mutate({
			id: newID(),
			reading: act
				? { tool: 'act', act: move.act, skipped: true }
				: { tool: move.tool ?? 'sensor', at: move.at, half: move.half, skipped: true },
		});
	return (
		<section
			aria-label={dock ? 'Next move' : 'Do now'}
			data-next
			className={dock ? 'grid gap-2' : 'grid gap-2 border-b-2 border-ink pb-3 max-wide:hidden'}
		>
			<p className="m-0 font-bold text-accent">Before anything else, nothing opened</p>
			<Say className="m-0 text-2xl/tight font-bold tracking-tight text-balance">{move.words}</Say>
			{act && move.why && <Caution>{move.why}</Caution>}
			<div className="flex flex-wrap items-center gap-x-4">
				{act ? (
					<Acted call={call} act={act} />
				) : (
					<Button kind="main" className="min-h-14 px-6 text-lg max-wide:w-full" onClick={() => exclude(danger)}>
						Enter it
					</Button>
				)}
				<Button kind="quiet" disabled={add.isPending} onClick={skip}>
					{act ? 'Cannot do that' : 'Cannot reach it'}
				</Button>
			</div>
			{test && <Outcomes test={test} />}
			<Problem error={add.error} />
		</section>
	);
}

import { useState } from 'react';
import { Link } from 'react-router';
import type { Box, OpenedBox, Step } from '../api/client';
import { useSetSteps } from '../api/hooks';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { HandsFree } from '../ui/HandsFree';
import { Problem } from '../ui/Problem';
import { Beside, useSpanish, Whose } from '../ui/Spanish';
import { cableWords } from './cables';
import { fedBy } from './choices';
import { TabPicture } from './TabPicture';

/** Where a shut gate is opened. */
export function ToDead({ call }: { call: number }) {
	return (
		<Link
			to={`/calls/${call}/dead`}
			className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
		>
			Prove it dead
		</Link>
	);
}

interface Props {
	call: number;
	opened: OpenedBox;
	save: (box: Box) => void;
	/** The step picked, by what it says; empty for none. */
	picked: string;
	pick: (step: string) => void;
}

/** The order of work; the step in hand lights up its wires. */
export function Steps({ call, opened, save, picked, pick }: Props) {
	const set = useSetSteps(call, opened.box.id);
	const [spanish, toggle] = useSpanish();
	const kept = set.isPending ? set.variables : opened.done;
	// What was recorded elsewhere on the call is not asked for again.
	const done = [...new Set([...kept, ...opened.ticked])];
	const steps = opened.plan.steps;
	const next = steps.find((s) => !done.includes(s.code));
	const inHand = steps.find((s) => s.code === picked) ?? next;
	const tick = (s: Step) => {
		const without = kept.filter((d) => d !== s.code);
		const now = without.length < kept.length ? without : [...kept, s.code];
		set.mutate(now);
		pick(steps.find((x) => !now.includes(x.code) && !opened.ticked.includes(x.code))?.code ?? '');
	};
	const [handsFree, setHandsFree] = useState<Step[]>([]);
	// With both hands full: from the step in hand to where the power comes on, or the list ends.
	const ahead = steps.slice(inHand ? steps.indexOf(inHand) : steps.length).filter((s) => !done.includes(s.code));
	const live = ahead.findIndex((s) => s.live);
	const readable = live < 0 ? ahead : ahead.slice(0, live);
	return (
		<>
			<Problem error={set.error} />
			{set.error && <ToDead call={call} />}
			<ol className="m-0 list-none p-0" aria-label="Steps">
				{steps.map((s, i) => {
					const current = s === inHand;
					const ticked = done.includes(s.code);
					const recorded = opened.ticked.includes(s.code) && !kept.includes(s.code);
					return (
						<li
							key={s.code}
							aria-current={current ? 'step' : undefined}
							className="grid grid-cols-[2.2rem_1fr_auto] items-start gap-2 border-b border-rule py-1 aria-[current]:bg-wash aria-[current]:outline-2 aria-[current]:outline-accent print:bg-transparent print:outline-0"
						>
							<span className="mono pt-2.5 text-center">{i + 1}</span>
							<button
								type="button"
								className="min-h-11 py-2 text-left"
								aria-expanded={current}
								onClick={() => pick(picked === s.code ? '' : s.code)}
							>
								<span className={ticked ? 'text-soft' : 'font-bold'}>{s.do}</span>
								{recorded && <span className="text-soft">, recorded</span>}
								<Beside said={s.saidDo} words={spanish} />
								{s.live && current && (
									<span className="mt-1 block">
										<b>Power on with conductors apart.</b>
									</span>
								)}
								{s.detail && (
									<span className={`${current ? 'block' : 'hidden print:block'} text-soft`}>
										{s.detail}
										<Beside said={s.saidDetail} words={spanish} />
									</span>
								)}
							</button>
							<label className="grid size-11 place-items-center print:hidden">
								<input
									type="checkbox"
									className="size-6 accent-accent"
									aria-label={`Done: ${s.do}`}
									checked={ticked}
									disabled={recorded}
									onChange={() => tick(s)}
								/>
							</label>
							{s.code === 'find-label' && (
								<div className="col-span-2 col-start-2 flex flex-wrap gap-1.5 pb-2 print:hidden">
									{opened.box.cables.map((c) => (
										<Button key={c.id} onClick={() => save({ ...opened.box, ...fedBy(opened.box, c.id) })}>
											Cable {cableWords(c).name} is the feed
										</Button>
									))}
								</div>
							)}
							{current && (s.code === 'break-tab' || s.code === 'break-tab-neutral') && (
								<div className="col-start-2">
									<TabPicture side={s.code === 'break-tab' ? 'hot' : 'neutral'} />
								</div>
							)}
						</li>
					);
				})}
			</ol>
			<div className="flex flex-wrap items-center gap-x-3 print:hidden">
				{readable.length > 1 && (
					<Button kind="quiet" onClick={() => setHandsFree(readable)}>
						Hands free
					</Button>
				)}
				{toggle}
				<Whose words={spanish} />
			</div>
			{handsFree.length > 0 && (
				<HandsFree
					title={`Make-up of ${opened.label}`}
					steps={handsFree.map((s) => ({ words: s.do, detail: s.detail }))}
					end={
						<>
							<p className="m-0 text-2xl font-bold">Were all {handsFree.length} done?</p>
							<Button
								kind="main"
								className="min-h-16 text-lg"
								disabled={set.isPending}
								onClick={() => {
									set.mutate([...kept, ...handsFree.map((s) => s.code)]);
									setHandsFree([]);
									pick('');
								}}
							>
								All done: tick them
							</Button>
							<Button className="min-h-16" onClick={() => setHandsFree([])}>
								Not all: I tick them by hand
							</Button>
						</>
					}
					close={() => setHandsFree([])}
				/>
			)}
			{steps.some((s) => s.live) && (
				<div className="mt-2">
					<Caution>
						One step has the power on while wires are apart: for a qualified person only, never where a shared neutral
						or a second circuit is possible. Everyone else stops there. Local law says who is qualified.
					</Caution>
				</div>
			)}
		</>
	);
}

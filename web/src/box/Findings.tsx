import { useState } from 'react';
import type { Box, Finding, OpenedBox } from '../api/client';
import { useAddEntry } from '../api/hooks';
import { newID } from '../api/newID';
import { useMay } from '../api/shop';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { capital } from '../ui/words';
import { ByName } from '../work/ByName';

const words = { danger: 'DANGER', must: 'MUST', should: 'SHOULD', note: 'NOTE' };

/** How much a finding weighs, and what it is. */
export function Headline({ f }: { f: Finding }) {
	return (
		<p className="m-0">
			<b
				className={`mr-2 inline-block px-1.5 ${f.severity === 'danger' || f.severity === 'must' ? 'bg-ink text-paper' : 'border border-ink'}`}
			>
				{words[f.severity]}
			</b>
			<b className="font-bold">{f.text}</b>
		</p>
	);
}

/** What stands behind a finding. */
export function Standing({ f }: { f: Finding }) {
	return (
		<span className="text-soft">{f.section ? `NEC ${f.section}, ${f.edition}. ${f.check}` : `${f.practice}.`}</span>
	);
}

interface Props {
	call: number;
	opened: OpenedBox;
	save: (box: Box) => void;
}

/**
 * The findings, the heaviest first; the numbers are those of the pins in the drawing. What
 * must be mended is said to be mended here, or left by a named person.
 */
export function Findings({ call, opened, save }: Props) {
	const { plan, box } = opened;
	if (plan.findings.length === 0) return <p className="m-0">Nothing found wrong in this box.</p>;
	const mended = box.mended ?? [];
	return (
		<ol className="m-0 list-none p-0" aria-label="Findings">
			{plan.findings.map((f, i) => (
				<li key={f.key} className="grid grid-cols-[2.2rem_1fr] gap-2 border-b border-rule py-2">
					<b className="mono pt-0.5 text-center text-lg">{i + 1}</b>
					<div>
						<Headline f={f} />
						<p className="m-0 mt-1">
							{f.cured && <b>The plan puts it right. </b>}
							{f.mended && <b>Mended: {f.mend || 'said so'}. </b>}
							{opened.accepted.includes(f.key) && <b>Left as it is, by name; it is in the report. </b>}
							{f.fix}
						</p>
						<p className="m-0">
							<Standing f={f} />
						</p>
						{!opened.madeAt && (
							<Settle
								call={call}
								opened={opened}
								f={f}
								mend={(is) => save({ ...box, mended: is ? [...mended, f.key] : mended.filter((key) => key !== f.key) })}
							/>
						)}
					</div>
				</li>
			))}
		</ol>
	);
}

interface SettleProps {
	call: number;
	opened: OpenedBox;
	f: Finding;
	mend: (is: boolean) => void;
}

/** What a finding that must be mended asks for: that it is, or a name. */
function Settle({ call, opened, f, mend }: SettleProps) {
	const accept = useAddEntry(call);
	const may = useMay('override');
	const [leaving, setLeaving] = useState(false);
	if (f.mended) {
		return (
			<Button kind="quiet" className="print:hidden" onClick={() => mend(false)}>
				It is not mended
			</Button>
		);
	}
	if (!opened.open.includes(f.key) || f.stop) return null;
	return (
		<>
			<div className="flex flex-wrap gap-2 pt-1.5 print:hidden">
				{f.mend && <Button onClick={() => mend(true)}>{capital(f.mend)}</Button>}
				{may && (
					<Button kind="quiet" aria-expanded={leaving} onClick={() => setLeaving(!leaving)}>
						Leave it, by name
					</Button>
				)}
			</div>
			{leaving && (
				<ByName
					label="Leave the finding"
					words="Leave it so and record it"
					who="who answers for it"
					busy={accept.isPending}
					error={accept.error}
					answer={(by) =>
						accept.mutate(
							{
								id: newID(),
								entry: { kind: 'accepted', box: opened.box.id, finding: f.key, text: f.text, ...by },
							},
							{ onSuccess: () => setLeaving(false) },
						)
					}
				>
					<Caution>
						A qualified person only, where local law lets it be left. It is printed in the report, with name and reason.
					</Caution>
				</ByName>
			)}
		</>
	);
}

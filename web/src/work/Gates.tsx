import { useState } from 'react';
import type { Call, Gate } from '../api/client';
import { useAddEntry } from '../api/hooks';
import { newID } from '../api/newID';
import { useMay } from '../api/shop';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { Beside, useSpanish } from '../ui/Spanish';
import { ByName } from './ByName';

const names = {
	open: 'opening the box',
	conductors: 'touching wires',
	'make-up': 'making it up',
	lay: 'the new run counts as laid',
	'hand-over': 'handing over',
};

/** Gates that no word of a person opens: what is missing is done, or its findings are taken on. */
const byFacts = (gate: Gate) => gate.gate === 'make-up' || gate.gate === 'lay';

/** A gate: open, or what is missing, and how a named person can pass it all the same. */
export function GateLine({ call, gate }: { call: Call; gate: Gate }) {
	const [passing, setPassing] = useState(false);
	const [spanish] = useSpanish();
	const mayPass = useMay('override');
	return (
		<section
			aria-label={`Gate before ${names[gate.gate]}`}
			className={`border-2 p-3 ${gate.open ? 'border-rule' : 'border-ink'}`}
		>
			<p className="m-0 flex flex-wrap items-baseline gap-x-3">
				<b className="text-lg">{gate.open ? '✓ Open' : 'Shut'}</b>
				<span>before {names[gate.gate]}</span>
				{!gate.open && mayPass && !byFacts(gate) && (
					<Button kind="quiet" className="ml-auto" onClick={() => setPassing(!passing)}>
						Pass it, with a reason
					</Button>
				)}
			</p>
			{gate.by && (
				<p className="m-0">
					<b>Passed by {gate.by.who}</b> ({gate.by.standing}): {gate.by.reason}. Recorded and printed.
				</p>
			)}
			{gate.missing.length > 0 && (
				<ul className="m-0 list-none p-0">
					{gate.missing.map((m, i) => (
						<li key={m} className="py-0.5">
							{gate.open ? 'not there: ' : 'missing: '}
							{m}
							<Beside said={gate.saidMissing.slice(i, i + 1)} words={spanish} />
						</li>
					))}
				</ul>
			)}
			{passing && !gate.open && !byFacts(gate) && <PassForm call={call} gate={gate} close={() => setPassing(false)} />}
		</section>
	);
}

function PassForm({ call, gate, close }: { call: Call; gate: Gate; close: () => void }) {
	const before = gate.gate === 'make-up' || gate.gate === 'lay' ? undefined : gate.gate;
	const add = useAddEntry(call.id);
	return (
		<ByName
			label="Pass the gate"
			words="Pass the gate and record it"
			who="who passes it"
			busy={add.isPending}
			error={add.error}
			answer={(by) =>
				add.mutate(
					{ id: newID(), entry: { kind: 'override', gate: before, box: gate.box, ...by } },
					{ onSuccess: close },
				)
			}
		>
			<Caution>
				Nobody works live for convenience. What is missing stays on the record, with your name, in the report.
			</Caution>
		</ByName>
	);
}

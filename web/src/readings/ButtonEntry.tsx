import type { Tool } from '../api/client';
import { Button } from '../ui/Button';
import { Caution } from '../ui/Caution';
import { capital } from '../ui/words';
import { useDraft } from './draft';
import { Choice, Enter, type EntryProps, useKeys } from './entries';

/** What there is at a GFCI beside its slots. */
const ofAGFCI: { tool: Tool; words: string }[] = [
	{ tool: 'device-button', words: 'its own button' },
	{ tool: 'plug-button', words: "plug tester's" },
	{ tool: 'light', words: 'its light' },
];

export function WhichOfAGFCI({ tool, setTool }: Pick<EntryProps, 'tool' | 'setTool'>) {
	return (
		<Choice
			words="Which button, or the light"
			value={ofAGFCI.find((o) => o.tool === tool)?.words ?? ''}
			choices={ofAGFCI.map((o) => o.words)}
			take={(c) => setTool(ofAGFCI.find((o) => o.words === c)?.tool ?? tool)}
		/>
	);
}

/** The plug tester's button, and a GFCI's own: what tripped. */
export function ButtonEntry({ place, call, device, tool, setTool, busy, enter, keys }: EntryProps) {
	const guards = [
		...call.stops.flatMap((s) => s.devices.filter((d) => d.kind === 'gfci').map((d) => ({ id: d.id, words: s.label }))),
		...(call.breaker.protection === 'gfci' || call.breaker.protection === 'dual'
			? [{ id: 'panel', words: 'the breaker' }]
			: []),
	];
	const own = tool === 'device-button';
	const [tripped, keep, drop] = useDraft<string[]>(`${place}.${tool}`, []);
	const take = (names: string[]) => {
		enter({ tool: own ? 'device-button' : 'plug-button', tripped: names });
		drop();
	};
	const toggle = (id: string) => keep(tripped.includes(id) ? tripped.filter((t) => t !== id) : [...tripped, id]);
	useKeys(keys, { part: (n) => guards[n] && toggle(guards[n].id), enter: () => !busy && take(tripped) });
	if (!own && device.slots === 2)
		return <p className="m-0 py-4 text-lg">No ground slot: no plug tester goes in here.</p>;
	return (
		<>
			{device.kind === 'gfci' && <WhichOfAGFCI tool={tool} setTool={setTool} />}
			{!own && (
				<Caution>
					Not where the ground is open or in doubt: the button puts over 100 V on the ground pin and all metal joined to
					it. Where there is no ground, “does not trip” proves nothing.
				</Caution>
			)}
			<p className="m-0">{guards.length ? 'What tripped?' : 'There is no GFCI on this run as it is drawn.'}</p>
			<div className="grid gap-px bg-rule">
				{guards.map((g) => (
					<button
						key={g.id}
						type="button"
						aria-pressed={tripped.includes(g.id)}
						onClick={() => toggle(g.id)}
						className="flex min-h-12 items-center justify-between bg-sheet px-3 text-left aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-paper"
					>
						{capital(g.words)} <span>{tripped.includes(g.id) ? 'tripped' : ''}</span>
					</button>
				))}
			</div>
			<div className="grid grid-cols-2 gap-3">
				<Button disabled={busy} onClick={() => take([])}>
					Nothing tripped
				</Button>
				<Enter ready={tripped.length > 0} busy={busy} enter={() => take(tripped)} />
			</div>
		</>
	);
}

import { ChevronUp } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import type { Basics, Call, Danger, Half, Test, Tool } from '../api/client';
import { useBasics, useCall, useMarkReading } from '../api/hooks';
import { useUndo } from '../api/shop';
import type { EntryKeys } from '../readings/entries';
import { ReadingList } from '../readings/List';
import { type Aim, ReadingPanel, ToolBar } from '../readings/Panel';
import { tools } from '../readings/tools';
import { Builder } from '../run/Builder';
import { PluggedIn } from '../run/PluggedIn';
import { Run } from '../run/Run';
import { StateBar } from '../run/StateBar';
import { StopEditor } from '../run/StopEditor';
import { Advice } from '../suspects/Advice';
import { ConflictBand } from '../suspects/Conflict';
import { Phone } from '../suspects/Phone';
import { Suspects } from '../suspects/Suspects';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { ago, capital, percent } from '../ui/words';
import { PicturesOf } from '../work/Pictures';
import { Before, LastTime, Reported, SetTwice, UndoButtons } from './Beside';
import { CautionsAgain, CautionsFirst } from './Cautions';
import { DangerBand } from './DangerBand';
import { useKeyboard } from './keys';
import { MoveLink } from './NextMove';
import { Phases } from './Phases';
import { Shortcuts } from './Shortcuts';

/** Moves of work that is under way: the diagnosis has had its say, and stands aside. */
const worked: string[] = ['look-in', 'make-up', 'breaker-on', 'next-call'];

/** The way on where the work is on another screen. */
function Onward({ call }: { call: Call }) {
	return (
		<section className="border-b-2 border-ink pb-3" aria-label="Next move">
			<p className="m-0 mb-2 text-2xl/tight font-bold tracking-tight">
				{call.move.kind === 'next-call' ? 'This call is handed over.' : 'The work goes on.'}
			</p>
			<MoveLink call={call} />
		</section>
	);
}

export function CallScreen() {
	const id = Number(useParams().call);
	const call = useCall(id);
	const basics = useBasics();
	useEffect(() => {
		if (call.data) document.title = `${call.data.title}, Elvat`;
	}, [call.data]);
	if (call.data && basics.data) return <Loaded call={call.data} basics={basics.data} />;
	return (
		<main className="grid gap-4 p-6">
			<h1 className="m-0 text-xl font-bold">{call.error ? 'This call cannot be shown' : 'Opening the call'}</h1>
			<Problem error={call.error ?? basics.error} again={() => call.refetch()} />
			<Link to="/" className="inline-flex min-h-11 items-center underline underline-offset-4">
				The day's calls
			</Link>
		</main>
	);
}

/** Where the next reading goes: what was proposed, else the stop picked last. */
function useAim(call: Call) {
	const [asked] = useSearchParams(); // another screen may say where and with what
	const first = call.diagnosis.next[0];
	// What is done without a tester in hand leaves the plug tester there.
	const proposed = first?.hint || first?.between ? { ...first, tool: undefined, mode: undefined } : first;
	const openIt = call.stops.find((s) => s.box === proposed?.site);
	const start = call.stops.find((s) => s.devices.some((d) => d.id === asked.get('at'))) ?? openIt;
	const [aim, setAim] = useState<Aim>({
		device: asked.get('at') ?? start?.devices[0]?.id ?? proposed?.at ?? call.stops[0]?.devices[0]?.id ?? '',
		half: (asked.get('half') as Half | null) ?? proposed?.half ?? 'top',
		tool: (asked.get('tool') as Tool | null) ?? proposed?.tool ?? 'plug',
		mode: proposed?.mode,
	});
	// A box to open is where one stands; else where the next reading is taken.
	const [box, setBox] = useState<string | null>(start?.box ?? null);
	const stop =
		call.stops.find((s) => s.box === box) ??
		call.stops.find((s) => s.devices.some((d) => d.id === aim.device)) ??
		call.stops[0] ??
		null;
	return {
		aim,
		stop,
		setAim: (next: Aim) => {
			setAim(next);
			setBox(call.stops.find((s) => s.devices.some((d) => d.id === next.device))?.box ?? box);
		},
		pick: (site: string) => {
			const at = call.stops.find((s) => s.box === site) ?? call.stops.find((s) => s.cable.id === site);
			if (!at) return;
			setBox(at.box);
			const device = at.devices[0];
			if (device && !at.devices.some((d) => d.id === aim.device)) setAim({ ...aim, device: device.id, half: 'top' });
		},
	};
}

function Loaded({ call, basics }: { call: Call; basics: Basics }) {
	const { aim, stop, setAim, pick } = useAim(call);
	const [building, setBuilding] = useState(call.stops.length === 0);
	const [help, setHelp] = useState(false);
	const [sheet, setSheet] = useState(false);
	const withdraw = useMarkReading(call.id);
	const undo = useUndo(call.id);
	const keys = useRef<EntryKeys | null>(null);
	const entry = useRef<HTMLElement>(null);
	const readable = call.cautionsReadAt !== null && stop !== null;

	const toEntry = () => {
		if (window.innerWidth < 900) entry.current?.scrollIntoView({ block: 'start' });
	};
	const go = (test: Test) => {
		setSheet(false);
		if (test.site) pick(test.site);
		if (test.do !== 'reading' || test.between || test.hint) return;
		setAim({ device: test.at ?? aim.device, half: test.half ?? 'top', tool: test.tool ?? aim.tool, mode: test.mode });
		toEntry();
	};
	const exclude = (danger: Danger) => {
		setSheet(false);
		setAim({ device: danger.at, half: 'top', tool: danger.between ? 'ohms' : (danger.tool ?? 'sensor') });
		toEntry();
	};

	useKeyboard((key) => {
		if (key === '?') setHelp(true);
		else if (key === 'r') setBuilding(!building);
		else if (!readable) return false;
		else if (key === 'ArrowRight' || key === 'ArrowLeft') {
			const i = call.stops.findIndex((s) => s.box === stop.box) + (key === 'ArrowRight' ? 1 : -1);
			const next = call.stops[i];
			if (next) pick(next.box);
		} else if (key === 't' || key === 'b') setAim({ ...aim, half: key === 't' ? 'top' : 'bottom' });
		else if (tools[Number(key) - 1]) setAim({ ...aim, tool: tools[Number(key) - 1]?.tool ?? aim.tool });
		else if (key.length === 1 && 'asd'.includes(key)) keys.current?.part('asd'.indexOf(key));
		else if (key === 'Enter') keys.current?.enter();
		else if (key === 'n' && call.diagnosis.next[0]) go(call.diagnosis.next[0]);
		else if (key === 'u' && call.undo) undo.mutate('undo');
		else if (key === 'U' && (call.redo || undo.isPending)) undo.mutate('redo');
		else if (key === 'u') {
			const newest = call.readings.find((r) => !r.withdrawn);
			if (newest) withdraw.mutate({ reading: newest.id, withdrawn: true });
		} else return false;
		return true;
	});

	return (
		<div className="flex min-h-dvh flex-col">
			<header className="flex flex-col border-b-2 border-ink wide:flex-row">
				<div className="flex min-w-0 grow items-center gap-3 py-1.5 pr-2 pl-3 wide:pl-5">
					<Link to="/" aria-label="The day's calls" className="grid size-11 shrink-0 place-items-center hover:bg-wash">
						<Mark />
					</Link>
					<div className="min-w-0 grow">
						<h1 className="m-0 truncate text-lg/tight font-bold">{call.title}</h1>
						<p className="m-0 truncate text-soft" title={call.complaint}>
							<Link to={`/book/sites/${call.site}`} className="underline decoration-hair underline-offset-4">
								{call.siteName}
							</Link>
							{': '}
							{call.complaint || ago(call.createdAt)}
						</p>
					</div>
					<ThemeButton />
				</div>
				<Phases call={call} />
			</header>
			<Reported call={call} />
			<DangerBand call={call} exclude={exclude} />
			{call.cautionsReadAt === null ? (
				<main>
					<CautionsFirst call={call} basics={basics} />
				</main>
			) : (
				<main className="flex grow flex-col">
					{call.stops.length > 0 && <Run call={call} picked={stop?.box ?? null} pick={pick} />}
					{building ? (
						<Builder
							call={call}
							basics={basics}
							picked={stop?.box ?? null}
							pick={pick}
							close={call.stops.length ? () => setBuilding(false) : undefined}
						/>
					) : (
						<Extras
							call={call}
							basics={basics}
							build={() => setBuilding(true)}
							help={() => setHelp(true)}
							className="border-y border-rule max-wide:hidden"
						/>
					)}
					{stop && (
						<div className="flex grow flex-col wide:grid wide:grid-cols-[minmax(510px,5fr)_7fr]">
							<section
								ref={entry}
								className="grid content-start gap-3 px-4 pt-3 pb-40 max-wide:order-2 wide:border-r wide:border-rule wide:px-5 wide:pb-6"
								aria-label={`Readings at ${stop.label}`}
							>
								<div className="flex flex-wrap items-baseline gap-x-3">
									<h2 className="m-0 text-2xl font-bold">{stop.label}</h2>
									<p className="m-0 text-soft">{about(call, stop.box)}</p>
									<Link
										to={`/calls/${call.id}/boxes/${stop.box}`}
										className="ml-auto inline-flex min-h-11 items-center font-bold underline decoration-hair underline-offset-4"
									>
										The opened box
									</Link>
								</div>
								<LastTime call={call} devices={stop.devices.map((d) => d.id)} />
								{building && <StopEditor key={stop.box} call={call} stop={stop} basics={basics} />}
								<div className="wide:hidden">
									<StateBar call={call} />
								</div>
								<ReadingPanel call={call} stop={stop} basics={basics} aim={aim} setAim={setAim} keys={keys} />
								<PluggedIn call={call} stop={stop} half={aim.half} />
								<h3 className="m-0 border-t-2 border-ink pt-2 text-base font-bold">Readings so far</h3>
								<ReadingList call={call} pick={pick} />
								<PicturesOf call={call} phase="as found" heading="h3" />
								{!building && (
									<Extras call={call} basics={basics} build={() => setBuilding(true)} className="wide:hidden" />
								)}
							</section>
							<div className="grid content-start gap-3 px-4 pt-3 max-wide:order-1 wide:px-6 wide:pb-6">
								<SetTwice call={call} />
								<ConflictBand call={call} />
								<Phone call={call} />
								{worked.includes(call.move.kind) ? <Onward call={call} /> : <Advice call={call} go={go} />}
								<div className="max-wide:hidden">
									<Suspects call={call} pick={pick} exclude={exclude} />
								</div>
								<Before call={call} />
							</div>
						</div>
					)}
				</main>
			)}
			{readable && (
				<footer className="fixed inset-x-0 bottom-0 z-5 border-t-2 border-ink bg-paper pb-[env(safe-area-inset-bottom)] wide:hidden">
					<Dialog.Root open={sheet} onOpenChange={setSheet}>
						<Dialog.Trigger asChild>
							<button type="button" className="flex min-h-12 w-full items-center gap-3 px-4 text-left">
								<Peek call={call} />
								<ChevronUp size={20} aria-hidden="true" className="ml-auto shrink-0" />
							</button>
						</Dialog.Trigger>
						<Dialog.Portal>
							<Dialog.Overlay className="fixed inset-0 z-10 bg-ink/60 dark:bg-paper/80" />
							<Dialog.Content
								aria-describedby={undefined}
								className="fixed inset-x-0 bottom-0 z-20 max-h-[85dvh] overflow-y-auto border-t-4 border-accent bg-paper px-4 pt-3 pb-6"
							>
								<div className="flex items-center">
									<Dialog.Title className="m-0 text-xl font-bold">Suspects</Dialog.Title>
									<Dialog.Close asChild>
										<Button kind="quiet" className="ml-auto">
											Close
										</Button>
									</Dialog.Close>
								</div>
								<Suspects call={call} pick={pick} exclude={exclude} />
							</Dialog.Content>
						</Dialog.Portal>
					</Dialog.Root>
					<ToolBar
						edge
						aim={aim}
						setAim={(next) => {
							setAim(next);
							toEntry();
						}}
					/>
				</footer>
			)}
			<Shortcuts open={help} setOpen={setHelp} />
		</div>
	);
}

interface ExtrasProps {
	call: Call;
	basics: Basics;
	build: () => void;
	help?: () => void;
	className: string;
}

/** What is wanted seldom: under the run, or at the end of a phone's page. */
function Extras({ call, basics, build, help, className }: ExtrasProps) {
	return (
		<div className={`flex flex-wrap items-center wide:px-4 ${className}`}>
			{help && (
				<div className="mr-auto">
					<StateBar call={call} />
				</div>
			)}
			<UndoButtons call={call} />
			<Button kind="quiet" onClick={build}>
				Change the run
			</Button>
			<Link
				to={`/calls/${call.id}/sweep`}
				className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
			>
				Sweep
			</Link>
			<a
				href={`/api/v1/calls/${call.id}/circuit`}
				download
				className="inline-flex min-h-11 items-center px-2 underline decoration-hair underline-offset-4"
			>
				Download
			</a>
			<CautionsAgain basics={basics} />
			{help && (
				<Button kind="quiet" onClick={help}>
					Keys ?
				</Button>
			)}
		</div>
	);
}

/** The first suspect, for the edge of a phone. */
function Peek({ call }: { call: Call }) {
	const s = call.diagnosis.suspects[0];
	if (!s) return <span>No suspects</span>;
	const where = call.stops.find((stop) => stop.box === s.site)?.label ?? (s.site === 'panel' ? 'the panel' : '');
	return (
		<span className="flex min-w-0 items-baseline gap-3">
			<b className="mono shrink-0 text-xl">{percent(s.probability)}</b>
			<span className="truncate">
				<b>{capital(s.name)}</b> {where}
			</span>
		</span>
	);
}

/** What is known of a stop without a reading. */
function about(call: Call, box: string): string {
	const stop = call.stops.find((s) => s.box === box);
	if (!stop) return '';
	const cables = stop.ends === 1 ? 'end of run' : stop.ends === 2 ? 'two cables' : `${stop.ends} cables`;
	const from = stop.from === 'panel' ? 'the panel' : (call.stops.find((s) => s.box === stop.from)?.label ?? stop.from);
	const guards = stop.protected.map((g) =>
		g === 'panel' ? 'the breaker' : (call.stops.find((s) => s.devices.some((d) => d.id === g))?.label ?? g),
	);
	const guarded = guards.length ? `, protected by the GFCI at ${guards.join(' and ')}` : '';
	const split = stop.split.length ? ', halves fed apart' : '';
	return `${cables}, ${stop.cable.awg} AWG from ${from}${stop.ground ? '' : ', no ground arrives'}${guarded}${split}`;
}

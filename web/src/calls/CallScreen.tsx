import { ChevronUp } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { type ReactNode, useEffect, useRef, useState } from 'react';
import { Link, useLocation, useParams } from 'react-router';
import type { Basics, Call, Danger, Half, Mode, Test, Tool } from '../api/client';
import { useBasics, useCall, useMarkReading } from '../api/hooks';
import { useSaving, useUndo } from '../api/shop';
import { NewRuns } from '../circuit/NewRuns';
import { Clock } from '../day/Clock';
import { Deeds } from '../drill/Deeds';
import { DrillBar } from '../drill/DrillBar';
import type { EntryKeys } from '../readings/entries';
import { ReadingList } from '../readings/List';
import type { Aim } from '../readings/Panel';
import { tools } from '../readings/tools';
import { Builder } from '../run/Builder';
import { PluggedIn } from '../run/PluggedIn';
import { Run } from '../run/Run';
import { StateBar } from '../run/StateBar';
import { StopEditor } from '../run/StopEditor';
import { Advice, useAdvice } from '../suspects/Advice';
import { ConflictBand } from '../suspects/Conflict';
import { Phone } from '../suspects/Phone';
import { Suspects } from '../suspects/Suspects';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';
import { ago, capital, percent } from '../ui/words';
import { PicturesOf } from '../work/Pictures';
import { Before, LastTime, SetTwice, UndoButtons } from './Beside';
import { CautionsAgain, CautionsFirst } from './Cautions';
import { DangerBand } from './DangerBand';
import { asksReading, Dock, ExcludeFirst, Onward } from './Dock';
import { FirstUse } from './FirstUse';
import { HazardButton, Hazards } from './Hazards';
import { useKeyboard } from './keys';
import { Phases } from './Phases';
import { keysOfACall, Shortcuts } from './Shortcuts';

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

/**
 * What the address asks for. It changes at once, before the next key or tap, and without a
 * step in the history: the router would draw it in its own time.
 */
function useAsked(): [URLSearchParams, (next: URLSearchParams) => void] {
	const { key, pathname } = useLocation();
	const [asked, setAsked] = useState(() => new URLSearchParams(window.location.search));
	// biome-ignore lint/correctness/useExhaustiveDependencies: each arrival here, by a link or by going back, asks anew
	useEffect(() => setAsked(new URLSearchParams(window.location.search)), [key]);
	return [
		asked,
		(next) => {
			const query = next.toString();
			window.history.replaceState(window.history.state, '', query ? `${pathname}?${query}` : pathname);
			setAsked(next);
		},
	];
}

/**
 * Where the next reading goes: what was picked, kept in the address so that back, reload and a
 * link find it again; else what the call asks for next.
 */
function useAim(call: Call) {
	const [asked, setAsked] = useAsked();
	const { move } = call;
	const stopOf = (device: string | null | undefined) =>
		call.stops.find((s) => s.devices.some((d) => d.id === device)) ?? null;
	const proposed = call.diagnosis.next[0];
	const at = asked.get('at');
	// Walking on along the run instead of what is advised; a danger ends that.
	const walk = asked.get('walk') !== null && !at && move.kind !== 'exclude' ? (call.nearest ?? null) : null;
	const picked = stopOf(at ?? walk?.at) ?? call.stops.find((s) => s.box === asked.get('box')) ?? null;
	// A box to open is where one stands; else where the next reading is taken.
	// A drill says where it was noticed, and no more.
	const noticed = call.drill && !call.drill.advised ? call.drill : undefined;
	const next =
		stopOf(noticed?.at) ??
		stopOf(move.at) ??
		call.stops.find((s) => s.box === (move.box ?? proposed?.site)) ??
		stopOf(proposed?.at);
	const stop = picked ?? next ?? call.stops[0] ?? null;
	const device = picked
		? stopOf(at)
			? at
			: (walk?.at ?? null)
		: (noticed?.at ?? move.at ?? (next ? null : proposed?.at));
	const aim: Aim = {
		device: device ?? stop?.devices[0]?.id ?? '',
		half: ((picked ? (walk?.half ?? asked.get('half')) : (noticed?.half ?? move.half)) as Half | null) ?? 'top',
		tool: ((picked ? asked.get('tool') : move.tool) as Tool | null) ?? 'plug',
		mode: ((picked ? asked.get('mode') : move.mode) as Mode | null) ?? undefined,
	};
	const set = (params: Record<string, string | undefined>) =>
		setAsked(new URLSearchParams(Object.entries(params).flatMap(([k, v]) => (v ? [[k, v]] : []))));
	const setAim = (a: Aim) => {
		// A button was pressed on the half whose lamps were seen last.
		const last = call.readings.find((r) => !r.withdrawn && r.reading.at === a.device && r.reading.tool === 'plug');
		const half = a.tool === 'plug-button' && aim.tool !== a.tool ? (last?.reading.half ?? a.half) : a.half;
		set({ at: a.device, half, tool: a.tool, mode: a.mode, walk: asked.get('walk') ?? undefined });
	};
	return {
		aim,
		stop,
		picked: picked !== null,
		setAim,
		follow: () => set({}),
		walkOn: () => set({ walk: '1' }),
		onward: () => set({ walk: asked.get('walk') ?? undefined }),
		pick: (site: string) => {
			const to = call.stops.find((s) => s.box === site) ?? call.stops.find((s) => s.cable.id === site);
			const first = to?.devices[0];
			if (!to) return set({ box: site }); // one that is being drawn
			if (to === picked) return;
			if (!first) return set({ box: to.box });
			const known = (half: Half) => call.halves.some((h) => h.device === first.id && h.half === half);
			const half = known('top') && !known('bottom') ? 'bottom' : 'top';
			const kept = picked && aim.tool !== 'plug-button' && aim.tool !== 'device-button' && aim.tool !== 'light';
			setAim({ device: first.id, half, tool: kept ? aim.tool : 'plug', mode: kept ? aim.mode : undefined });
		},
	};
}

function Loaded({ call, basics }: { call: Call; basics: Basics }) {
	const { aim, stop, picked, setAim, follow, walkOn, onward, pick } = useAim(call);
	const [building, setBuilding] = useState(call.stops.length === 0);
	const [help, setHelp] = useState(false);
	const [sheet, setSheet] = useState(false);
	const withdraw = useMarkReading(call.id);
	const undo = useUndo(call.id);
	const saving = useSaving(call.id);
	const advice = useAdvice(call);
	const keys = useRef<EntryKeys | null>(null);
	// In a drill the advice is asked for.
	const silent = call.drill && !call.drill.advised;
	const readable = call.cautionsReadAt !== null && stop !== null;

	const build = () => {
		setBuilding(true);
		window.scrollTo(0, 0);
	};
	const go = (test: Test) => {
		setSheet(false);
		if (test.site) pick(test.site);
		if (test.do !== 'reading' || test.between || test.hint) return;
		setAim({ device: test.at ?? aim.device, half: test.half ?? 'top', tool: test.tool ?? aim.tool, mode: test.mode });
	};
	const exclude = (danger: Danger) => {
		setSheet(false);
		const tool = danger.between ? 'ohms' : (danger.tool ?? 'sensor');
		const half = call.move.kind === 'exclude' && call.move.at === danger.at ? call.move.half : undefined;
		setAim({ device: danger.at, half: half ?? 'top', tool });
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
		else if (key === 'n') follow();
		else if (key === 'u' && (call.undo || saving)) undo.mutate('undo');
		else if (key === 'U' && (call.redo || undo.isPending)) undo.mutate('redo');
		else if (key === 'u' && !call.drill) {
			const newest = call.readings.find((r) => !r.withdrawn);
			if (newest) withdraw.mutate({ reading: newest.id, withdrawn: true });
		} else return false;
		return true;
	});

	return (
		<div className="flex min-h-dvh flex-col">
			<header className="flex flex-col border-b-2 border-ink wide:flex-row">
				<div className="flex min-w-0 grow items-center gap-3 py-1 pr-2 pl-3 wide:pl-5">
					<Link to="/" aria-label="The day's calls" className="grid size-11 shrink-0 place-items-center hover:bg-wash">
						<Mark />
					</Link>
					<div className="min-w-0 grow">
						<h1 className="m-0 truncate text-lg/tight font-bold">{call.title}</h1>
						<p className="m-0 truncate text-soft" title={call.complaint}>
							{call.site > 0 ? (
								<Link to={`/book/sites/${call.site}`} className="underline decoration-hair underline-offset-4">
									{call.siteName}
								</Link>
							) : (
								call.siteName
							)}
							{': '}
							{call.complaint || ago(call.createdAt)}
						</p>
					</div>
					<HazardButton call={call} place={stop?.box} />
					<ThemeButton />
				</div>
				<Phases call={call} />
			</header>
			<DrillBar call={call} />
			<Hazards call={call} />
			<DangerBand call={call} exclude={exclude} docked={call.move.kind === 'exclude'} />
			{call.cautionsReadAt === null ? (
				<main className="flex grow flex-col">
					<div className="mx-auto w-full max-w-4xl px-4 wide:px-6">{!call.drill && <Clock call={call} />}</div>
					<CautionsFirst call={call} basics={basics} />
				</main>
			) : (
				<main className="flex grow flex-col">
					{call.stops.length === 0 && (
						<div className="px-4 wide:px-6">
							<Clock call={call} />
						</div>
					)}
					{call.stops.length > 0 && <Run call={call} picked={stop?.box ?? null} pick={pick} />}
					{building ? (
						<Builder
							call={call}
							basics={basics}
							picked={picked ? (stop?.box ?? null) : null}
							pick={pick}
							close={
								call.stops.length
									? () => {
											setBuilding(false);
											window.scrollTo(0, 0);
										}
									: undefined
							}
						/>
					) : (
						<Extras
							call={call}
							basics={basics}
							build={build}
							help={() => setHelp(true)}
							className="border-y border-rule max-wide:hidden"
						/>
					)}
					{stop && (
						<div className="flex grow flex-col wide:grid wide:grid-cols-[minmax(510px,6fr)_7fr] wide:grid-rows-[auto_1fr]">
							{!building && (
								<Dock
									call={call}
									basics={basics}
									stop={stop}
									aim={aim}
									picked={picked}
									setAim={setAim}
									follow={follow}
									walkOn={walkOn}
									onward={onward}
									go={go}
									exclude={exclude}
									advice={advice}
									keys={keys}
								/>
							)}
							<section
								className="grid grid-cols-1 content-start gap-3 px-4 pt-3 pb-6 max-wide:order-2 wide:border-r wide:border-rule wide:px-5"
								aria-label={`About ${stop.label}`}
							>
								<div className="flex flex-wrap items-baseline gap-x-3">
									<p className="m-0 text-soft">
										<b className="text-ink">{stop.label}</b>, {about(call, stop.box)}
									</p>
									<Link
										to={`/calls/${call.id}/boxes/${stop.box}`}
										className="inline-flex min-h-11 items-center font-bold underline decoration-hair underline-offset-4"
									>
										The opened box
									</Link>
								</div>
								{!building && !call.drill && <Clock call={call} />}
								<LastTime call={call} devices={stop.devices.map((d) => d.id)} />
								{building && <StopEditor key={stop.box} call={call} stop={stop} basics={basics} />}
								<div className="wide:hidden">
									<StateBar call={call} />
								</div>
								{!call.drill && <PluggedIn call={call} stop={stop} half={aim.half} />}
								<h3 className="m-0 border-t-2 border-ink pt-2 text-base font-bold">Readings so far</h3>
								<ReadingList call={call} pick={pick} />
								{!call.drill && <PicturesOf call={call} phase="as found" heading="h3" />}
								{!call.drill && (
									<>
										<NewRuns call={call} box={stop.box} />
										<Link
											to={`/calls/${call.id}/price`}
											className="inline-flex min-h-11 items-center font-bold underline decoration-hair underline-offset-4"
										>
											Quote and invoice
										</Link>
									</>
								)}
								{!building && <Extras call={call} basics={basics} build={build} className="wide:hidden" />}
							</section>
							<div className="grid grid-cols-1 content-start gap-3 px-4 pt-3 max-wide:order-1 wide:col-start-2 wide:row-span-2 wide:row-start-1 wide:px-6 wide:pb-6">
								{!silent && (
									<SuspectSheet call={call} open={sheet} setOpen={setSheet}>
										<Suspects call={call} pick={pick} exclude={exclude} />
									</SuspectSheet>
								)}
								{!call.drill && <FirstUse call={call} />}
								<SetTwice call={call} />
								<ConflictBand call={call} />
								{!call.drill && <Phone call={call} />}
								{call.drill && <Deeds call={call} stop={stop} />}
								{call.drill && !call.drill.advised ? null : call.move.underWay ? (
									<Onward call={call} />
								) : call.move.kind === 'exclude' ? (
									<ExcludeFirst call={call} exclude={exclude} />
								) : (
									<Advice call={call} advice={advice} go={go} docked={!picked && !asksReading(call)} />
								)}
								{!silent && (
									<div className="max-wide:hidden">
										<Suspects call={call} pick={pick} exclude={exclude} />
									</div>
								)}
								{!call.drill && <Before call={call} />}
							</div>
						</div>
					)}
				</main>
			)}
			<Shortcuts rows={keysOfACall} open={help} setOpen={setHelp} />
		</div>
	);
}

/** On a phone: the first suspect in a line, and all of them in a sheet. */
function SuspectSheet({
	call,
	open,
	setOpen,
	children,
}: {
	call: Call;
	open: boolean;
	setOpen: (open: boolean) => void;
	children: ReactNode;
}) {
	return (
		<Dialog.Root open={open} onOpenChange={setOpen}>
			<Dialog.Trigger asChild>
				<button
					type="button"
					className="-mx-4 -mt-3 flex min-h-11 items-center gap-3 border-y border-rule px-4 text-left wide:hidden"
				>
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
					{children}
				</Dialog.Content>
			</Dialog.Portal>
		</Dialog.Root>
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
			{!call.drill && (
				<>
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
				</>
			)}
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

import { replaceEqualDeep, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { keepAndSend, type Waiting } from '../outbox/outbox';
import { answering } from '../phone/phone';
import { inUnits } from '../ui/units';
import { inZone } from '../ui/words';
import {
	type Box,
	body,
	type Call,
	type Conditions,
	client,
	type DirectoryRow,
	type Entry,
	type Fault,
	type Half,
	type HouseSheet,
	type Light,
	type NewRun,
	type NewRunOrder,
	type NewStop,
	noted,
	type OpenedBox,
	type Pair,
	type Practice,
	type PracticeSheet,
	type Probes,
	type Reading,
	Refused,
	type RunMap,
	type Schemas,
	type Shop,
	type State,
	type StopChange,
	type Unrecorded,
	type Work,
} from './client';
import { queueOf } from './queue';

/** How often one looks for what others did on the same call, in milliseconds; a phone that answers says so itself. */
const others = () => (answering() ? false : 5000);

/** How soon one asks for the next move, where the suspects were told before it. */
const rest = 30;

export function useBasics() {
	return useQuery({
		queryKey: ['basics'],
		queryFn: async () => {
			const basics = await body(client.GET('/api/v1/basics'));
			inZone(basics.timeZone);
			inUnits(basics.units);
			return basics;
		},
		staleTime: Number.POSITIVE_INFINITY,
	});
}

export function useCalls() {
	return useQuery({ queryKey: ['calls'], queryFn: () => body(client.GET('/api/v1/calls')) });
}

/** Calls handed over before the given one. */
export function useCallsBefore(before: number | undefined) {
	return useQuery({
		queryKey: ['calls', 'before', before],
		queryFn: () => body(client.GET('/api/v1/calls', { params: { query: { before } } })),
		enabled: before !== undefined,
	});
}

/** Adds the example house, or takes it out. */
export function useSetExample() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (there: boolean) => body(there ? client.POST('/api/v1/example') : client.DELETE('/api/v1/example')),
		onSuccess: () => {
			for (const key of ['basics', 'calls', 'sites']) cache.invalidateQueries({ queryKey: [key] });
		},
	});
}

export function useCall(call: number) {
	return useQuery({
		queryKey: ['call', call],
		queryFn: async () =>
			noted(`call ${call}`, await body(client.GET('/api/v1/calls/{call}', { params: { path: { call } } }))),
		// Until the next move is worked out, the one before stands beside the new suspects.
		structuralSharing: (before, now) => replaceEqualDeep(before, asKnown(before as Call | undefined, now as Call)),
		refetchInterval: ({ state }) => (state.data?.pending ? rest : others()),
		retry: (tries, error) => !(error instanceof Refused) && tries < 3,
	});
}

/** A call of which some is still worked out, with what was known before in its place. */
function asKnown(before: Call | undefined, now: Call): Call {
	if (!now.pending || !before) return now;
	const { next, here, beforeOff, phone } = before.diagnosis;
	const none = now.diagnosis.suspects.length === 0 && now.diagnosis.sites.length === 0;
	return {
		...now,
		move: before.move,
		diagnosis: none ? before.diagnosis : { ...now.diagnosis, next, here, beforeOff, phone },
	};
}

export function useNewCall() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (made: Schemas['NewCall']) => body(client.POST('/api/v1/calls', { body: made })),
		onSuccess: (now) => {
			cache.setQueryData(['call', now.id], now);
			cache.invalidateQueries({ queryKey: ['calls'] });
		},
	});
}

/** A change of a call: the server answers with the whole call as it now is. */
function useChange<V>(call: number, send: (what: V) => Promise<Call>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: send,
		scope: queueOf(call),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
		onSuccess: (now) => {
			const before = cache.getQueryData<Call>(['call', call]);
			cache.setQueryData(['call', call], noted(`call ${call}`, asKnown(before, now)));
			if (now.pending) cache.invalidateQueries({ queryKey: ['call', call] });
			for (const key of ['work', 'report', 'box']) cache.invalidateQueries({ queryKey: [key, call] });
		},
	});
}

const at = (call: number) => ({ params: { path: { call } } });

export function useReadCautions(call: number) {
	return useChange(call, () => body(client.POST('/api/v1/calls/{call}/cautions', at(call))));
}

export interface Entered {
	id: string;
	reading: Reading;
}

export function useAddReading(call: number) {
	return useChange(call, async ({ id, reading }: Entered) => {
		const sent = await keepAndSend({ id, call, at: Date.now(), kind: 'reading', reading });
		return 'call' in sent ? sent.call : await body(client.GET('/api/v1/calls/{call}', at(call)));
	});
}

/** Takes a reading back, or marks it doubtful; and the other way round. */
export function useMarkReading(call: number) {
	return useChange(call, ({ reading, ...mark }: { reading: string; withdrawn?: boolean; doubtful?: boolean }) =>
		body(client.PATCH('/api/v1/calls/{call}/readings/{reading}', { params: { path: { call, reading } }, body: mark })),
	);
}

/** Only what changes is said, and put to what is known by then: of two changes in a row both stay. */
export function useSetConditions(call: number) {
	const cache = useQueryClient();
	return useChange(call, (change: Partial<Conditions>) => {
		const known = cache.getQueryData<Call>(['call', call])?.conditions;
		return body(client.PUT('/api/v1/calls/{call}/conditions', { ...at(call), body: { ...known, ...change } }));
	});
}

export function useSetMap(call: number) {
	const cache = useQueryClient();
	return useChange(call, (map: RunMap | ((known: RunMap) => RunMap)) => {
		const known = cache.getQueryData<Call>(['call', call])?.map ?? {};
		return body(
			client.PUT('/api/v1/calls/{call}/map', { ...at(call), body: typeof map === 'function' ? map(known) : map }),
		);
	});
}

/** Each reading held against one suspect; asked anew when the readings change. */
export function useWhy(call: Call, faults: Fault[], beside: Unrecorded[], wanted: boolean) {
	return useQuery({
		queryKey: ['why', call.id, faults, beside, call.readings, call.conditions, call.map],
		queryFn: () => body(client.POST('/api/v1/calls/{call}/why', { ...at(call.id), body: { faults, beside } })),
		enabled: wanted,
		staleTime: Number.POSITIVE_INFINITY,
	});
}

export function usePractice() {
	return useQuery({ queryKey: ['practice'], queryFn: () => body(client.GET('/api/v1/practice')) });
}

/** One after the other, each built on what the one before it left: two quick ones are both kept. */
export function useSetPractice() {
	const cache = useQueryClient();
	return useMutation({
		scope: { id: 'practice' },
		mutationFn: (change: (sheet: PracticeSheet) => Practice) => {
			const sheet = cache.getQueryData<PracticeSheet>(['practice']);
			if (!sheet) throw new Error('not loaded yet');
			return body(client.PUT('/api/v1/practice', { body: change(sheet) }));
		},
		onSuccess: (sheet) => {
			cache.setQueryData(['practice'], sheet);
			cache.invalidateQueries({ queryKey: ['call'] });
		},
	});
}

/** Counts what opened boxes teach anew from now on. */
export function useForgetLearned() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: () => body(client.DELETE('/api/v1/practice/learning')),
		onSuccess: (sheet) => {
			cache.setQueryData(['practice'], sheet);
			cache.invalidateQueries({ queryKey: ['call'] });
		},
	});
}

export function useSetBreaker(call: number) {
	return useChange(call, (breaker: Schemas['BreakerChange']) =>
		body(client.PUT('/api/v1/calls/{call}/breaker', { ...at(call), body: breaker })),
	);
}

export function useAddStop(call: number) {
	// What it hangs on may be one that is still on its way when it is typed: it is said when its turn comes.
	return useChange(call, (stop: () => NewStop) =>
		body(client.POST('/api/v1/calls/{call}/stops', { ...at(call), body: stop() })),
	);
}

export function useChangeStop(call: number) {
	return useChange(call, ({ box, change }: { box: string; change: StopChange }) =>
		body(client.PATCH('/api/v1/calls/{call}/stops/{box}', { params: { path: { call, box } }, body: change })),
	);
}

export function useRemoveStop(call: number) {
	return useChange(call, (box: string) =>
		body(client.DELETE('/api/v1/calls/{call}/stops/{box}', { params: { path: { call, box } } })),
	);
}

export function useSetState(call: number) {
	return useChange(call, (state: State) =>
		body(client.PUT('/api/v1/calls/{call}/state', { ...at(call), body: state })),
	);
}

export function useAddLoad(call: number) {
	return useChange(call, (load: { at: string; half: Half; watts: number }) =>
		body(client.POST('/api/v1/calls/{call}/loads', { ...at(call), body: load })),
	);
}

export function useRemoveLoad(call: number) {
	return useChange(call, (load: string) =>
		body(client.DELETE('/api/v1/calls/{call}/loads/{load}', { params: { path: { call, load } } })),
	);
}

export function useSetChanged(call: number) {
	return useChange(call, (what: { device: string; changed: boolean }) =>
		body(
			client.PUT('/api/v1/calls/{call}/changed/{device}', {
				params: { path: { call, device: what.device } },
				body: { changed: what.changed },
			}),
		),
	);
}

/** One value from the instrument, with its probes where they are said to be. */
export function useTakeFromMeter(call: number) {
	return useMutation({
		mutationFn: (probes: Probes) => body(client.POST('/api/v1/calls/{call}/meter', { ...at(call), body: probes })),
	});
}

/** Keeps what a light means by its device's own sheet. */
export function useTellLight() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (light: Light) => body(client.PUT('/api/v1/lights', { body: light })),
		onSuccess: (basics) => cache.setQueryData(['basics'], basics),
	});
}

export function useSetLamps() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (lamps: Pair[]) => body(client.PUT('/api/v1/lamps', { body: { lamps } })),
		onSuccess: (basics) => cache.setQueryData(['basics'], basics),
	});
}

export function useReplaceCircuit(call: number) {
	return useChange(call, (file: string) =>
		body(
			client.PUT('/api/v1/calls/{call}/circuit', {
				...at(call),
				body: file,
				bodySerializer: (text) => text,
				headers: { 'Content-Type': 'application/octet-stream' },
			}),
		),
	);
}

const inBox = (call: number, box: string) => ({ params: { path: { call, box } } });

export function useBox(call: number, box: string) {
	return useQuery({
		queryKey: ['box', call, box],
		queryFn: async () =>
			noted(`box ${call} ${box}`, await body(client.GET('/api/v1/calls/{call}/boxes/{box}', inBox(call, box)))),
		refetchInterval: others,
		retry: (tries, error) => !(error instanceof Refused) && tries < 3,
	});
}

/** A change of an opened box: the server answers with the box and its plan as they now are. */
function useBoxChange<V>(call: number, box: string, send: (what: V) => Promise<OpenedBox>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: send,
		scope: queueOf(call),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
		onSuccess: (now) => {
			cache.setQueryData(['box', call, box], noted(`box ${call} ${box}`, now));
			cache.invalidateQueries({ queryKey: ['call', call] });
			cache.invalidateQueries({ queryKey: ['box', call, box, 'kinds'] });
		},
	});
}

export function useSetBox(call: number, box: string) {
	return useBoxChange(call, box, (what: Box) =>
		body(client.PUT('/api/v1/calls/{call}/boxes/{box}', { ...inBox(call, box), body: { ...what } })),
	);
}

export function useSetSteps(call: number, box: string) {
	return useBoxChange(call, box, (done: string[]) =>
		body(client.PUT('/api/v1/calls/{call}/boxes/{box}/steps', { ...inBox(call, box), body: { done } })),
	);
}

/** The picture of the pulled device waits in the browser until it is acknowledged, as all that is entered does. */
export function useSetPhotograph(call: number, box: string) {
	return useBoxChange(call, box, async ({ id, picture }: { id: string; picture: Blob }) => {
		await keepAndSend({ id, call, at: Date.now(), kind: 'picture', picture, phase: 'pulled', box });
		return body(client.GET('/api/v1/calls/{call}/boxes/{box}', inBox(call, box)));
	});
}

/** The box is made up as planned: the run is that from now on. */
export function useMakeUp(call: number, box: string) {
	const cache = useQueryClient();
	return useMutation({
		scope: queueOf(call),
		mutationFn: () => body(client.POST('/api/v1/calls/{call}/boxes/{box}/made', inBox(call, box))),
		onSuccess: (now) => {
			cache.setQueryData(['call', call], noted(`call ${call}`, now));
			for (const key of ['box', 'work', 'report']) cache.invalidateQueries({ queryKey: [key, call] });
		},
	});
}

/** When and by whom the call is gone to; only what changes is said. */
export function useSetAppointment(call: number) {
	const cache = useQueryClient();
	const change = useChange(call, (what: Schemas['AppointmentChange']) =>
		body(client.PUT('/api/v1/calls/{call}/appointment', { ...at(call), body: what })),
	);
	return { ...change, after: () => cache.invalidateQueries({ queryKey: ['day'] }) };
}

/** Arrived, found, done: one tap each. */
export function useMarkClock(call: number) {
	return useChange(call, (mark: Schemas['ClockMark']) =>
		body(client.POST('/api/v1/calls/{call}/clock', { ...at(call), body: mark })),
	);
}

const inRun = (call: number, newRun: string) => ({ params: { path: { call, newRun } } });

/** The new runs that are planned on the call. */
export function useNewRuns(call: number) {
	return useQuery({
		queryKey: ['new-run', call],
		queryFn: () => body(client.GET('/api/v1/calls/{call}/new-runs', at(call))),
		refetchInterval: others,
	});
}

export function useNewRun(call: number, id: string) {
	return useQuery({
		queryKey: ['new-run', call, id],
		queryFn: async () =>
			noted(`new-run ${call} ${id}`, await body(client.GET('/api/v1/calls/{call}/new-runs/{newRun}', inRun(call, id)))),
		refetchInterval: others,
		retry: (tries, error) => !(error instanceof Refused) && tries < 3,
	});
}

/** A change of a new run: the answer is the run with its plan as they now are. */
function useNewRunChange<V>(call: number, id: string, send: (what: V) => Promise<NewRun>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: send,
		scope: queueOf(call),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
		onSuccess: (now) => {
			cache.setQueryData(['new-run', call, id], noted(`new-run ${call} ${id}`, now));
			cache.invalidateQueries({ queryKey: ['call', call] });
			cache.invalidateQueries({ queryKey: ['new-run', call], exact: true });
		},
	});
}

export function useSetNewRun(call: number, id: string) {
	return useNewRunChange(call, id, (order: NewRunOrder) =>
		body(client.PUT('/api/v1/calls/{call}/new-runs/{newRun}', { ...inRun(call, id), body: { ...order } })),
	);
}

export function useSetNewRunSteps(call: number, id: string) {
	return useNewRunChange(call, id, (done: string[]) =>
		body(client.PUT('/api/v1/calls/{call}/new-runs/{newRun}/steps', { ...inRun(call, id), body: { done } })),
	);
}

export function useAcceptInNewRun(call: number, id: string) {
	return useNewRunChange(call, id, (taken: Schemas['TakenOn']) =>
		body(client.POST('/api/v1/calls/{call}/new-runs/{newRun}/accepted', { ...inRun(call, id), body: taken })),
	);
}

export function useLayNewRun(call: number, id: string) {
	const cache = useQueryClient();
	return useNewRunChange(call, id, async () => {
		const now = await body(
			client.POST('/api/v1/calls/{call}/new-runs/{newRun}/laid', { ...inRun(call, id), body: {} }),
		);
		for (const key of ['work', 'report', 'box']) cache.invalidateQueries({ queryKey: [key, call] });
		return now;
	});
}

export function useRemoveNewRun(call: number) {
	const cache = useQueryClient();
	const change = useChange(call, (id: string) =>
		body(client.DELETE('/api/v1/calls/{call}/new-runs/{newRun}', inRun(call, id))),
	);
	return { ...change, after: () => cache.invalidateQueries({ queryKey: ['new-run', call] }) };
}

/** Begins a new run from what is known on the call; answers with its name. */
export function useStartNewRun(call: number) {
	const cache = useQueryClient();
	return useMutation({
		scope: queueOf(call),
		mutationFn: async (start: Schemas['NewRunStart']) => {
			const order = await body(client.POST('/api/v1/calls/{call}/new-runs', { ...at(call), body: start }));
			await body(
				client.PUT('/api/v1/calls/{call}/new-runs/{newRun}', { ...inRun(call, order.id), body: { ...order } }),
			);
			return order.id;
		},
		onSuccess: () => cache.invalidateQueries({ queryKey: ['new-run', call] }),
	});
}

/** What could hang in the box instead, each planned there. */
export function useKinds(call: number, box: string, wanted: boolean) {
	return useQuery({
		queryKey: ['box', call, box, 'kinds'],
		queryFn: () => body(client.GET('/api/v1/calls/{call}/boxes/{box}/kinds', inBox(call, box))),
		enabled: wanted,
	});
}

export function useHouse() {
	return useQuery({ queryKey: ['house'], queryFn: () => body(client.GET('/api/v1/house')) });
}

/** One after the other, each built on what the one before it left. */
export function useSetHouse() {
	const cache = useQueryClient();
	return useMutation({
		scope: { id: 'house' },
		mutationFn: (change: (sheet: HouseSheet) => Shop) => {
			const sheet = cache.getQueryData<HouseSheet>(['house']);
			if (!sheet) throw new Error('not loaded yet');
			return body(client.PUT('/api/v1/house', { body: change(sheet) }));
		},
		onSuccess: (sheet) => {
			const measuredIn = cache.getQueryData<HouseSheet>(['house'])?.units;
			inZone(sheet.timeZone);
			inUnits(sheet.units);
			cache.setQueryData(['house'], sheet);
			// Every sentence may say other figures.
			cache.invalidateQueries(measuredIn === sheet.units ? { queryKey: ['box'] } : undefined);
		},
	});
}

export function useSums() {
	return useQuery({
		queryKey: ['sums'],
		queryFn: () => body(client.GET('/api/v1/sums')),
		staleTime: Number.POSITIVE_INFINITY,
	});
}

export function useAnswer(sum: string, values: Record<string, number>) {
	return useQuery({
		queryKey: ['sum', sum, values],
		queryFn: () => body(client.POST('/api/v1/sums/{sum}', { params: { path: { sum } }, body: { values } })),
		placeholderData: (before) => before,
		retry: (tries, error) => !(error instanceof Refused) && tries < 3,
	});
}

export function useWork(call: number) {
	return useQuery({
		queryKey: ['work', call],
		queryFn: async () => noted(`work ${call}`, await body(client.GET('/api/v1/calls/{call}/work', at(call)))),
		refetchInterval: others,
		retry: (tries, error) => !(error instanceof Refused) && tries < 3,
	});
}

/** A change of the work: the server answers with all of it; the call's phases follow. */
function useWorkChange<V>(call: number, send: (what: V) => Promise<Work>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: send,
		scope: queueOf(call),
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
		onSuccess: (now) => {
			cache.setQueryData(['work', call], noted(`work ${call}`, now));
			for (const key of ['report', 'box']) cache.invalidateQueries({ queryKey: [key, call] });
			// It is done once the call shows it too: the next reading is taken in the state it says.
			return cache.invalidateQueries({ queryKey: ['call', call] });
		},
	});
}

async function workAfter(call: number, what: Waiting): Promise<Work> {
	const sent = await keepAndSend(what);
	return 'work' in sent ? sent.work : await body(client.GET('/api/v1/calls/{call}/work', at(call)));
}

export function useAddEntry(call: number) {
	return useWorkChange(call, ({ id, entry }: { id: string; entry: Entry }) =>
		workAfter(call, { id, call, at: Date.now(), kind: 'entry', entry }),
	);
}

export function useMarkEntry(call: number) {
	return useWorkChange(call, ({ entry, withdrawn }: { entry: string; withdrawn: boolean }) =>
		body(
			client.PATCH('/api/v1/calls/{call}/journal/{entry}', { params: { path: { call, entry } }, body: { withdrawn } }),
		),
	);
}

export function useSetDirectory(call: number) {
	return useWorkChange(call, (rows: DirectoryRow[]) =>
		body(client.PUT('/api/v1/calls/{call}/directory', { ...at(call), body: rows })),
	);
}

export function useTrace(call: number) {
	return useMutation({
		mutationFn: (pass: number) =>
			body(client.GET('/api/v1/calls/{call}/tracer/{pass}', { params: { path: { call, pass } } })),
	});
}

export function useAddPicture(call: number) {
	return useWorkChange(
		call,
		({ id, picture, phase, box }: { id: string; picture: Blob; phase: string; box?: string }) =>
			workAfter(call, { id, call, at: Date.now(), kind: 'picture', picture, phase, box }),
	);
}

export function useMarkPicture(call: number) {
	return useWorkChange(call, ({ picture, withdrawn }: { picture: string; withdrawn: boolean }) =>
		body(
			client.PATCH('/api/v1/calls/{call}/pictures/{picture}', {
				params: { path: { call, picture } },
				body: { withdrawn },
			}),
		),
	);
}

export function useReport(call: number) {
	return useQuery({
		queryKey: ['report', call],
		queryFn: () => body(client.GET('/api/v1/calls/{call}/report', at(call))),
	});
}

import createClient from 'openapi-fetch';
import { asksAgain, given } from '../door/again';
import * as phone from '../phone/phone';
import * as addresses from './addresses';
import { isFinal } from './final';
import { newID } from './newID';
import * as queue from './queue';
import type { components, paths } from './schema.gen';
import { whole } from './whole';

export type Schemas = components['schemas'];
export type Call = Schemas['Call'];
export type CallSummary = Schemas['CallSummary'];
export type Conditions = Schemas['Conditions'];
export type Condition = NonNullable<Conditions['boxes']>[string][number];
export type RunMap = Schemas['Map'];
export type Clue = Schemas['Clue'];
export type Practice = Schemas['Practice'];
export type PracticeSheet = Schemas['PracticeSheet'];
export type Fault = Schemas['Fault'];
export type Unrecorded = Schemas['Unrecorded'];
export type Phoned = Schemas['Phoned'];
export type Stop = Schemas['Stop'];
export type Device = Schemas['Device'];
export type Delta = Schemas['Delta'];
export type Side = Schemas['Side'];
export type Reading = Schemas['Reading'];
export type StoredReading = Schemas['StoredReading'];
export type Suspect = Schemas['Suspect'];
export type Test = Schemas['Test'];
export type Danger = Schemas['Danger'];
export type Tool = Schemas['Tool'];
export type Mode = NonNullable<Schemas['Reading']['mode']>;
export type Light = Schemas['Light'];
export type Half = Schemas['Half'];
export type State = Schemas['State'];
export type Load = Schemas['Load'];
export type NamedPoint = Schemas['NamedPoint'];
export type Pair = Schemas['LampOrder']['lamps'][number];
export type Probes = Schemas['Probes'];
export type Basics = Schemas['Basics'];
export type NewStop = Schemas['NewStop'];
export type OpenedBox = Schemas['OpenedBox'];
export type Box = Schemas['Box'];
export type BoxPlace = Schemas['BoxPlace'];
export type BoxCable = Schemas['BoxCable'];
export type Existing = Schemas['Existing'];
export type Chosen = Schemas['Chosen'];
export type Landing = Schemas['Landing'];
export type LandingPlace = Schemas['LandingPlace'];
export type Tap = Schemas['Tap'];
export type Plan = Schemas['Plan'];
export type DeviceChoice = Schemas['DeviceChoice'];
export type NewRun = Schemas['NewRunNow'];
export type NewRunOrder = Schemas['NewRunOrder'];
export type NewRunPlan = Schemas['NewRunPlan'];
export type NewRunStep = Schemas['NewRunStep'];
export type NewOutlet = Schemas['NewOutlet'];
export type WayLeg = Schemas['WayLeg'];
export type LaidLeg = Schemas['LaidLeg'];
export type ConduitBend = Schemas['ConduitBend'];
export type BentConduit = Schemas['BentConduit'];
export type WhyChosen = Schemas['WhyChosen'];
export type Material = Schemas['Material'];
export type Appointment = Schemas['Appointment'];
export type AppointmentChange = Schemas['AppointmentChange'];
export type DayBook = Schemas['DayBook'];
export type VanDay = Schemas['VanDay'];
export type PlannedStop = Schemas['PlannedStop'];
export type Minutes = Schemas['Minutes'];
export type PriceList = Schemas['PriceList'];
export type PricePaper = Schemas['PricePaper'];
export type PriceLine = Schemas['PriceLine'];
export type CallPrice = Schemas['CallPrice'];
export type Finding = Schemas['Finding'];
export type Step = Schemas['Step'];
export type Said = Schemas['Said'];
export type Proof = Schemas['Proof'];
export type Way = Schemas['Way'];
export type Verdict = Schemas['Verdict'];
export type Work = Schemas['Work'];
export type Entry = Schemas['Entry'];
export type Gate = Schemas['Gate'];
export type Check = Schemas['Check'];
export type Strength = Schemas['Strength'];
export type DirectoryRow = Schemas['DirectoryRow'];
export type Report = Schemas['Report'];
export type HouseSheet = Schemas['HouseSheet'];
export type Shop = Schemas['Shop'];
export type Rule = Schemas['Rule'];
export type Sum = Schemas['Sum'];
export type SumAnswer = Schemas['SumAnswer'];
export type SumField = Schemas['SumField'];
export type SiteBook = Schemas['SiteBook'];
export type PanelBook = Schemas['PanelBook'];
export type RunBook = Schemas['RunBook'];
export type Guard = Schemas['Guard'];
export type HistoryLine = Schemas['HistoryLine'];
export type Visit = Schemas['Visit'];
export type VisitAnswer = Schemas['VisitAnswer'];
export type Session = Schemas['Session'];
export type Person = Schemas['Person'];
export type Role = Schemas['Role'];
export type Move = Schemas['Move'];
export type Have = Schemas['Have'];
export type Pick = Schemas['Pick'];
export type DataConflict = Schemas['DataConflict'];
export type StopChange = Schemas['StopChange'];

/** How long the shop may take before the phone answers what it can. */
const patience = 10_000;

/**
 * The phone's own desk answers all that lies on it, with a signal or without; sync runs beside
 * it. Only what it cannot know is asked of the shop, once that has what was done here. While
 * the desk still starts, who only looks is told by whoever answers first.
 */
async function reach(request: Request): Promise<Response> {
	await phone.known;
	const { synced, waiting } = phone.now();
	if (synced === undefined) return shop(request);
	const own = phone.ask(request).catch(() => undefined);
	const early =
		!phone.answering() && request.method === 'GET' && waiting.length === 0 ? shop(request.clone()) : undefined;
	const theirs = early?.then((answer) => (answer.ok ? answer : own)).catch(() => own);
	const answer = await (theirs ? Promise.race([own.then((mine) => mine ?? theirs), theirs]) : own);
	if (answer) {
		// What the shop showed is to lie here too before the next is asked.
		if (early && answer !== (await Promise.race([own, undefined]))) void phone.sync();
		return answer;
	}
	if (early) return early;
	if (phone.now().waiting.length > 0) await phone.sync();
	const told = await shop(request);
	// What was set at the shop is known here before anybody looks.
	if (request.method !== 'GET' && told.ok) await phone.sync();
	return told;
}

/** Asks at an address that answers, where the shop has several. */
async function asked(request: Request, signal: AbortSignal): Promise<Response> {
	if (addresses.known().length === 0) return whole(await fetch(request.clone(), { signal }));
	const { pathname, search } = new URL(request.url);
	const body = request.method === 'GET' ? undefined : await request.clone().arrayBuffer();
	return addresses.reach(pathname + search, { method: request.method, headers: request.headers, body, signal });
}

async function shop(request: Request): Promise<Response> {
	try {
		// Where the phone has nothing to answer with, the shop has all the time it takes.
		const signal = phone.now().synced
			? AbortSignal.any([request.signal, AbortSignal.timeout(patience)])
			: request.signal;
		const answer = await asked(request, signal);
		void phone.keepStill(request, answer);
		return answer;
	} catch (error) {
		if (request.signal.aborted) throw error;
		const answer = await phone.stillKnown(request);
		if (answer) return answer;
		throw error;
	}
}

/** What asks for the passphrase once more is asked anew once that was given. */
async function fresh(request: Request): Promise<Response> {
	const again = request.clone();
	const answer = await reach(request);
	return (await asksAgain(answer)) && (await given()) ? reach(again) : answer;
}

export const client = createClient<paths>({ fetch: fresh });

/** This browser, as the server tells it from others on the same call. */
export const device = (() => {
	const name = 'elvat-device';
	try {
		const kept = localStorage.getItem(name) ?? newID();
		localStorage.setItem(name, kept);
		return kept;
	} catch {
		return newID(); // nothing is kept: another one each time
	}
})();

/** Versions of what is on the screen, by what it is: the server merges by them. */
const shown = new Map<string, number>();

/** Notes the version of what is about to be shown. */
export function noted<T extends { version: number }>(what: string, now: T): T {
	shown.set(what, now.version);
	return now;
}

const ofBox = /^\/api\/v1\/calls\/(-?\d+)\/boxes\/([^/]+)/;
const ofWork = /^\/api\/v1\/calls\/(-?\d+)\/(journal|directory|pictures)/;
const ofCall = /^\/api\/v1\/calls\/(-?\d+)/;

/** Ids of what was sent and never answered: the same asked again is that, and is done once. */
const unanswered = new Map<string, string>();

const nameOf = async (request: Request) => `${request.method} ${request.url} ${await request.clone().text()}`;

client.use({
	async onRequest({ request }) {
		request.headers.set('Elvat-Device', device);
		if (request.method === 'GET') return request;
		const now = new Date().toISOString();
		request.headers.set('Elvat-Sent-At', now);
		if (!request.headers.has('Elvat-Made-At')) request.headers.set('Elvat-Made-At', now);
		if (!request.headers.has('Idempotency-Key')) {
			const name = await nameOf(request);
			const id = unanswered.get(name) ?? newID();
			unanswered.set(name, id);
			request.headers.set('Idempotency-Key', id);
		}
		const path = new URL(request.url).pathname;
		const box = ofBox.exec(path);
		const call = ofCall.exec(path);
		const what = box ? `box ${box[1]} ${box[2]}` : ofWork.test(path) ? `work ${call?.[1]}` : `call ${call?.[1]}`;
		const seen = shown.get(what);
		if (call && seen) request.headers.set('If-Match', `"${seen}"`);
		return request;
	},
	onResponse({ request, response }) {
		// Whatever came back, it was answered: the next is another one.
		const id = request.headers.get('Idempotency-Key');
		const { pathname } = new URL(request.url);
		const call = ofCall.exec(pathname)?.[1];
		if (id && call && response.ok && request.method !== 'GET') queue.noted(Number(call), pathname, id);
		for (const [name, kept] of unanswered) if (kept === id) unanswered.delete(name);
	},
});

/** A refusal of the server, in the words it gave. */
export class Refused extends Error {
	constructor(
		message: string,
		readonly status: number,
	) {
		super(message);
	}

	get final(): boolean {
		return isFinal(this.status);
	}
}

/** How the bytes of a picture are sent. */
export const asBytes = (picture: Blob, headers: Record<string, string> = {}) => ({
	body: picture as unknown as string,
	bodySerializer: (blob: unknown) => blob as Blob,
	headers: { ...headers, 'Content-Type': 'application/octet-stream' },
});

let signInAgain = () => {};

/** What to do when the server wants to know who this is. */
export function onSignIn(ask: () => void): void {
	signInAgain = ask;
}

interface Answer<T> {
	data?: T;
	error?: Schemas['Problem'];
	response: Response;
}

/** The answer's body, or the server's reason as an error. */
export async function body<T>(asked: Promise<Answer<T>>): Promise<T> {
	let answer: Answer<T>;
	try {
		answer = await asked;
	} catch {
		throw new Error('The server does not answer. Nothing is lost: try again when it is back.');
	}
	if (answer.data !== undefined) return answer.data;
	const { status } = answer.response;
	if (status === 401) signInAgain();
	throw new Refused(answer.error?.detail ?? answer.error?.title ?? `The server answered ${status}.`, status);
}

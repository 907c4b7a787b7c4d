import createClient from 'openapi-fetch';
import type { components, paths } from './schema.gen';

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
export type Finding = Schemas['Finding'];
export type Step = Schemas['Step'];
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
export type SumField = Schemas['SumField'];
export type StopChange = Schemas['StopChange'];

export const client = createClient<paths>();

/** A refusal of the server, in the words it gave. */
export class Refused extends Error {}

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
	throw new Refused(answer.error?.detail ?? answer.error?.title ?? `The server answered ${answer.response.status}.`);
}

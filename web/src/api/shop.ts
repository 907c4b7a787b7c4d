import { useIsMutating, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { worksAs } from '../outbox/outbox';
import { goesOn, leave, sync } from '../phone/phone';
import * as addresses from './addresses';
import {
	body,
	type Call,
	client,
	type DirectoryRow,
	type Move,
	noted,
	Refused,
	type Role,
	type RunBook,
	type Schemas,
	type SiteBook,
} from './client';
import { newID } from './newID';
import { forget, lastEntered, queueOf } from './queue';

const once = (tries: number, error: Error) => !(error instanceof Refused && error.final) && tries < 3;

/** Who is signed in, and what they may. */
export function useSession() {
	return useQuery({
		queryKey: ['session'],
		queryFn: async () => {
			await leftBefore();
			const session = await goesOn(await body(client.GET('/api/v1/session')));
			worksAs(session.name);
			if (session.addresses) {
				addresses.know(session.addresses);
				if (session.name) void addresses.carry(session.name);
			}
			return session;
		},
		staleTime: 60_000,
		retry: once,
	});
}

/** Whether whoever is signed in may do that; yes until it is known. */
export function useMay(what: 'work' | 'override' | 'plan' | 'manage'): boolean {
	const session = useSession();
	return session.data?.may.includes(what) ?? true;
}

export function useSignIn() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (who: { name: string; passphrase: string }) => body(client.POST('/api/v1/session', { body: who })),
		onSuccess: (session) => {
			if (session.ticket) return; // the second factor comes first
			void sync(); // what waited for it
			return cache.invalidateQueries();
		},
	});
}

/** Somebody signed out where the shop could not be told. */
const signingOut = 'elvat-signing-out';

function leaving(is: boolean) {
	try {
		if (is) localStorage.setItem(signingOut, '1');
		else localStorage.removeItem(signingOut);
	} catch {} // a browser that keeps nothing
}

/** Tells the shop of a signing out that it does not know of yet. */
export async function leftBefore(): Promise<void> {
	try {
		if (localStorage.getItem(signingOut) === null) return;
	} catch {
		return;
	}
	await body(client.DELETE('/api/v1/session'));
	leaving(false);
}

export function useSignOut() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: async () => {
			// Without a signal too nothing stays here; the shop is told at the next contact.
			await leave();
			leaving(true);
			addresses.forget();
			const session = await body(client.DELETE('/api/v1/session'));
			leaving(false);
			return session;
		},
		onError: () => location.reload(),
		onSuccess: (session) => {
			cache.setQueryData(['session'], session);
			cache.removeQueries({ predicate: (q) => q.queryKey[0] !== 'session' });
		},
	});
}

export function useChangePassphrase() {
	const cache = useQueryClient();
	return useMutation({
		onSuccess: () => cache.invalidateQueries({ queryKey: ['sessions'] }),
		mutationFn: (change: { old: string; new: string }) =>
			body(client.PUT('/api/v1/session/passphrase', { body: change })),
	});
}

export function useTokens() {
	return useQuery({ queryKey: ['tokens'], queryFn: () => body(client.GET('/api/v1/tokens')) });
}

export function useAddToken() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (token: { name: string; role: Role }) => body(client.POST('/api/v1/tokens', { body: token })),
		onSuccess: (made) => cache.setQueryData(['tokens'], made.tokens),
	});
}

export function useWithdrawToken() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (accessToken: number) =>
			body(client.DELETE('/api/v1/tokens/{accessToken}', { params: { path: { accessToken } } })),
		onSuccess: (left) => cache.setQueryData(['tokens'], left),
	});
}

/** The houses that came into the book before the given one; the newest where it is 0. */
export function useSites(before: number) {
	return useQuery({
		queryKey: ['sites', before],
		queryFn: () => body(client.GET('/api/v1/sites', { params: { query: { before } } })),
		placeholderData: (before) => before,
	});
}

export function useSite(site: number) {
	return useQuery({
		queryKey: ['site', site],
		queryFn: () => body(client.GET('/api/v1/sites/{site}', { params: { path: { site } } })),
		retry: once,
	});
}

/** A change of a site: the server answers with all that is known of it. */
function useSiteChange<V>(send: (what: V) => Promise<SiteBook>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: send,
		onSuccess: (now) => {
			cache.setQueryData(['site', now.id], now);
			cache.invalidateQueries({ queryKey: ['sites'] });
		},
	});
}

export function useAddSite() {
	return useSiteChange((site: { name: string; address: string }) => body(client.POST('/api/v1/sites', { body: site })));
}

export function useChangeSite(site: number) {
	return useSiteChange((change: Schemas['SiteChange']) =>
		body(client.PATCH('/api/v1/sites/{site}', { params: { path: { site } }, body: change })),
	);
}

export function useAddPanel(site: number) {
	return useSiteChange((name: string) =>
		body(client.POST('/api/v1/sites/{site}/panels', { params: { path: { site } }, body: { name } })),
	);
}

export function useSetPanel(panel: number) {
	return useSiteChange((change: { name: string; directory: DirectoryRow[] }) =>
		body(client.PUT('/api/v1/panels/{panel}', { params: { path: { panel } }, body: change })),
	);
}

export function useImportDirectory(panel: number) {
	return useSiteChange((csv: string) =>
		body(
			client.PUT('/api/v1/panels/{panel}/directory.csv', {
				params: { path: { panel } },
				body: csv,
				bodySerializer: (text) => text,
				headers: { 'Content-Type': 'application/octet-stream' },
			}),
		),
	);
}

export function useRun(run: number) {
	return useQuery({
		queryKey: ['run', run],
		queryFn: () => body(client.GET('/api/v1/runs/{run}', { params: { path: { run } } })),
		retry: once,
	});
}

export function useSetInstalled(run: number) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: ({ device, installedAt }: { device: string; installedAt?: string }) =>
			body(
				client.PUT('/api/v1/runs/{run}/gfcis/{device}', { params: { path: { run, device } }, body: { installedAt } }),
			),
		onSuccess: (now: RunBook) => {
			cache.setQueryData(['run', run], now);
			cache.invalidateQueries({ queryKey: ['site', now.site] });
		},
	});
}

export function useTestsDue() {
	return useQuery({ queryKey: ['tests-due'], queryFn: () => body(client.GET('/api/v1/tests-due')) });
}

export function useSearch(q: string) {
	return useQuery({
		queryKey: ['search', q],
		queryFn: () => body(client.GET('/api/v1/search', { params: { query: { q } } })),
		enabled: q.trim() !== '',
		placeholderData: (before) => before,
	});
}

export function useStock() {
	return useQuery({ queryKey: ['stock'], queryFn: () => body(client.GET('/api/v1/stock')) });
}

export function useAddStock() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (move: Move) => body(client.POST('/api/v1/stock', { body: move })),
		retry: (tries, error) => once(tries, error), // sent twice, entered once
		onSuccess: (now) => cache.setQueryData(['stock'], now),
	});
}

export function usePeople() {
	return useQuery({ queryKey: ['people'], queryFn: () => body(client.GET('/api/v1/people')), retry: once });
}

export function useAddPerson() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (person: { name: string; role: Role; passphrase: string }) =>
			body(client.POST('/api/v1/people', { body: person })),
		onSuccess: (now) => cache.setQueryData(['people'], now),
	});
}

export function useChangePerson() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: ({
			id,
			...change
		}: {
			id: number;
			role?: Role;
			passphrase?: string;
			withdrawn?: boolean;
			noFactors?: boolean;
		}) => body(client.PATCH('/api/v1/people/{person}', { params: { path: { person: id } }, body: change })),
		onSuccess: (now) => cache.setQueryData(['people'], now),
	});
}

export function useBackups() {
	return useQuery({ queryKey: ['backups'], queryFn: () => body(client.GET('/api/v1/backups')), retry: once });
}

export function useMakeBackup() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: () => body(client.POST('/api/v1/backups')),
		onSuccess: (now) => cache.setQueryData(['backups'], now),
	});
}

/** What stands beside a call: it answers with the whole call. */
function useBeside<V>(call: number, send: (what: V) => Promise<Call>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: send,
		scope: queueOf(call),
		onSuccess: (now) => {
			cache.setQueryData(['call', call], noted(`call ${call}`, now));
			for (const key of ['work', 'box', 'report']) cache.invalidateQueries({ queryKey: [key, call] });
		},
	});
}

const at = (call: number) => ({ params: { path: { call } } });

/** Has one command carried out on the call, by the one door for all of them. */
export function useCommand(call: number) {
	return useBeside(call, async (doing: { do: string } & Record<string, unknown>) => {
		const now = new Date().toISOString();
		const sent = { id: newID(), doing, madeAt: now } as unknown as Schemas['Command'];
		const { results, call: after } = await body(
			client.POST('/api/v1/calls/{call}/commands', { ...at(call), body: { commands: [sent] } }),
		);
		const refused = results.find((r) => !r.done);
		if (refused) throw new Refused(refused.detail ?? 'Not done.', refused.status ?? 422);
		return after;
	});
}

/** Whether something done on the call is still on its way. */
export function useSaving(call: number): boolean {
	const scope = queueOf(call).id;
	return useIsMutating({ predicate: (m) => m.options.scope?.id === scope }) > 0;
}

/**
 * Takes back what was entered on this page last, once all that was entered before it is in; where nothing was, the last of
 * whoever works here. Redo brings back what was taken back last.
 */
export function useUndo(call: number) {
	const cache = useQueryClient();
	const known = () => cache.getQueryData<Call>(['call', call]);
	const send = (way: 'undo' | 'redo', of: string | undefined) => {
		const params = { path: { call }, query: { of } };
		return way === 'undo'
			? body(client.POST('/api/v1/calls/{call}/undo', { params }))
			: body(client.POST('/api/v1/calls/{call}/redo', { params }));
	};
	return useBeside(call, async (way: 'undo' | 'redo') => {
		if (way === 'redo') return send(way, known()?.redo?.id);
		for (let of = lastEntered(call); of; of = lastEntered(call)) {
			try {
				const now = await send(way, of);
				forget(call, of);
				return now;
			} catch (error) {
				if (!(error instanceof Refused && error.final)) throw error;
				forget(call, of); // it set nothing
			}
		}
		return send(way, known()?.undo?.id);
	});
}

export function useSettle(call: number) {
	return useBeside(call, ({ conflict, take }: { conflict: string; take: 'mine' | 'theirs' }) =>
		body(
			client.POST('/api/v1/calls/{call}/conflicts/{conflict}', {
				params: { path: { call, conflict } },
				body: { take },
			}),
		),
	);
}

export function useUsePart(call: number) {
	return useBeside(call, (move: Move) => body(client.POST('/api/v1/calls/{call}/used', { ...at(call), body: move })));
}

export function useMakeVisit(call: number) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: () => body(client.POST('/api/v1/calls/{call}/visit', at(call))),
		onSuccess: () => cache.invalidateQueries({ queryKey: ['call', call] }),
	});
}

export function useMakeResult(call: number) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: () => body(client.POST('/api/v1/calls/{call}/result', at(call))),
		onSuccess: () => cache.invalidateQueries({ queryKey: ['call', call] }),
	});
}

export function useEndResult(call: number) {
	return useBeside(call, () => body(client.DELETE('/api/v1/calls/{call}/result', at(call))));
}

export function useEndVisit(call: number) {
	return useBeside(call, () => body(client.DELETE('/api/v1/calls/{call}/visit', at(call))));
}

import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { given } from '../door/again';
import { sync } from '../phone/phone';
import { body, client, Refused, type Schemas } from './client';

export type Event = Schemas['Event'];
export type Factors = Schemas['Factors'];
export type DoorRules = Schemas['DoorRules'];
export type OwnSession = Schemas['OwnSession'];

const once = (tries: number, error: Error) => !(error instanceof Refused && error.final) && tries < 3;

/** Gives the passphrase once more. */
export function useFreshen() {
	return useMutation({
		mutationFn: (passphrase: string) => body(client.POST('/api/v1/session/fresh', { body: { passphrase } })),
	});
}

/** Gives the second factor of a sign-in. */
export function useSecond() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (shown: { ticket: string; code?: string; recovery?: string; passkey?: Record<string, never> }) =>
			body(client.POST('/api/v1/session/second', { body: shown })),
		onSuccess: () => {
			void sync(); // what waited for it
			return cache.invalidateQueries();
		},
	});
}

/** Has the browser ask a passkey, to finish a sign-in. */
export async function askPasskey(ticket: string): Promise<Record<string, never>> {
	const { options } = await body(client.POST('/api/v1/session/second/passkey', { body: { ticket } }));
	const { publicKey } = options as unknown as { publicKey: PublicKeyCredentialRequestOptionsJSON };
	const answer = await navigator.credentials.get({
		publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(publicKey),
	});
	return (answer as PublicKeyCredential).toJSON();
}

/** Has the browser make a passkey, and the shop keep it. */
export function useAddPasskey() {
	return useFactorChange(async (name: string) => {
		const { ticket, options } = await body(client.POST('/api/v1/factors/passkey'));
		const { publicKey } = options as unknown as { publicKey: PublicKeyCredentialCreationOptionsJSON };
		const made = await navigator.credentials.create({
			publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(publicKey),
		});
		const passkey = (made as PublicKeyCredential).toJSON();
		return body(client.PUT('/api/v1/factors/passkey', { body: { ticket, name, passkey } }));
	});
}

export function useFactors() {
	return useQuery({ queryKey: ['factors'], queryFn: () => body(client.GET('/api/v1/factors')), retry: once });
}

function useFactorChange<V>(send: (what: V) => Promise<Factors>) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: send,
		onSuccess: (now) => {
			cache.setQueryData(['factors'], now);
			return cache.invalidateQueries({ queryKey: ['session'] });
		},
	});
}

export function useBeginCode() {
	return useMutation({ mutationFn: () => body(client.POST('/api/v1/factors/code')) });
}

export function useAddCode() {
	return useFactorChange((made: { ticket: string; code: string; name: string }) =>
		body(client.PUT('/api/v1/factors/code', { body: made })),
	);
}

export function useRemoveFactor() {
	return useFactorChange((factor: number) =>
		body(client.DELETE('/api/v1/factors/{factor}', { params: { path: { factor } } })),
	);
}

export function useMakeRecovery() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: () => body(client.POST('/api/v1/factors/recovery')),
		onSuccess: () => cache.invalidateQueries({ queryKey: ['factors'] }),
	});
}

export function useOwnSessions() {
	return useQuery({ queryKey: ['sessions'], queryFn: () => body(client.GET('/api/v1/sessions')), retry: once });
}

export function useEndSession() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (session: number) =>
			body(client.DELETE('/api/v1/sessions/{session}', { params: { path: { session } } })),
		onSuccess: (left) => cache.setQueryData(['sessions'], left),
	});
}

/** How well a passphrase would hold; asked a moment after the last letter. */
export function useStrength(passphrase: string, name?: string) {
	return useQuery({
		queryKey: ['strength', name, passphrase],
		queryFn: async ({ signal }) => {
			await new Promise((done) => setTimeout(done, 300));
			if (signal.aborted) throw new Error('typed on');
			return body(client.POST('/api/v1/session/strength', { body: { passphrase, name }, signal }));
		},
		enabled: passphrase.length >= 4,
		placeholderData: (before) => before,
		retry: false,
		gcTime: 0, // nothing of it stays in the browser
		staleTime: Number.POSITIVE_INFINITY,
	});
}

export function useDoorRules() {
	return useQuery({ queryKey: ['door'], queryFn: () => body(client.GET('/api/v1/door')), retry: once });
}

export function useSetDoorRules() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (rules: DoorRules) => body(client.PUT('/api/v1/door', { body: rules })),
		onSuccess: (now) => {
			cache.setQueryData(['door'], now);
			// Who sets it may be the first whom it asks for something.
			return cache.invalidateQueries({ queryKey: ['session'] });
		},
	});
}

export function useEvents(before: number) {
	return useQuery({
		queryKey: ['events', before],
		queryFn: () => body(client.GET('/api/v1/events', { params: { query: { before } } })),
		placeholderData: (shown) => shown,
		retry: once,
	});
}

export function useEraseSite(site: number) {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: () => body(client.POST('/api/v1/sites/{site}/erase', { params: { path: { site } } })),
		onSuccess: () => {
			void sync();
			return cache.invalidateQueries();
		},
	});
}

/** Has the browser take a file, once the passphrase is fresh; false where it was not given. */
export async function take(path: string): Promise<boolean> {
	const { freshUntil, required } = await body(client.GET('/api/v1/session'));
	const soon = new Date(Date.now() + 20_000).toISOString();
	if (required && (!freshUntil || freshUntil < soon) && !(await given())) return false;
	save(path, '');
	return true;
}

/** Takes everything as one archive, encrypted. */
export function useSealedArchive() {
	return useMutation({
		mutationFn: async (passphrase: string) => {
			const file = await body(
				client.POST('/api/v1/archive/sealed', { body: { passphrase }, parseAs: 'blob' }) as never,
			);
			const at = URL.createObjectURL(file as Blob);
			save(at, 'elvat-archive.zip.age');
			URL.revokeObjectURL(at);
		},
	});
}

function save(at: string, name: string) {
	const link = document.createElement('a');
	link.href = at;
	link.download = name;
	link.click();
}

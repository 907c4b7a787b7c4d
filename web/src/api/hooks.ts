import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { body, type Call, client, type NewStop, type Reading, Refused, type StopChange } from './client';

export function useBasics() {
	return useQuery({
		queryKey: ['basics'],
		queryFn: () => body(client.GET('/api/basics')),
		staleTime: Number.POSITIVE_INFINITY,
	});
}

export function useCalls() {
	return useQuery({ queryKey: ['calls'], queryFn: () => body(client.GET('/api/calls')) });
}

export function useCall(call: number) {
	return useQuery({
		queryKey: ['call', call],
		queryFn: () => body(client.GET('/api/calls/{call}', { params: { path: { call } } })),
		retry: (tries, error) => !(error instanceof Refused) && tries < 3,
	});
}

export function useNewCall() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (made: { title: string; complaint: string; circuit?: string }) =>
			body(client.POST('/api/calls', { body: made })),
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
		scope: { id: `call-${call}` }, // one after the other, in the order made
		retry: (tries, error) => !(error instanceof Refused) && tries < 5,
		onSuccess: (now) => cache.setQueryData(['call', call], now),
	});
}

const at = (call: number) => ({ params: { path: { call } } });

export function useReadCautions(call: number) {
	return useChange(call, () => body(client.POST('/api/calls/{call}/cautions', at(call))));
}

export interface Entered {
	id: string;
	reading: Reading;
}

export function useAddReading(call: number) {
	return useChange(call, ({ id, reading }: Entered) =>
		body(client.POST('/api/calls/{call}/readings', { ...at(call), body: { id, reading: { ...reading } } })),
	);
}

export function useWithdrawReading(call: number) {
	return useChange(call, (what: { reading: string; withdrawn: boolean }) =>
		body(
			client.PATCH('/api/calls/{call}/readings/{reading}', {
				params: { path: { call, reading: what.reading } },
				body: { withdrawn: what.withdrawn },
			}),
		),
	);
}

export function useSetBreaker(call: number) {
	return useChange(call, (breaker: { label: string; amps: number }) =>
		body(client.PUT('/api/calls/{call}/breaker', { ...at(call), body: breaker })),
	);
}

export function useAddStop(call: number) {
	return useChange(call, (stop: NewStop) => body(client.POST('/api/calls/{call}/stops', { ...at(call), body: stop })));
}

export function useChangeStop(call: number) {
	return useChange(call, ({ box, change }: { box: string; change: StopChange }) =>
		body(client.PATCH('/api/calls/{call}/stops/{box}', { params: { path: { call, box } }, body: change })),
	);
}

export function useRemoveStop(call: number) {
	return useChange(call, (box: string) =>
		body(client.DELETE('/api/calls/{call}/stops/{box}', { params: { path: { call, box } } })),
	);
}

export function useUndoRun(call: number) {
	return useChange(call, () => body(client.POST('/api/calls/{call}/circuit/undo', at(call))));
}

export function useReplaceCircuit(call: number) {
	return useChange(call, (file: string) =>
		body(
			client.PUT('/api/calls/{call}/circuit', {
				...at(call),
				body: file,
				bodySerializer: (text) => text,
				headers: { 'Content-Type': 'application/octet-stream' },
			}),
		),
	);
}

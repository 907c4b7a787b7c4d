import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type AppointmentChange, body, client, type PriceList, Refused, type Schemas } from './client';

const once = (tries: number, error: Error) => !(error instanceof Refused) && tries < 3;

/** The calls of a day by van, in order. */
export function useDay(date: string) {
	return useQuery({
		queryKey: ['day', date],
		queryFn: () => body(client.GET('/api/v1/days/{date}', { params: { path: { date } } })),
		refetchInterval: 15_000,
		retry: once,
	});
}

export function useDayOrder(date: string) {
	const cache = useQueryClient();
	return useMutation({
		scope: { id: 'day' },
		mutationFn: (order: Schemas['DayOrder']) =>
			body(client.PUT('/api/v1/days/{date}/order', { params: { path: { date } }, body: order })),
		onSuccess: (book) => cache.setQueryData(['day', date], book),
	});
}

/** Sets something of the appointment of one of the day's calls. */
export function useAppoint() {
	const cache = useQueryClient();
	return useMutation({
		scope: { id: 'day' },
		mutationFn: ({ call, change }: { call: number; change: AppointmentChange }) =>
			body(client.PUT('/api/v1/calls/{call}/appointment', { params: { path: { call } }, body: change })),
		onSuccess: (_, { call }) => {
			cache.invalidateQueries({ queryKey: ['day'] });
			cache.invalidateQueries({ queryKey: ['call', call] });
		},
	});
}

export function useSetDaySettings() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (settings: Schemas['DaySettings']) => body(client.PUT('/api/v1/day-settings', { body: settings })),
		onSuccess: () => cache.invalidateQueries({ queryKey: ['day'] }),
	});
}

export function useClocks() {
	return useQuery({ queryKey: ['clocks'], queryFn: () => body(client.GET('/api/v1/clocks')), retry: once });
}

export function useMakeFeed() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (van: string) => body(client.POST('/api/v1/feeds', { body: { van } })),
		onSuccess: () => cache.invalidateQueries({ queryKey: ['day'] }),
	});
}

export function useEndFeed() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (van: string) => body(client.DELETE('/api/v1/feeds', { params: { query: { van } } })),
		onSuccess: () => cache.invalidateQueries({ queryKey: ['day'] }),
	});
}

export function usePrices() {
	return useQuery({ queryKey: ['prices'], queryFn: () => body(client.GET('/api/v1/prices')), retry: once });
}

export function useSetPrices() {
	const cache = useQueryClient();
	return useMutation({
		scope: { id: 'prices' },
		mutationFn: (list: PriceList) => body(client.PUT('/api/v1/prices', { body: list })),
		onSuccess: (list) => {
			cache.setQueryData(['prices'], list);
			cache.invalidateQueries({ queryKey: ['price'] });
		},
	});
}

const at = (call: number) => ({ params: { path: { call } } });

/** What a call costs, with what is chosen. */
export function useCallPrice(call: number, choice: Schemas['PriceChoice'] = {}) {
	return useQuery({
		queryKey: ['price', call, choice],
		queryFn: () => body(client.GET('/api/v1/calls/{call}/price', { params: { path: { call }, query: choice } })),
		placeholderData: (before) => before,
		retry: once,
	});
}

/** A change of what a call costs: the answer is all of it as it now is. */
function usePriceChange<V>(call: number, send: (what: V) => Promise<Schemas['CallPrice']>) {
	const cache = useQueryClient();
	return useMutation({
		scope: { id: `price-${call}` },
		mutationFn: send,
		retry: (tries, error) => !(error instanceof Refused && error.final) && tries < 5,
		onSuccess: (now) => {
			cache.setQueryData(['price', call, {}], now);
			for (const key of ['price', 'invoices', 'call']) cache.invalidateQueries({ queryKey: [key] });
		},
	});
}

export function useMakeQuote(call: number) {
	return usePriceChange(call, (choice: Schemas['PriceChoice']) =>
		body(client.POST('/api/v1/calls/{call}/quote', { ...at(call), body: choice })),
	);
}

export function useAcceptQuote(call: number) {
	return usePriceChange(call, (accepted: Schemas['QuoteAccepted']) =>
		body(client.POST('/api/v1/calls/{call}/quote/accepted', { ...at(call), body: accepted })),
	);
}

export function useIssueInvoice(call: number) {
	return usePriceChange(call, (choice: Schemas['PriceChoice']) =>
		body(client.POST('/api/v1/calls/{call}/invoices', { ...at(call), body: choice })),
	);
}

export function useCreditInvoice(call: number) {
	return usePriceChange(call, ({ invoice, why }: { invoice: number; why: string }) =>
		body(client.POST('/api/v1/invoices/{invoice}/credit', { params: { path: { invoice } }, body: { why } })),
	);
}

export function useInvoices() {
	return useQuery({ queryKey: ['invoices'], queryFn: () => body(client.GET('/api/v1/invoices')), retry: once });
}

import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { body, client, Refused, type Schemas } from './client';

export type DrillInfo = Schemas['DrillInfo'];
export type DrillBox = Schemas['DrillBox'];
export type DrillPoint = Schemas['DrillPoint'];
export type DrillWired = Schemas['DrillWired'];
export type DrillScore = Schemas['DrillScore'];
export type NewDrill = Schemas['NewDrill'];
export type SchoolClass = Schemas['SchoolClass'];

const once = (tries: number, error: Error) => !(error instanceof Refused) && tries < 3;
const at = (call: number) => ({ params: { path: { call } } });

export function useDrills() {
	return useQuery({ queryKey: ['drills'], queryFn: () => body(client.GET('/api/v1/drills')), retry: once });
}

export function useDrillsOfPeople() {
	return useQuery({
		queryKey: ['drills', 'people'],
		queryFn: () => body(client.GET('/api/v1/drills/people')),
		retry: once,
	});
}

export function useBeginDrill() {
	const cache = useQueryClient();
	return useMutation({
		mutationFn: (made: NewDrill) => body(client.POST('/api/v1/drills', { body: made })),
		onSuccess: (now) => {
			cache.setQueryData(['call', now.id], now);
			cache.invalidateQueries({ queryKey: ['drills'] });
		},
	});
}

/** A scene as a file. */
export function useScene() {
	return useMutation({
		mutationFn: (made: NewDrill) => body(client.POST('/api/v1/drills/scene', { body: made })),
	});
}

export function useDoInDrill(call: number) {
	const cache = useQueryClient();
	return useMutation({
		scope: { id: `call-${call}` },
		mutationFn: (deed: Schemas['DrillDeed']) =>
			body(client.POST('/api/v1/calls/{call}/drill', { ...at(call), body: deed })),
		onSuccess: (now) => {
			cache.setQueryData(['call', call], now);
			for (const key of ['work', 'drill', 'call']) cache.invalidateQueries({ queryKey: [key, call] });
			cache.invalidateQueries({ queryKey: ['drills'] });
		},
	});
}

export function useDrillBox(call: number, box: string, steps: number) {
	return useQuery({
		queryKey: ['drill', call, 'box', box, steps],
		queryFn: () => body(client.GET('/api/v1/calls/{call}/drill/boxes/{box}', { params: { path: { call, box } } })),
		retry: once,
	});
}

export function useDrillScore(call: number) {
	return useQuery({
		queryKey: ['drill', call, 'score'],
		queryFn: () => body(client.GET('/api/v1/calls/{call}/drill', at(call))),
		retry: once,
	});
}

export function useSchool(lesson: string, load: number) {
	return useQuery({
		queryKey: ['school', lesson, load],
		queryFn: () => body(client.GET('/api/v1/school', { params: { query: { lesson, load } } })),
		placeholderData: (before) => before,
		retry: once,
	});
}

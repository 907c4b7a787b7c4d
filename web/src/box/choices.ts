import type { Box, Chosen } from '../api/client';
import { measure } from '../ui/units';

/** What is chosen of in one tap, wherever it is asked. */
export const walls = (['gypsum', 'plaster', 'tile', 'wood', 'masonry'] as const).map((v) => ({ value: v, words: v }));

export const exposures = (['dry', 'damp', 'wet'] as const).map((v) => ({ value: v, words: v }));

export const volumes = () => [14, 18, 20.3, 22.5].map((v) => ({ value: v, words: measure('in³').said(v) }));

export const protections = [
	{ value: 'none', words: 'plain' },
	{ value: 'gfci', words: 'GFCI' },
	{ value: 'afci', words: 'AFCI' },
	{ value: 'dual', words: 'both in one' },
	{ value: 'unknown', words: 'not looked' },
] as const;

export const poles = [
	{ value: 1, words: 'one hot' },
	{ value: 2, words: 'two hots together' },
];

export const aluminumWays = [
	{ value: true, words: 'listed connectors at hand' },
	{ value: false, words: 'none' },
];

export const secondHots = [
	{ value: 'leg', words: 'shared neutral' },
	{ value: 'switched', words: 'switched half' },
	{ value: 'unknown', words: 'not known' },
] as const;

export const roles = [
	{ value: 'line', words: 'feed' },
	{ value: 'outgoing', words: 'goes on' },
	{ value: 'unknown', words: 'not known' },
] as const;

/** The box with one thing changed in the device that is to go in. */
export const withDevice = (box: Box, change: Partial<Chosen>): Partial<Box> =>
	box.device ? { device: { ...box.device, ...change } } : {};

/** The box with that cable as the feed; whatever was called the feed is not known any more. */
export const fedBy = (box: Box, id: string): Partial<Box> => ({
	cables: box.cables.map((c) => ({
		...c,
		role: c.id === id ? 'line' : c.role === 'line' || c.role === 'unknown' ? 'outgoing' : c.role,
	})),
});

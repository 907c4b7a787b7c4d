import type { NewOutlet, WayLeg } from '../api/client';

/** What an outlet is for, in the order in which it is offered. */
export const uses: readonly { value: NewOutlet['for']; words: string }[] = [
	{ value: 'workshop', words: 'workshop' },
	{ value: 'appliance', words: 'one appliance' },
	{ value: 'general', words: 'general use' },
	{ value: 'refrigerator', words: 'refrigerator' },
	{ value: 'freezer', words: 'freezer' },
	{ value: 'sump-pump', words: 'sump pump' },
	{ value: 'laundry', words: 'laundry' },
	{ value: 'bathroom', words: 'bathroom' },
	{ value: 'countertop', words: 'countertop' },
	{ value: 'garage', words: 'garage' },
];

export const ways: readonly { value: WayLeg['by']; words: string }[] = [
	{ value: 'open-joists', words: 'open joists' },
	{ value: 'attic', words: 'attic' },
	{ value: 'crawl-space', words: 'crawl space' },
	{ value: 'finished-wall', words: 'finished wall' },
	{ value: 'surface', words: 'surface' },
	{ value: 'masonry', words: 'masonry' },
];

export const wallsOf = [
	{ value: 'open-frame', words: 'open frame' },
	{ value: 'finished', words: 'finished wall' },
	{ value: 'surface', words: 'surface' },
	{ value: 'masonry', words: 'masonry' },
	{ value: 'outdoors', words: 'outdoors' },
] as const;

export const devices = [
	{ value: 'receptacle', words: 'duplex' },
	{ value: 'gfci', words: 'GFCI' },
	{ value: 'afci-gfci', words: 'AFCI/GFCI' },
	{ value: 'single', words: 'single' },
	{ value: 'usb', words: 'USB' },
	{ value: 'smart', words: 'smart' },
] as const;

export const shapes = [
	{ value: 'offset', words: 'offset' },
	{ value: 'box-offset', words: 'box offset' },
	{ value: 'ninety', words: '90°' },
	{ value: 'back-to-back', words: 'back to back' },
] as const;

export const angles = [10, 22.5, 30, 45, 60].map((v) => ({ value: v, words: `${v}°` }));

/** Minutes as a stretch of the day. */
export function hours(minutes: number): string {
	if (minutes < 120) return `${Math.round(minutes / 5) * 5} min`;
	const quarters = Math.round(minutes / 15) / 4;
	return `${quarters} h`;
}

/** The protection of a breaker in the trade's letters. */
export const protectionWords: Record<string, string> = {
	none: 'plain',
	gfci: 'GFCI',
	afci: 'AFCI',
	dual: 'AFCI and GFCI',
	unknown: 'not looked at',
};

/** The number that follows the highest of its kind: N1-3 after N1-2. */
export function nextOutlet(order: { id: string; outlets: NewOutlet[] }): string {
	for (let n = 1; ; n++) {
		const id = `${order.id}-${n}`;
		if (!order.outlets.some((o) => o.id === id)) return id;
	}
}

/** The shelves of the van, in the order in which one walks past them. */
export const shelves = [
	{ key: 'device', words: 'Devices' },
	{ key: 'breaker', words: 'Breakers' },
	{ key: 'box', words: 'Boxes and depth' },
	{ key: 'plate', words: 'Plates and covers' },
	{ key: 'splice', words: 'Connectors' },
	{ key: 'wire', words: 'Wire and cable' },
	{ key: 'hardware', words: 'Screws and small parts' },
	{ key: 'marking', words: 'Labels, markings, tape' },
	{ key: 'tool', words: 'Tools to carry' },
] as const;

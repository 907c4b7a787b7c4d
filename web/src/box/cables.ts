import type { BoxCable } from '../api/client';

/** A cable as people name it: what it is, and what it is for. */
export function cableWords(c: BoxCable): { name: string; about: string } {
	const wires = c.conductors.filter((k) => k !== 'ground').length;
	const size = `${c.awg}-${wires}${c.conductors.includes('ground') ? '' : ', no ground'}`;
	switch (c.role) {
		case 'line':
			return { name: `${c.id} feed`, about: `${size}${c.serves ? `, from ${c.serves}` : ''}` };
		case 'outgoing': {
			const why = c.protect === 'yes' ? ', protect' : c.protect === 'no' ? ', must not go off' : '';
			return { name: `${c.id} ${c.serves || 'goes on'}`, about: `${size}${why}` };
		}
		default:
			return { name: `${c.id} not known`, about: size };
	}
}

const conductorWords = { hot: 'hot', hot2: 'second hot', neutral: 'neutral', ground: 'ground' };

/** The end of a conductor in words. */
export function endWords(cables: BoxCable[], point: string): string {
	const [id, rest] = point.split('@');
	const c = cables.find((cable) => cable.id === id);
	const k = rest?.split('.')[1] as keyof typeof conductorWords;
	const colour = c?.insulation?.[k];
	return `${id} ${conductorWords[k] ?? ''}${colour ? `, ${colour}` : ''}`;
}

const terminals: Record<string, string> = {
	'line.hot': 'LINE, brass',
	'line.neutral': 'LINE, silver',
	'load.hot': 'LOAD, brass',
	'load.neutral': 'LOAD, silver',
	'hot.1': 'upper brass screw',
	'hot.2': 'lower brass screw',
	'neutral.1': 'upper silver screw',
	'neutral.2': 'lower silver screw',
	ground: 'green screw',
	box: 'the metal box',
};

/** A terminal or splice in words. */
export function landingWords(point: string): string {
	if (point.startsWith('splice:')) return `splice, ${point.slice(7)}`;
	const name = point.slice(point.indexOf('.') + 1);
	return terminals[name] ?? point;
}

/** What a wire can land on in this box. */
export function landingPlaces(device: string, gfci: boolean, box: string, metal: boolean): string[] {
	const on = gfci
		? ['line.hot', 'line.neutral', 'load.hot', 'load.neutral']
		: ['hot.1', 'hot.2', 'neutral.1', 'neutral.2'];
	return [
		...[...on, 'ground'].map((t) => `${device}.${t}`),
		'splice:hot',
		'splice:neutral',
		'splice:ground',
		'splice:other',
		...(metal ? [`${box}.box`] : []),
	];
}

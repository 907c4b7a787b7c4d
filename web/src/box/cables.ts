import type { BoxCable, LandingPlace } from '../api/client';

/** A cable as people name it: what it is, and what it is for. */
export function cableWords(c: BoxCable): { name: string; about: string } {
	const wires = c.conductors.filter((k) => k !== 'ground').length;
	const size = `${c.awg}-${wires}${c.conductors.includes('ground') ? '' : ', no ground'}`;
	switch (c.role) {
		case 'line':
			return { name: 'the feed', about: `${size}${c.serves ? `, from ${c.serves}` : ''}` };
		case 'outgoing': {
			const why = c.protect === 'yes' ? ', protect' : c.protect === 'no' ? ', must not go off' : '';
			return { name: c.serves ? `to ${c.serves}` : `${c.id} goes on`, about: `${size}${why}` };
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
	const whose = c?.role === 'line' ? 'feed' : c?.serves ? `to ${c.serves}` : id;
	return `${conductorWords[k] ?? ''}, ${whose}${colour ? `, ${colour}` : ''}`;
}

/** A terminal or splice in words. */
export function landingWords(places: LandingPlace[], point: string): string {
	return places.find((p) => p.point === point)?.words ?? point;
}

import { body, client } from '../api/client';
import type { NewDrill } from '../api/drill';

export const mistakeWords: Record<string, string> = {
	dangerous: 'It would have hurt',
	'left-wrong': 'Something was wrong still',
	wired: 'Not right',
	'wrong-box': 'A sound box opened',
	'too-early': 'A reading was worth more than opening it',
	little: 'It could tell little',
	repeated: 'Read before, nothing changed since',
	asked: 'Advice asked for',
};

export const gradeWords = ['', 'Easiest', 'Second', 'Third', 'Hardest'];

/** A figure to a tenth, without a needless zero. */
export function tenth(n: number): string {
	return String(Math.round(n * 10) / 10);
}

/** Saves a scene as a file, to be handed on. */
export async function saveScene(asked: NewDrill): Promise<void> {
	const scene = await body(client.POST('/api/v1/drills/scene', { body: asked }));
	const url = URL.createObjectURL(new Blob([JSON.stringify(scene, null, 2)], { type: 'application/json' }));
	const link = document.createElement('a');
	link.href = url;
	link.download = `elvat-drill-${asked.theme ?? 'own'}-${asked.level ?? ''}-${asked.seed ?? ''}.json`;
	link.click();
	URL.revokeObjectURL(url);
}

import { Link } from 'react-router';
import type { Call } from '../api/client';

type Move = Call['move'];

/** Where the next move of the call is made. */
export function pathTo(call: Call, move: Move): string {
	const here = `/calls/${call.id}`;
	switch (move.screen) {
		case 'dead':
			return move.box ? `${here}/dead?box=${move.box}` : `${here}/dead`;
		case 'box':
			return `${here}/boxes/${move.box}`;
		case 'prove':
		case 'hand-over':
			return `${here}/${move.screen}`;
		case 'day':
			return '/';
		default: {
			const asked = new URLSearchParams(
				Object.entries({ at: move.at, half: move.half, tool: move.tool }).flatMap(([k, v]) => (v ? [[k, v]] : [])),
			);
			return asked.size > 0 ? `${here}?${asked}` : here;
		}
	}
}

/** The move is made on the screen one is on: what does it stands there. */
const madeHere = (move: Move, screen: Move['screen'], box?: string) =>
	move.screen === screen && (!box || !move.box || move.box === box);

interface Props {
	call: Call;
	screen: Move['screen'];
	box?: string;
}

/** The one button that every screen of a call ends in; a danger that is not excluded says so itself. */
export function NextMove({ call, screen, box }: Props) {
	if (madeHere(call.move, screen, box)) return null;
	return (
		<nav
			aria-label="Next move"
			data-next
			className="sticky bottom-0 z-12 border-t-2 border-ink bg-paper px-4 py-2 wide:px-6 print:hidden"
		>
			<MoveLink call={call} />
		</nav>
	);
}

/** The next move by its name, or by the words of the screen it stands on. */
export function MoveLink({ call, words }: { call: Call; words?: string }) {
	return (
		<Link
			to={pathTo(call, call.move)}
			aria-keyshortcuts="n"
			className="inline-flex min-h-14 items-center justify-center bg-accent px-6 text-lg/tight font-bold text-on-accent hover:brightness-110 max-wide:w-full"
		>
			{words ?? call.move.words}
		</Link>
	);
}

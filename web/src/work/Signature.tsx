import { type PointerEvent, useRef } from 'react';
import { Button } from '../ui/Button';

/** The field a signature is kept in. */
const wide = 600;
const tall = 200;

/** A signature as it was drawn. */
export function Signature({ path, words }: { path: string; words: string }) {
	return (
		<svg
			viewBox={`0 0 ${wide} ${tall}`}
			role="img"
			aria-label={words}
			className="max-w-80 border-b border-ink bg-sheet"
		>
			<path d={path} fill="none" stroke="var(--ink)" strokeWidth="4" strokeLinecap="round" strokeLinejoin="round" />
		</svg>
	);
}

interface Props {
	path: string;
	keep: (path: string) => void;
	/** Whose it is. */
	name: string;
}

/** Signed by finger, pen or mouse: kept as lines, not as a picture. */
export function SignaturePad({ path, keep, name }: Props) {
	const field = useRef<SVGSVGElement>(null);
	const drawing = useRef(false);
	// A fast hand makes several points before the next frame: none of them may start from an older line.
	const line = useRef(path);
	line.current = path;
	const draw = (more: string) => {
		line.current += more;
		keep(line.current);
	};
	const at = (e: PointerEvent) => {
		const box = field.current?.getBoundingClientRect();
		if (!box) return '';
		const x = Math.max(0, Math.min(wide, ((e.clientX - box.left) / box.width) * wide));
		const y = Math.max(0, Math.min(tall, ((e.clientY - box.top) / box.height) * tall));
		return `${x.toFixed(1)} ${y.toFixed(1)}`;
	};
	return (
		<div className="grid gap-1">
			<div className="flex items-center">
				<span className="grow text-soft">{name ? `${name} signs here` : 'signed here'}, if they wish</span>
				{path && (
					<Button kind="quiet" onClick={() => keep('')}>
						Wipe it
					</Button>
				)}
			</div>
			<svg
				ref={field}
				viewBox={`0 0 ${wide} ${tall}`}
				role="img"
				aria-label={path ? 'Signature, drawn' : 'Field to sign in'}
				className="w-full touch-none border-2 border-ink bg-sheet"
				onPointerDown={(e) => {
					e.currentTarget.setPointerCapture(e.pointerId);
					drawing.current = true;
					draw(`M ${at(e)}`);
				}}
				onPointerMove={(e) => drawing.current && draw(` L ${at(e)}`)}
				onPointerUp={() => {
					drawing.current = false;
				}}
				onPointerCancel={() => {
					drawing.current = false;
				}}
			>
				<line x1="30" y1="160" x2={wide - 30} y2="160" stroke="var(--hair)" strokeWidth="2" />
				<path d={path} fill="none" stroke="var(--ink)" strokeWidth="4" strokeLinecap="round" strokeLinejoin="round" />
			</svg>
		</div>
	);
}

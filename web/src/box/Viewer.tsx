import { type ReactNode, useCallback, useEffect, useRef, useState } from 'react';
import { Button } from '../ui/Button';

/** A part of a drawing, in its own units. */
export interface Extent {
	left: number;
	top: number;
	right: number;
	bottom: number;
}

/** The smallest letters of the drawing are 16 units high: below this they would be less than 12 px. */
const leastScale = 0.75;
const mostScale = 2;
/** A small box is not blown up to fill a wide screen. */
const usualMost = 1.2;
const step = 1.25;
const margin = 40;

interface Props {
	width: number;
	height: number;
	label: string;
	/** What is to be in sight: the wires of the step in hand. */
	near?: Extent;
	/** The drawing, and what of it the small picture of the whole box shows. */
	children: ReactNode;
	whole: ReactNode;
}

/**
 * A drawing of any size on a screen of any size: letters stay readable, what the step
 * touches is brought into sight, the rest is reached by dragging, and the whole box
 * stands small beside it.
 */
export function Viewer({ width, height, label, near, children, whole }: Props) {
	const frame = useRef<HTMLElement>(null);
	const [room, setRoom] = useState({ width: 0, height: 0 });
	const [zoom, setZoom] = useState<number | null>(null);
	const [at, setAt] = useState({ x: 0, y: 0 });

	useEffect(() => {
		const el = frame.current;
		if (!el) return;
		// It is as high as what is in it, up to what the screen lets it be.
		const measure = () =>
			setRoom({ width: el.clientWidth, height: Number.parseFloat(getComputedStyle(el).maxHeight) || el.clientHeight });
		measure();
		const watch = new ResizeObserver(measure);
		watch.observe(el);
		return () => watch.disconnect();
	}, []);

	const fit =
		room.width === 0 ? 1 : Math.max(leastScale, Math.min(usualMost, room.width / width, room.height / height));
	const scale = zoom ?? fit;
	const overflows = width * scale > room.width + 1 || height * scale > room.height + 1;

	const show = useCallback((e: Extent, to: number) => {
		const el = frame.current;
		if (!el) return;
		// After the new size is laid out.
		requestAnimationFrame(() =>
			el.scrollTo({
				left: ((e.left + e.right) / 2) * to - el.clientWidth / 2,
				top: ((e.top + e.bottom) / 2) * to - el.clientHeight / 2,
			}),
		);
	}, []);

	const key = near ? `${near.left} ${near.top} ${near.right} ${near.bottom}` : '';
	// biome-ignore lint/correctness/useExhaustiveDependencies: it moves when the step does, not when it is dragged
	useEffect(() => {
		if (!near || room.width === 0) return;
		if (width * fit <= room.width + 1 && height * fit <= room.height + 1) return setZoom(null);
		const to = Math.min(
			room.width / (near.right - near.left + 2 * margin),
			room.height / (near.bottom - near.top + 2 * margin),
		);
		const next = Math.max(leastScale, Math.min(usualMost, to));
		setZoom(next);
		show(near, next);
	}, [key, room.width]);

	const by = (factor: number) => setZoom(Math.max(leastScale, Math.min(mostScale, scale * factor)));
	const small = 84 / Math.max(width, height);
	return (
		<div>
			<figure
				ref={frame}
				className="m-0 max-h-[30dvh] overflow-auto overscroll-contain wide:max-h-[calc(100dvh-15.5rem)] print:max-h-none"
				// biome-ignore lint/a11y/noNoninteractiveTabindex: it is panned by keys too
				tabIndex={0}
				aria-label="Drawing"
				onScroll={(e) => setAt({ x: e.currentTarget.scrollLeft, y: e.currentTarget.scrollTop })}
			>
				<div style={{ width: width * scale, height: height * scale }} className="mx-auto print:h-auto! print:w-auto!">
					<svg
						viewBox={`0 0 ${width} ${height}`}
						className="box-drawing block size-full print:h-auto"
						role="img"
						aria-label={label}
					>
						{children}
					</svg>
				</div>
			</figure>
			{overflows && (
				<div className="mt-1 flex items-end gap-2 print:hidden">
					<svg
						viewBox={`0 0 ${width} ${height}`}
						width={width * small}
						height={height * small}
						className="block shrink-0 border border-hair bg-paper"
						role="img"
						aria-label="The whole box, small"
						onPointerDown={(e) => {
							const r = e.currentTarget.getBoundingClientRect();
							const [x, y] = [(e.clientX - r.left) / small, (e.clientY - r.top) / small];
							show({ left: x, right: x, top: y, bottom: y }, scale);
						}}
					>
						{whole}
						<rect
							x={at.x / scale}
							y={at.y / scale}
							width={Math.min(width, room.width / scale)}
							height={Math.min(height, room.height / scale)}
							fill="none"
							stroke="var(--accent)"
							strokeWidth={3 / small}
						/>
					</svg>
					<span className="flex flex-wrap gap-1">
						<Button aria-label="Larger" disabled={scale >= mostScale} onClick={() => by(step)}>
							+
						</Button>
						<Button aria-label="Smaller" disabled={scale <= leastScale} onClick={() => by(1 / step)}>
							−
						</Button>
						{near && (
							<Button kind="quiet" onClick={() => show(near, scale)}>
								The step’s wires
							</Button>
						)}
					</span>
				</div>
			)}
		</div>
	);
}

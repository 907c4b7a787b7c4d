import { ChevronsUpDown } from 'lucide-react';
import { useEffect, useRef } from 'react';
import type { Call, Stop } from '../api/client';
import { Delta } from '../delta/Delta';
import { percent } from '../ui/words';
import { assumed, found, halves, label } from './shown';
import { stateNow } from './state';

interface Props {
	call: Call;
	picked: string | null;
	pick: (box: string) => void;
	open: () => void;
}

const worthSaying = 0.01;

/** The run folded to one line: its stops in the order one walks them, a branch marked where it leaves. */
export function Strip({ call, picked, pick, open }: Props) {
	const line = useRef<HTMLDivElement>(null);
	const weights = new Map(call.diagnosis.weights.map((w) => [w.site, w.probability]));
	useEffect(() => {
		const box = line.current;
		const at = box?.querySelector<HTMLElement>(`[data-stop="${picked}"]`);
		if (box && at) box.scrollTo({ left: at.offsetLeft - (box.clientWidth - at.offsetWidth) / 2, behavior: 'smooth' });
	}, [picked]);
	const off = !stateNow(call).breakerOn;
	return (
		<div className="flex">
			<button
				type="button"
				onClick={open}
				aria-label={`The whole run, breaker ${call.breaker.label || '?'}${off ? ', off' : ''}`}
				className="grid w-14 shrink-0 place-items-center content-center border-r-2 border-ink hover:bg-wash"
			>
				<b className="text-xl/tight">{call.breaker.label || '?'}</b>
				<span className={off ? 'font-bold' : 'text-soft'}>{off ? 'OFF' : `${call.breaker.amps} A`}</span>
				<ChevronsUpDown size={18} aria-hidden="true" />
			</button>
			<div ref={line} className="relative flex overflow-x-auto">
				{call.stops.map((stop, i) => (
					<Station
						key={stop.box}
						call={call}
						stop={stop}
						after={call.stops[i - 1]?.box ?? 'panel'}
						picked={stop.box === picked}
						pick={() => pick(stop.box)}
						weight={(weights.get(stop.box) ?? 0) + (weights.get(stop.cable.id) ?? 0)}
					/>
				))}
			</div>
		</div>
	);
}

interface StationProps {
	call: Call;
	stop: Stop;
	after: string;
	picked: boolean;
	pick: () => void;
	/** Of its box and of the cable to it. */
	weight: number;
}

function Station({ call, stop, after, picked, pick, weight }: StationProps) {
	const straight = stop.from === after;
	const dotted = assumed(call, stop.box) ? 'border-dotted' : '';
	return (
		<button
			type="button"
			data-stop={stop.box}
			onClick={pick}
			aria-pressed={picked}
			aria-label={label(call, { stop }, weight >= worthSaying ? weight : undefined)}
			className="relative grid w-29 shrink-0 content-start justify-items-center pt-1.5 pb-1 aria-pressed:bg-wash"
		>
			<span aria-hidden="true" className="flex h-7 items-end gap-1">
				{stop.devices.flatMap((d) =>
					halves.map((h) => (
						<Delta key={d.id + h} delta={found(call, d.id, h)} size={stop.devices.length > 1 ? 22 : 28} />
					)),
				)}
			</span>
			<span aria-hidden="true" className="relative my-1 grid h-5 w-full place-items-center">
				<i className={`absolute top-2 right-0 border-t-4 border-ink ${dotted} ${straight ? 'left-0' : 'left-1/2'}`} />
				{!straight && <i className="absolute -top-2 left-2 h-4 w-11 border-b-4 border-l-4 border-ink" />}
				<i className={`relative size-5 border-[2.5px] border-ink ${picked ? 'bg-accent' : 'bg-sheet'}`} />
				{stop.devices.some((d) => d.kind === 'gfci') && (
					<i className="absolute left-[calc(50%+14px)] h-5 w-2.5 border-x-[3px] border-ink bg-sheet" />
				)}
			</span>
			<span
				aria-hidden="true"
				className={`line-clamp-2 w-full px-1 text-center leading-4 wrap-anywhere ${picked ? 'font-bold' : ''}`}
			>
				{stop.label}
			</span>
			{weight >= worthSaying && (
				<span aria-hidden="true" className="mono flex items-center gap-1 text-sm font-bold">
					<i className="h-2.5 bg-accent" style={{ width: Math.max(3, weight * 48) }} />
					{percent(weight)}
				</span>
			)}
		</button>
	);
}

import { type ReactNode, useEffect } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Call, Work } from '../api/client';
import { useCall, useWork } from '../api/hooks';
import { SetTwice, UndoButtons } from '../calls/Beside';
import { DangerBand } from '../calls/DangerBand';
import { HazardButton, Hazards } from '../calls/Hazards';
import { NextMove } from '../calls/NextMove';
import { Phases } from '../calls/Phases';
import { DrillBar } from '../drill/DrillBar';
import { Problem } from '../ui/Problem';
import { Mark, ThemeButton } from '../ui/TopBar';

interface Props {
	title: string;
	screen: Call['move']['screen'];
	/** Both columns are of the same weight. */
	even?: boolean;
	children: (call: Call, work: Work) => ReactNode;
}

/** The frame of a phase of the work: the call's name, its phases, its dangers. */
export function WorkFrame({ title, screen, even, children }: Props) {
	const id = Number(useParams().call);
	const call = useCall(id);
	const work = useWork(id);
	const go = useNavigate();
	useEffect(() => {
		document.title = `${title}, Elvat`;
	}, [title]);
	if (!call.data || !work.data) {
		return (
			<main className="grid gap-4 p-6">
				<h1 className="m-0 text-xl font-bold">
					{call.error || work.error ? 'This call cannot be shown' : 'Opening the call'}
				</h1>
				<Problem error={call.error ?? work.error} again={() => call.refetch()} />
				<Link to="/" className="inline-flex min-h-11 items-center underline underline-offset-4">
					The day's calls
				</Link>
			</main>
		);
	}
	return (
		<div className="work-page flex min-h-dvh flex-col">
			<header className="flex flex-col border-b-2 border-ink wide:flex-row">
				<div className="flex min-w-0 grow items-center gap-3 py-1.5 pr-2 pl-3 wide:pl-5">
					<Link
						to={`/calls/${id}`}
						aria-label="Back to the call"
						aria-keyshortcuts="h"
						className="grid size-11 shrink-0 place-items-center hover:bg-wash print:hidden"
					>
						<Mark />
					</Link>
					<div className="min-w-0 grow">
						<h1 className="m-0 truncate text-lg/tight font-bold">{title}</h1>
						<p className="m-0 truncate text-soft">
							{call.data.title}, breaker {call.data.breaker.label || '?'}
						</p>
					</div>
					<span className="flex print:hidden">
						<UndoButtons call={call.data} />
						<HazardButton call={call.data} />
						<ThemeButton />
					</span>
				</div>
				<Phases call={call.data} />
			</header>
			<DrillBar call={call.data} />
			<Hazards call={call.data} />
			<DangerBand call={call.data} exclude={(d) => go(`/calls/${id}?at=${d.at}&tool=${d.tool ?? 'sensor'}`)} />
			<SetTwice call={call.data} className="mx-4 mt-3 wide:mx-6" />
			<main
				className={`grid grow content-start gap-6 px-4 py-4 wide:gap-8 wide:px-6 ${even ? 'wide:grid-cols-2' : 'wide:grid-cols-[minmax(0,3fr)_minmax(340px,2fr)]'}`}
			>
				{children(call.data, work.data)}
			</main>
			<NextMove call={call.data} screen={screen} />
		</div>
	);
}

import { type ReactNode, useEffect } from 'react';
import { Link } from 'react-router';
import { Mark, ThemeButton } from './TopBar';

interface Props {
	title: string;
	/** Under the title. */
	under?: ReactNode;
	back?: string;
	backWords?: string;
	actions?: ReactNode;
	children: ReactNode;
}

/** A screen of the shop that is of no call. */
export function Page({ title, under, back = '/', backWords = "The day's calls", actions, children }: Props) {
	useEffect(() => {
		document.title = `${title}, Elvat`;
	}, [title]);
	return (
		<div className="min-h-dvh">
			<header className="flex items-center gap-3 border-b-2 border-ink py-1.5 pr-2 pl-3 wide:pl-5">
				<Link
					to={back}
					aria-label={backWords}
					aria-keyshortcuts="h"
					className="grid size-11 shrink-0 place-items-center hover:bg-wash print:hidden"
				>
					<Mark />
				</Link>
				<div className="min-w-0 grow">
					<h1 className="m-0 truncate text-lg/tight font-bold">{title}</h1>
					{under && <p className="m-0 truncate text-soft">{under}</p>}
				</div>
				{actions}
				<span className="print:hidden">
					<ThemeButton />
				</span>
			</header>
			<main className="mx-auto grid max-w-6xl grid-cols-[minmax(0,1fr)] content-start gap-6 px-4 py-5 wide:px-6">
				{children}
			</main>
		</div>
	);
}

/** A heading with a line under it, as over each part of a screen. */
export function Part({ title, children, aside }: { title: string; children: ReactNode; aside?: ReactNode }) {
	return (
		<section aria-label={title} className="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-3">
			<div className="flex min-h-12 items-end gap-3 border-b-2 border-ink">
				<h2 className="m-0 grow pb-0.5 text-xl font-bold">{title}</h2>
				{aside}
			</div>
			{children}
		</section>
	);
}

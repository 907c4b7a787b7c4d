/** What went wrong, where the eye already is. */
export function Problem({ error, again }: { error: Error | null | undefined; again?: () => void }) {
	if (!error) return null;
	return (
		<div role="alert" className="flex items-stretch border-2 border-ink bg-sheet">
			<i aria-hidden="true" className="stripes w-4 shrink-0" />
			<p className="m-0 grow px-3 py-2 wrap-anywhere">{error.message}</p>
			{again && (
				<button type="button" onClick={again} className="min-h-11 shrink-0 px-4 font-bold underline underline-offset-4">
					Try again
				</button>
			)}
		</div>
	);
}

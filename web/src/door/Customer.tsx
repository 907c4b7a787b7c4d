import { Dialog } from 'radix-ui';
import { useState } from 'react';
import type { SiteBook } from '../api/client';
import { take, useEraseSite } from '../api/door';
import { Button } from '../ui/Button';
import { Part } from '../ui/Page';
import { Problem } from '../ui/Problem';
import { dateOf } from '../ui/words';

/** What a customer may ask of the shop: what is kept of them, and that it is erased. */
export function Customer({ site }: { site: SiteBook }) {
	const erase = useEraseSite(site.id);
	const [sure, setSure] = useState(false);
	const [failed, setFailed] = useState<Error>();
	return (
		<Part title="The customer's data">
			{site.erasedAt ? (
				<p className="m-0">
					Erased on {dateOf(site.erasedAt)}. The record of the work stays; backups of before then run out by themselves.
				</p>
			) : (
				<div className="flex flex-wrap gap-2">
					<Button onClick={() => take(`/api/v1/sites/${site.id}/export`).catch(setFailed)}>
						All that is kept, as a file
					</Button>
					<Button kind="quiet" onClick={() => setSure(true)}>
						Erase it
					</Button>
				</div>
			)}
			<Problem error={failed ?? erase.error} />
			<Dialog.Root open={sure} onOpenChange={setSure}>
				<Dialog.Portal>
					<Dialog.Overlay className="fixed inset-0 z-40 bg-ink/40" />
					<Dialog.Content className="fixed top-1/2 left-1/2 z-50 grid w-[min(34rem,calc(100vw-2rem))] -translate-x-1/2 -translate-y-1/2 gap-4 border-2 border-ink bg-paper p-5">
						<Dialog.Title className="m-0 text-xl font-bold">Erase what is kept of {site.name}?</Dialog.Title>
						<Dialog.Description className="m-0">
							Name, address, notes, panel directories, photographs, what the customer answered, signatures, names of
							rooms and links go, here and on every phone at its next contact. It cannot be taken back. What was
							measured, found and done, with dates and who did it, stays: warranty and law ask for it. Backups of before
							now hold it until they run out.
						</Dialog.Description>
						<div className="flex flex-wrap gap-2">
							<Button
								kind="main"
								disabled={erase.isPending}
								onClick={() => erase.mutate(undefined, { onSettled: () => setSure(false) })}
							>
								Erase it
							</Button>
							<Button kind="quiet" onClick={() => setSure(false)}>
								Keep it
							</Button>
						</div>
					</Dialog.Content>
				</Dialog.Portal>
			</Dialog.Root>
		</Part>
	);
}

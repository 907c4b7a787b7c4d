import { useQueryClient } from '@tanstack/react-query';
import { Dialog } from 'radix-ui';
import { type FormEvent, useEffect, useRef, useState } from 'react';
import { useFreshen } from '../api/door';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { onPassphrase } from './again';
import { Passphrase } from './Passphrase';

/** Asks who is signed in for the passphrase once more, before what reaches far. */
export function PassphraseAgain() {
	const freshen = useFreshen();
	const cache = useQueryClient();
	const [open, setOpen] = useState(false);
	const [passphrase, setPassphrase] = useState('');
	const waiting = useRef<((given: boolean) => void)[]>([]);
	const { reset } = freshen;
	useEffect(
		() =>
			onPassphrase(() => {
				setPassphrase('');
				reset();
				setOpen(true);
				return new Promise((done) => waiting.current.push(done));
			}),
		[reset],
	);
	const end = (given: boolean) => {
		setOpen(false);
		for (const done of waiting.current.splice(0)) done(given);
	};
	const submit = (e: FormEvent) => {
		e.preventDefault();
		freshen.mutate(passphrase, {
			onSuccess: (session) => {
				cache.setQueryData(['session'], session);
				end(true);
			},
		});
	};
	return (
		<Dialog.Root open={open} onOpenChange={(is) => !is && end(false)}>
			<Dialog.Portal>
				<Dialog.Overlay className="fixed inset-0 z-40 bg-ink/40" />
				<Dialog.Content className="fixed top-1/2 left-1/2 z-50 grid w-[min(26rem,calc(100vw-2rem))] -translate-x-1/2 -translate-y-1/2 gap-4 border-2 border-ink bg-paper p-5">
					<Dialog.Title className="m-0 text-xl font-bold">Your passphrase once more</Dialog.Title>
					<Dialog.Description className="m-0 text-soft">
						This reaches far: who merely finds the machine open is not to do it.
					</Dialog.Description>
					<form onSubmit={submit} className="grid gap-4" aria-label="Your passphrase once more">
						<Passphrase label="passphrase" value={passphrase} set={setPassphrase} large />
						<Problem error={freshen.error} />
						<div className="flex gap-2">
							<Button kind="main" type="submit" disabled={freshen.isPending || !passphrase}>
								Go on
							</Button>
							<Button kind="quiet" onClick={() => end(false)}>
								Not now
							</Button>
						</div>
					</form>
				</Dialog.Content>
			</Dialog.Portal>
		</Dialog.Root>
	);
}

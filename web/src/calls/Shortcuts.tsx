import { Dialog } from 'radix-ui';
import { Button } from '../ui/Button';

/** The keys of the screen of a call. */
export const keysOfACall: [string, string][] = [
	['←  →', 'along the run, stop by stop'],
	['t  b', 'top half, bottom half'],
	['1 to 7', 'the testers, in the order they stand'],
	['a  s  d', 'the three parts of the entry: sides, slots, fields'],
	['Enter', 'enter the reading'],
	['n', 'go to what is to be done now'],
	['u  U', 'take the last thing done back, and bring it back'],
	['r', 'build or change the run'],
	['?', 'this page'],
];

interface Props {
	rows: [string, string][];
	open: boolean;
	setOpen: (open: boolean) => void;
}

export function Shortcuts({ rows, open, setOpen }: Props) {
	return (
		<Dialog.Root open={open} onOpenChange={setOpen}>
			<Dialog.Portal>
				<Dialog.Overlay className="fixed inset-0 z-10 bg-ink/60 dark:bg-paper/80" />
				<Dialog.Content
					aria-describedby={undefined}
					className="fixed inset-x-0 top-12 z-20 mx-auto w-full max-w-xl border-2 border-ink bg-paper p-5"
				>
					<Dialog.Title className="m-0 mb-2 text-2xl font-bold">Keys</Dialog.Title>
					<dl className="m-0 grid grid-cols-[9rem_1fr]">
						{rows.map(([keys, what]) => (
							<div key={keys} className="contents">
								<dt className="mono border-b border-rule py-2 font-bold">{keys}</dt>
								<dd className="m-0 border-b border-rule py-2">{what}</dd>
							</div>
						))}
					</dl>
					<Dialog.Close asChild>
						<Button className="mt-4">Close</Button>
					</Dialog.Close>
				</Dialog.Content>
			</Dialog.Portal>
		</Dialog.Root>
	);
}

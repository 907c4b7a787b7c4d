import { Dialog } from 'radix-ui';
import type { Basics, Call } from '../api/client';
import { useReadCautions } from '../api/hooks';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';
import { useSpanish, Whose } from '../ui/Spanish';

function List({ basics }: { basics: Basics }) {
	const [spanish, toggle] = useSpanish();
	return (
		<>
			<ol className="m-0 grid list-none gap-0 p-0">
				{basics.cautions.map((c, i) => (
					<li key={c} className="grid grid-cols-[2.5rem_1fr] border-b border-rule py-3">
						<span className="mono text-xl font-bold" aria-hidden="true">
							{i + 1}
						</span>
						<span>
							{c}
							{spanish && (
								<span lang="es" className="block pt-1 text-soft">
									{spanish.say(`caution.${i + 1}`)}
								</span>
							)}
						</span>
					</li>
				))}
			</ol>
			<div className="flex flex-wrap items-center gap-x-3">
				{toggle}
				<Whose words={spanish} />
			</div>
		</>
	);
}

/** Before anything else on a call. */
export function CautionsFirst({ call, basics }: { call: Call; basics: Basics }) {
	const read = useReadCautions(call.id);
	return (
		<section
			className="mx-auto grid w-full max-w-4xl gap-4 px-4 pt-6 max-wide:grow max-wide:content-between wide:px-6 wide:pb-6"
			aria-label="Before anything else"
		>
			<div className="flex items-stretch gap-4">
				<i aria-hidden="true" className="stripes w-8 shrink-0" />
				<h2 className="m-0 py-1 text-3xl font-bold">Before anything else</h2>
			</div>
			<List basics={basics} />
			<Problem error={read.error} />
			<div className="max-wide:sticky max-wide:bottom-0 max-wide:-mx-4 max-wide:border-t-2 max-wide:border-ink max-wide:bg-paper max-wide:p-3">
				<Button
					kind="main"
					className="min-h-14 justify-self-start px-6 text-lg max-wide:w-full"
					disabled={read.isPending}
					onClick={() => read.mutate(undefined)}
				>
					Read. Start the call
				</Button>
			</div>
		</section>
	);
}

/** The same, to look at again. */
export function CautionsAgain({ basics }: { basics: Basics }) {
	return (
		<Dialog.Root>
			<Dialog.Trigger asChild>
				<Button kind="quiet">Cautions</Button>
			</Dialog.Trigger>
			<Dialog.Portal>
				<Dialog.Overlay className="fixed inset-0 z-10 bg-ink/60 dark:bg-paper/80" />
				<Dialog.Content
					aria-describedby={undefined}
					className="fixed inset-x-0 top-0 z-20 mx-auto max-h-dvh w-full max-w-3xl overflow-y-auto border-2 border-ink bg-paper p-5 wide:top-16"
				>
					<Dialog.Title className="m-0 text-2xl font-bold">Standing cautions</Dialog.Title>
					<List basics={basics} />
					<Dialog.Close asChild>
						<Button className="mt-4">Back to the call</Button>
					</Dialog.Close>
				</Dialog.Content>
			</Dialog.Portal>
		</Dialog.Root>
	);
}

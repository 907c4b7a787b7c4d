import { Dialog } from 'radix-ui';
import { type ReactNode, useEffect, useState } from 'react';
import { Button } from './Button';

interface Props {
	title: string;
	/** What is done one after the other, each in words that can be read aloud. */
	steps: { words: string; detail?: string }[];
	/** Stands after the last step: what was found is said by hand, never by turning on. */
	end: ReactNode;
	close: () => void;
}

const aloudKey = 'elvat.read-aloud';

/** Voices that speak on this machine: nothing that is read aloud goes out. */
function localVoice(): SpeechSynthesisVoice | undefined {
	const voices = window.speechSynthesis?.getVoices().filter((v) => v.localService) ?? [];
	return voices.find((v) => v.lang.startsWith('en')) ?? voices[0];
}

/**
 * For both hands full: one step, large. It turns on by a tap anywhere, the space bar, an arrow
 * or a page-turner's key; it is read aloud where that is switched on.
 */
export function HandsFree({ title, steps, end, close }: Props) {
	const [at, setAt] = useState(0);
	const [aloud, setAloud] = useState(localStorage.getItem(aloudKey) === 'on');
	const step = steps[at];
	useEffect(() => {
		const turn = (e: KeyboardEvent) => {
			if (e.target instanceof Element && e.target.closest('button, input')) return; // a button answers its own keys
			const by = [' ', 'PageDown', 'ArrowRight', 'ArrowDown', 'Enter'].includes(e.key)
				? 1
				: ['PageUp', 'ArrowLeft', 'ArrowUp', 'Backspace'].includes(e.key)
					? -1
					: 0;
			if (by === 0) return;
			e.preventDefault();
			setAt((n) => Math.max(0, Math.min(steps.length, n + by)));
		};
		window.addEventListener('keydown', turn);
		return () => window.removeEventListener('keydown', turn);
	}, [steps.length]);
	useEffect(() => {
		if (!aloud || !window.speechSynthesis) return;
		const voice = localVoice();
		if (!voice) return;
		const say = new SpeechSynthesisUtterance(
			step ? `${step.words}. ${step.detail ?? ''}` : 'All done. What was found is said by hand.',
		);
		say.voice = voice;
		window.speechSynthesis.cancel();
		window.speechSynthesis.speak(say);
		return () => window.speechSynthesis.cancel();
	}, [aloud, step]);
	const speaks = Boolean(window.speechSynthesis);
	return (
		<Dialog.Root open onOpenChange={(open) => !open && close()}>
			<Dialog.Portal>
				<Dialog.Content
					aria-describedby={undefined}
					onOpenAutoFocus={(e) => {
						e.preventDefault();
						(e.currentTarget as HTMLElement | null)?.focus();
					}}
					className="fixed inset-0 z-30 flex flex-col bg-paper outline-none"
				>
					<div className="flex flex-wrap items-center gap-x-4 border-b-2 border-ink px-4 py-2">
						<Dialog.Title className="m-0 min-w-0 grow basis-40 truncate text-lg font-bold">{title}</Dialog.Title>
						{speaks && (
							<label className="flex min-h-11 items-center gap-2">
								<input
									type="checkbox"
									className="size-6 accent-accent"
									checked={aloud}
									onChange={(e) => {
										localStorage.setItem(aloudKey, e.target.checked ? 'on' : 'off');
										setAloud(e.target.checked);
									}}
								/>
								read aloud
							</label>
						)}
						<Dialog.Close asChild>
							<Button>Close</Button>
						</Dialog.Close>
					</div>
					{step !== undefined ? (
						// biome-ignore lint/a11y/noStaticElementInteractions: the whole screen turns on for a thumb; keys do the same
						// biome-ignore lint/a11y/useKeyWithClickEvents: the keys are heard on the window
						<div
							className="flex grow cursor-pointer flex-col justify-center gap-6 px-6 select-none"
							onClick={() => setAt(at + 1)}
						>
							<p className="m-0 text-xl text-soft">
								{at + 1} of {steps.length}
							</p>
							<div aria-live="assertive">
								<p
									className={`m-0 font-bold text-balance ${step.detail === undefined ? 'text-5xl/tight wide:text-7xl/tight' : 'text-4xl/tight wide:text-6xl/tight'}`}
								>
									{step.words}
								</p>
								{step.detail && <p className="m-0 mt-4 text-2xl/snug wide:max-w-[60ch]">{step.detail}</p>}
							</div>
							<p className="m-0 text-lg text-soft">Tap anywhere, space, or a page turner: next. Page up: back.</p>
						</div>
					) : (
						<div className="grid grow content-center gap-6 px-6" aria-live="assertive">
							{end}
						</div>
					)}
				</Dialog.Content>
			</Dialog.Portal>
		</Dialog.Root>
	);
}

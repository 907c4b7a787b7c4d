/**
 * What is done on a call goes through one queue for all its screens, in the order made: each waits for the one before it,
 * and what was typed is gone from its field at once. Undo waits in the same queue, and takes back what was entered here last.
 */
export const queueOf = (call: number) => ({ id: `call-${call}` });

/** Ids of the commands that this page had carried out on each call, oldest first. */
const entered = new Map<number, string[]>();

/** How many are remembered. */
const remembered = 200;

/** Requests under a call that are no commands on its record. */
const noCommand = /\/(undo|redo|commands|why|meter|visit|result|ticket|invoices)(\/|\?|$)/;

/** Notes a command that the shop, or the phone's own desk, carried out. */
export function noted(call: number, path: string, id: string): void {
	if (noCommand.test(path)) return;
	const all = entered.get(call) ?? [];
	if (all.at(-1) !== id) entered.set(call, [...all, id].slice(-remembered));
}

/** The command that was entered here last; undefined where this page entered none. */
export const lastEntered = (call: number): string | undefined => entered.get(call)?.at(-1);

/** It was taken back, or set nothing. */
export function forget(call: number, id: string): void {
	entered.set(
		call,
		(entered.get(call) ?? []).filter((one) => one !== id),
	);
}

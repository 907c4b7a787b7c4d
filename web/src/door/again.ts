/** What is refused until the passphrase is given once more, by its code. */
const again = 'urn:elvat:problem:passphrase-again';

let ask: (() => Promise<boolean>) | undefined;

/** Who asks for the passphrase; one at a time. */
export function onPassphrase(asks: () => Promise<boolean>): () => void {
	ask = asks;
	return () => {
		if (ask === asks) ask = undefined;
	};
}

/** Whether the answer says that the passphrase is to be given once more. */
export async function asksAgain(answer: Response): Promise<boolean> {
	if (answer.status !== 403 || !answer.headers.get('Content-Type')?.includes('problem+json')) return false;
	const problem: { type?: string } = await answer.clone().json();
	return problem.type === again;
}

/** Asks for the passphrase; false where it was not given. */
export const given = (): Promise<boolean> => ask?.() ?? Promise.resolve(false);

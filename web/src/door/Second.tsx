import { type FormEvent, useState } from 'react';
import { askPasskey, useSecond } from '../api/door';
import { Button, field } from '../ui/Button';
import { Problem } from '../ui/Problem';

interface Props {
	ticket: string;
	factors: string[];
	/** Back to name and passphrase. */
	anew: () => void;
}

/** The second step of a sign-in: a passkey, a one-time code, or a recovery code from paper. */
export function Second({ ticket, factors, anew }: Props) {
	const second = useSecond();
	const [code, setCode] = useState('');
	const [onPaper, setOnPaper] = useState(!factors.includes('code') && !factors.includes('passkey'));
	const [failed, setFailed] = useState<Error>();
	const showPasskey = async () => {
		setFailed(undefined);
		try {
			second.mutate({ ticket, passkey: await askPasskey(ticket) });
		} catch (error) {
			setFailed(
				error instanceof Error && error.name !== 'NotAllowedError' ? error : new Error('No passkey was shown.'),
			);
		}
	};
	const submit = (e: FormEvent) => {
		e.preventDefault();
		second.mutate(onPaper ? { ticket, recovery: code } : { ticket, code });
	};
	const typed = onPaper || factors.includes('code');
	return (
		<div className="grid gap-4 border-t-2 border-ink pt-4">
			<h2 className="m-0 text-xl font-bold">And your second factor</h2>
			{factors.includes('passkey') && (
				<Button kind="main" className="min-h-14 text-lg" disabled={second.isPending} onClick={showPasskey}>
					Use the passkey
				</Button>
			)}
			{typed && (
				<form onSubmit={submit} className="grid gap-3" aria-label="Second factor">
					<label className="grid gap-1 text-soft">
						{onPaper ? 'recovery code, from paper' : 'the six digits that your program shows now'}
						<input
							className={`${field} mono text-2xl tracking-widest`}
							autoComplete="one-time-code"
							inputMode={onPaper ? 'text' : 'numeric'}
							value={code}
							onChange={(e) => setCode(e.target.value)}
						/>
					</label>
					<Button
						kind={factors.includes('passkey') ? 'plain' : 'main'}
						type="submit"
						disabled={second.isPending || code.trim().length < 6}
					>
						Sign in
					</Button>
				</form>
			)}
			<Problem error={second.error ?? failed} />
			<div className="flex flex-wrap gap-x-4">
				{factors.includes('recovery') && (
					<Button
						kind="quiet"
						onClick={() => {
							setOnPaper(!onPaper);
							setCode('');
						}}
					>
						{onPaper ? 'Not from paper' : 'A recovery code instead'}
					</Button>
				)}
				<Button kind="quiet" onClick={anew}>
					Back to name and passphrase
				</Button>
			</div>
		</div>
	);
}

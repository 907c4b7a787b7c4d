import { useRef } from 'react';
import { Button } from './Button';

/** Picks a file and hands its text over; what is in it is the server's to judge. */
export function OpenFile({
	label,
	open,
	kind = 'quiet',
	accept = '.json,application/json',
}: {
	label: string;
	open: (text: string) => void;
	accept?: string;
	kind?: 'quiet' | 'plain';
}) {
	const input = useRef<HTMLInputElement>(null);
	return (
		<>
			<Button kind={kind} onClick={() => input.current?.click()}>
				{label}
			</Button>
			<input
				ref={input}
				type="file"
				accept={accept}
				className="hidden"
				aria-label={label}
				onChange={async (e) => {
					const file = e.target.files?.[0];
					e.target.value = '';
					if (file) open(await file.text());
				}}
			/>
		</>
	);
}

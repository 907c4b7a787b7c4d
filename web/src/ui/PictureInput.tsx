import type { RefObject } from 'react';

interface Props {
	label: string;
	at: RefObject<HTMLInputElement | null>;
	take: (file: File | undefined) => void;
}

/** The hidden field behind a button that takes a picture, or picks one. */
export function PictureInput({ label, at, take }: Props) {
	return (
		<input
			ref={at}
			type="file"
			accept="image/*"
			capture="environment"
			className="hidden"
			aria-label={label}
			onChange={(e) => {
				take(e.target.files?.[0]);
				e.target.value = '';
			}}
		/>
	);
}

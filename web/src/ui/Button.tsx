import type { ComponentProps } from 'react';

type Kind = 'main' | 'plain' | 'quiet';

const looks: Record<Kind, string> = {
	main: 'bg-accent text-on-accent font-bold px-5 enabled:hover:brightness-110',
	plain: 'border-2 border-ink font-bold px-4 bg-transparent enabled:hover:bg-wash',
	quiet: 'px-2 underline decoration-hair underline-offset-4 enabled:hover:decoration-ink',
};

export function Button({ kind = 'plain', className = '', ...rest }: ComponentProps<'button'> & { kind?: Kind }) {
	return (
		<button
			type="button"
			{...rest}
			className={`inline-flex min-h-11 min-w-11 items-center justify-center gap-2 disabled:opacity-45 ${looks[kind]} ${className}`}
		/>
	);
}

export const field =
	'min-h-11 min-w-0 border-0 border-b-2 border-ink bg-sheet px-2 text-ink placeholder:text-soft placeholder:opacity-100';

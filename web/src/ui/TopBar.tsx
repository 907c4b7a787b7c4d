import { Moon, Sun } from 'lucide-react';
import { ShopState } from '../phone/ShopState';
import { useTheme } from './theme';

/** What stands in the corner of every screen: how far phone and shop are, and light or dark. */
export function ThemeButton() {
	const [theme, toggle] = useTheme();
	return (
		<span className="flex shrink-0 items-center">
			<ShopState />
			<button
				type="button"
				onClick={toggle}
				className="grid size-11 shrink-0 place-items-center hover:bg-wash"
				aria-label={theme === 'dark' ? 'Light screen' : 'Dark screen'}
				aria-keyshortcuts="l"
			>
				{theme === 'dark' ? <Sun size={20} /> : <Moon size={20} />}
			</button>
		</span>
	);
}

/** The mark: the shape of a sound outlet. */
export function Mark({ size = 26 }: { size?: number }) {
	return (
		<svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true">
			<path d="M7.5 23 15 8.500M24.500 23 17 8.500" stroke="var(--ink)" strokeWidth="4" strokeLinecap="round" />
			<circle cx="16" cy="6" r="3.200" fill="var(--accent)" />
			<circle cx="6" cy="26" r="2.500" fill="var(--ink)" />
			<circle cx="26" cy="26" r="2.500" fill="var(--ink)" />
		</svg>
	);
}

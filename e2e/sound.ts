import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect, noSidewaysScroll } from './server';

/** Targets under 44 px, and on a phone text under 14 px but in drawings. */
export async function tooSmall(page: Page): Promise<string[]> {
	return page.evaluate(() => {
		const found = new Set<string>();
		const shows = (e: Element) => {
			const { width, height } = e.getBoundingClientRect();
			return width > 1 && height > 1 && e.checkVisibility({ visibilityProperty: true }) && !e.closest('.sr-only, [inert], [aria-hidden="true"]');
		};
		for (const e of document.querySelectorAll<HTMLElement>('a[href], button:enabled, input:enabled, select:enabled, textarea, [role=button], summary')) {
			// A link within a sentence is as tall as its line.
			if (!shows(e) || (e.tagName === 'A' && getComputedStyle(e).display === 'inline')) continue;
			const held = e.matches('[type=checkbox], [type=radio], [type=file]') ? (e.closest('label') ?? e) : e;
			const { width, height } = held.getBoundingClientRect();
			if (Math.min(width, height) < 43.5) {
				found.add(`${Math.round(width)} x ${Math.round(height)}: ${e.tagName} ${(e.ariaLabel ?? e.textContent).trim().slice(0, 40)}`);
			}
		}
		if (innerWidth > 600) return [...found];
		const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
		for (let n = texts.nextNode(); n; n = texts.nextNode()) {
			const e = n.parentElement;
			if (!e || !n.textContent?.trim() || e.closest('svg, script, style, option') || !shows(e)) continue;
			const size = Number.parseFloat(getComputedStyle(e).fontSize);
			if (size < 13.9) found.add(`${size} px: ${n.textContent.trim().slice(0, 40)}`);
		}
		return [...found];
	});
}

/** Nothing sticks out sideways, and nothing is too small for a thumb or an eye. */
export async function fits(page: Page, what: string): Promise<void> {
	await noSidewaysScroll(page);
	expect(await tooSmall(page), what).toEqual([]);
}

/** Fits, and has no axe violation. */
export async function sound(page: Page, what: string, part = 'html'): Promise<void> {
	await fits(page, what);
	const found = await new AxeBuilder({ page }).setLegacyMode().options({ resultTypes: ['violations'] }).include(part).withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']).analyze();
	expect(
		found.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`),
		what,
	).toEqual([]);
}

import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect, noSidewaysScroll, openCall, phone, Server, test } from '../server';

const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'];

async function noViolation(page: Page): Promise<void> {
	// What lies under the bar of the next move is scrolled out from under it.
	await page.evaluate(() => scrollTo(0, document.documentElement.scrollHeight));
	const found = await new AxeBuilder({ page }).setLegacyMode().withTags(tags).analyze();
	expect(found.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`)).toEqual([]);
	await noSidewaysScroll(page);
}

test('the stop and half picked outlive a reload, a link and going back', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: /^Gilding table, fed from/ }).click();
	await page.keyboard.press('b');
	await page.keyboard.press('2');
	const picked = page.getByRole('heading', { level: 2 });
	const kept = async () => {
		await expect(picked).toHaveText('Gilding table');
		await expect(page.getByRole('button', { name: /^Bottom half/ })).toHaveAttribute('aria-pressed', 'true');
		await expect(page.getByLabel('Volts, hot to neutral')).toBeVisible();
	};
	await kept();
	await page.reload();
	await kept();
	const link = page.url();
	await page.getByRole('link', { name: 'The opened box' }).click();
	await expect(page.getByRole('heading', { level: 1 })).toHaveText('Gilding table');
	await page.goBack();
	await kept();
	await page.goto(server.url);
	await page.goto(link);
	await kept();
});

test('a danger is the next move: no pad for a plug tester there, and nothing beside it says otherwise', async ({ page, server }) => {
	await page.setViewportSize(phone);
	await openCall(page, server, 'Bindery, upper floor');
	const next = page.getByRole('region', { name: 'Next move' });
	await expect(next).toContainText('Standing press: sensor on its ground slot');
	await expect(next.getByRole('button', { name: 'Enter it' })).toBeInViewport();
	await expect(page.getByRole('alert', { name: 'Danger' })).toBeInViewport();
	// Picking its plug tester all the same gives no pad.
	await page.getByRole('button', { name: /^Standing press, fed from/ }).click();
	await expect(page.getByTestId('entry')).toContainText('No plug tester goes in here');
	await expect(page.getByRole('button', { name: /^Enter: as it should be/ })).toHaveCount(0);
	// On every screen of the call the same move, by the same name.
	const call = page.url().split('?')[0];
	for (const screen of ['dead', 'prove', 'hand-over', 'boxes/B2']) {
		await page.goto(`${call}/${screen}`);
		if (screen.startsWith('boxes')) await page.getByRole('button', { name: 'To the plan' }).last().click();
		await expect(page.getByRole('link', { name: 'Standing press: sensor on its ground slot' })).toBeVisible();
		await expect(page.getByRole('alert', { name: 'Danger' })).toBeVisible();
	}
});

test('by keyboard: the next move is a few tabs away, and what is pressed never leaves the keyboard nowhere', async ({ page, server }) => {
	for (const path of ['/calls/3', '/calls/2', '/calls/3/dead', '/calls/2/boxes/B3']) {
		await page.goto(server.url + path);
		await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
		await page.waitForLoadState('networkidle');
		await page.keyboard.press('Tab');
		await expect(page.getByRole('button', { name: 'To the next move' }), path).toBeFocused();
		await page.keyboard.press('Enter');
		const at = await page.evaluate(() => document.activeElement?.tagName);
		expect(at, path).not.toBe('BODY');
	}
	await page.goto(`${server.url}/calls/2/dead?box=B3`);
	await page.getByRole('button', { name: 'Off and locked' }).focus();
	await page.keyboard.press('Enter');
	await expect(page.getByRole('form', { name: 'Prove the testers' })).toBeVisible();
	await expect.poll(() => page.evaluate(() => document.activeElement?.tagName)).not.toBe('BODY');
	// Another screen begins at its name.
	await page.goto(`${server.url}/calls/3`);
	await page.getByRole('link', { name: 'The opened box' }).focus();
	await page.keyboard.press('Enter');
	await expect(page.getByRole('heading', { level: 1 })).toHaveText('Standing press');
	await expect.poll(() => page.evaluate(() => document.activeElement?.tagName)).not.toBe('BODY');
});

test('at 200 % zoom and on the narrowest phone the next move stays in sight', async ({ page, server }) => {
	for (const view of [
		{ width: 640, height: 400 },
		{ width: 360, height: 640 },
	]) {
		await page.setViewportSize(view);
		await page.goto(`${server.url}/calls/3`);
		await expect(page.getByRole('button', { name: 'Enter it' }).first()).toBeInViewport();
		await noSidewaysScroll(page);
		await page.goto(`${server.url}/calls/3/prove`);
		await expect(page.getByRole('navigation', { name: 'Next move' })).toBeInViewport();
		await noSidewaysScroll(page);
	}
});

test('after the hand-over: a signature by finger, a page for the customer, and what a label opens', async ({ page, server }) => {
	const journal = `${server.url}/api/v1/calls/2/journal`;
	const person = { who: 'A. Reyes', standing: 'licence 4711', reason: 'customer stops the work' };
	await page.request.post(journal, { data: { id: 'override-0001', entry: { kind: 'override', gate: 'hand-over', ...person } } });
	await page.setViewportSize(phone);
	await page.goto(`${server.url}/calls/2/hand-over`);
	const sign = page.getByRole('form', { name: 'Hand over' });
	await sign.getByLabel('handed over by').fill('A. Reyes');
	await sign.getByLabel('to', { exact: true }).fill('the tenant');
	const pad = sign.getByRole('img', { name: 'Field to sign in' });
	const box = await pad.boundingBox();
	if (!box) throw new Error('no field');
	await page.mouse.move(box.x + 30, box.y + 60);
	await page.mouse.down();
	for (let i = 1; i < 8; i++) await page.mouse.move(box.x + 30 + 30 * i, box.y + 60 + (i % 2 ? -30 : 20));
	await page.mouse.up();
	await expect(sign.getByRole('img', { name: 'Signature, drawn' })).toBeVisible();
	await sign.getByRole('button', { name: 'Hand it over' }).click();
	await expect(page.getByText(/Handed over at/)).toBeVisible();
	await expect(page.getByRole('img', { name: 'Signed by the tenant' })).toBeVisible();
	await page.getByRole('region', { name: 'Page for the customer' }).getByRole('button', { name: 'Make a link' }).click();
	const link = await page.getByLabel('send this to the customer; it is shown only now').inputValue();
	await page.goto(link);
	await expect(page.getByRole('heading', { name: 'What was done' })).toBeVisible();
	await expect(page.getByRole('region', { name: 'Before and after' })).toContainText('Enlarger, top');
	await expect(page.getByRole('region', { name: 'Why it mattered' }).getByRole('listitem').first()).not.toBeEmpty();
	await expect(page.getByText('Tannery Yard')).toHaveCount(0);
	await noViolation(page);
	await page.getByRole('button', { name: 'Español' }).click();
	await expect(page.getByRole('heading', { name: 'Lo que se hizo' })).toBeVisible();
	const { labels } = await (await page.request.get(`${server.url}/api/v1/calls/2/work`)).json();
	await page.goto(server.url + labels[0].path);
	await page.getByRole('button', { name: 'English' }).click();
	await expect(page.getByText('Ground-fault protection at Wash sink')).toBeVisible();
	await expect(page.getByRole('main')).toContainText('Enlarger');
	await noViolation(page);
	await page.goto(`${server.url}/gfci/${labels[0].path.slice(6, -4)}AAAA`);
	await expect(page.getByRole('alert')).toContainText('opens nothing here');
});

test('the guide is in the application, page after page', async ({ page, server }) => {
	await page.setViewportSize(phone);
	await page.goto(server.url);
	await page.getByRole('link', { name: 'Guide' }).click();
	await expect(page.getByRole('heading', { name: 'A first call', level: 2 })).toBeVisible();
	await expect(page.getByRole('img', { name: 'A call' })).toBeVisible();
	await noViolation(page);
	const pages = await page.getByRole('navigation', { name: 'Pages of the guide' }).getByRole('link').count();
	expect(pages).toBe(13);
	for (let i = 1; i < pages; i++) await page.getByRole('link', { name: /^Next: / }).click();
	await expect(page.getByRole('heading', { name: 'Drills', level: 2 })).toBeVisible();
	await noSidewaysScroll(page);
});

test('a first start leads to a first call; an example house comes and goes', async ({ page }) => {
	const server = new Server('serve');
	await server.start();
	try {
		await page.goto(server.url);
		await expect(page.getByLabel('where')).toBeFocused();
		await page.getByRole('button', { name: 'Or try it on an example house' }).click();
		await page.getByRole('link', { name: 'Bindery, upper floor' }).click();
		// What the two drawings mean is said once.
		const note = page.getByRole('complementary', { name: 'At first use' });
		await expect(note).toContainText('A triangle is one half of an outlet');
		await note.getByRole('button', { name: 'Understood' }).click();
		await expect(note).toContainText('A bar under a stop is its weight');
		await note.getByRole('button', { name: 'Understood' }).click();
		await page.reload();
		await expect(page.getByRole('heading', { level: 1 })).toHaveText('Bindery, upper floor');
		await expect(note).toHaveCount(0);
		await page.goto(server.url);
		await page.getByRole('button', { name: /^Remove the example house/ }).click();
		await expect(page.getByRole('link', { name: 'Bindery, upper floor' })).toHaveCount(0);
		await expect(page.getByRole('button', { name: 'Or try it on an example house' })).toBeVisible();
	} finally {
		await server.remove();
	}
});

test('the ways to find a breaker and the parts of the practice: no axe violation', async ({ page, server }) => {
	await page.setViewportSize(phone);
	await page.emulateMedia({ colorScheme: 'dark' });
	await page.goto(`${server.url}/calls/3/dead`);
	for (const way of ['Transmitter', 'Something loud', 'Sensor in the slot', 'By halves', 'Two phones']) {
		await page.getByRole('button', { name: way, exact: true }).click();
		await noViolation(page);
	}
	for (const part of ['', '/practice', '/code', '/prices', '/weights']) {
		await page.goto(`${server.url}/practice${part}`);
		await expect(page.getByRole('heading', { level: 2 }).first()).toBeVisible();
		await noViolation(page);
		expect(await page.evaluate(() => document.documentElement.scrollHeight), part).toBeLessThan(4000);
	}
});

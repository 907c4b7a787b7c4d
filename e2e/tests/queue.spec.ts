import type { Page } from '@playwright/test';
import { expect, openCall, Server, test } from '../server';

/** The shop takes two seconds for whatever changes something, and the phone's own desk does not answer for it. */
async function hold(page: Page): Promise<void> {
	await page.addInitScript(() => Reflect.deleteProperty(window, 'Worker'));
	await page.route('**/api/v1/calls/**', async (route) => {
		if (route.request().method() !== 'GET') await new Promise((done) => setTimeout(done, 2000));
		await route.continue();
	});
}

test('sensor at the closed plate, why, and made up as planned: nothing fails on the way', async ({ page, server }) => {
	const failed: string[] = [];
	page.on('response', (r) => r.status() >= 500 && failed.push(r.url()));
	await openCall(page, server, 'Bindery, upper floor');
	const url = page.url();
	const api = url.replace('/calls/', '/api/v1/calls/');
	for (const site of ['B3', 'B2']) {
		const entered = await page.request.post(`${api}/readings`, { data: { id: `plate-${site}-0001`, reading: { tool: 'hint', hint: 'live-plate', site, yes: site === 'B2' } } });
		expect(entered.status()).toBe(201);
	}
	await page.reload();
	await page.getByRole('button', { name: / why$/ }).first().click();
	await expect(page.getByText(/closed plate/).first()).toBeVisible();
	for (const entry of ['conductors', 'open']) {
		await page.request.post(`${api}/journal`, { data: { id: `pass-${entry}-0001`, entry: { kind: 'override', gate: entry, box: 'B2', who: 'Ada', standing: 'licensed', reason: 'a test' } } });
	}
	const made = await page.request.post(`${api}/boxes/B2/made`);
	expect((await made.text()).length).toBeGreaterThan(0);
	expect(made.status()).not.toBe(500);
	expect(failed).toEqual([]);
});

test('undo right after an entry takes that back, not an older one', async ({ page, server }) => {
	await hold(page);
	await openCall(page, server, 'Bindery, upper floor');
	await expect(page.getByRole('button', { name: /^Undo/ }).first()).toBeVisible();
	const list = page.getByRole('listitem').filter({ hasText: 'Taken back' });
	const before = await list.count();
	await page.getByRole('button', { name: /^Landing, fed from/ }).click();
	await page.keyboard.press('1');
	await page.getByRole('button', { name: 'hot to neutral lit, hot to ground lit, neutral to ground dark' }).click();
	await page.waitForTimeout(200);
	await page.keyboard.press('u');
	const api = page.url().replace(/\/calls\/(\d+).*/, '/api/v1/calls/$1');
	await expect(async () => {
		const call = await (await page.request.get(api)).json();
		const landing = call.readings.filter((r: { reading: { at: string } }) => r.reading.at === 'R7');
		expect(landing[0]?.withdrawn).toBe(true);
		expect(call.readings.filter((r: { withdrawn: boolean }) => r.withdrawn).length).toBe(before + 1);
	}).toPass();
});

test('outlets typed ahead of the answers are all there, each behind the one before; Done takes what is typed', async ({ page }) => {
	const server = new Server('serve');
	await server.start();
	await hold(page);
	await page.goto(server.url);
	await page.getByPlaceholder('room or customer').fill('Sill');
	await page.keyboard.press('Enter');
	await page.getByRole('button', { name: 'Read. Start the call' }).click();
	const name = page.getByLabel('next outlet');
	await name.fill('north sill');
	await name.press('Enter');
	const build = page.getByRole('region', { name: 'Build the run' });
	await expect(build.getByRole('button', { name: 'Done' })).toBeVisible();
	for (const label of ['southwest', 'sill', 'east bench']) {
		await name.pressSequentially(label, { delay: 10 });
		await name.press('Enter');
		await expect(name).toHaveValue('');
		await page.waitForTimeout(150);
	}
	await name.pressSequentially('loft hatch', { delay: 10 });
	await build.getByRole('button', { name: 'Done' }).click();
	for (const [label, from] of [['southwest', 'north sill'], ['sill', 'southwest'], ['east bench', 'sill'], ['loft hatch', 'east bench']]) {
		await expect(page.getByRole('button', { name: new RegExp(`^${label}, fed from ${from}`) })).toBeVisible();
	}
	await server.remove();
});

test('a note typed while the one before it is saving is kept', async ({ page, server }) => {
	await hold(page);
	await openCall(page, server, 'Bindery, upper floor');
	await page.goto(`${page.url()}/hand-over`);
	const words = page.getByLabel('in words');
	await words.fill('first note');
	await words.press('Enter');
	await words.pressSequentially('second note', { delay: 10 });
	await words.press('Enter');
	await words.pressSequentially('third');
	await expect(page.getByText('first note').first()).toBeVisible();
	await expect(page.getByText('second note').first()).toBeVisible();
	await expect(words).toHaveValue('third');
});

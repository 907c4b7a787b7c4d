import type { Page } from '@playwright/test';
import { expect, noSidewaysScroll, openCall, phone, Server, test } from '../server';

const bindery = 'Bindery, upper floor';
const readings = (page: Page) => page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem');

/** Enters that the test lamp stays off at the picked half. */
async function enterOff(page: Page): Promise<void> {
	await page.keyboard.press('4');
	await page.getByRole('button', { name: 'Enter: test lamp off' }).click();
}

test('two browsers on one call: readings of both, a conflict shown and settled, undo of one\'s own', async ({ browser, server }) => {
	const [one, two] = await Promise.all([browser.newPage(), browser.newPage()]);
	if (!one || !two) throw new Error('no pages');
	await openCall(one, server, bindery);
	await openCall(two, server, bindery);
	const count = await (await one.request.get(`${server.url}/api/v1/calls/3`)).json().then((c) => c.readings.length);
	await Promise.all([enterOff(one), enterOff(two)]);
	for (const page of [one, two]) await expect(readings(page)).toHaveCount(count + 2);

	// Both change the breaker before either has seen the other's.
	for (const page of [one, two]) await page.getByRole('button', { name: 'Change the run' }).click();
	const kept = async () => (await (await one.request.get(`${server.url}/api/v1/calls/3`)).json()).breaker.label;
	await one.context().setOffline(true);
	const label = (page: Page) => page.getByLabel('Breaker', { exact: true });
	await label(two).fill('14');
	await label(two).blur();
	await expect.poll(kept).toBe('14');
	await label(one).fill('16');
	await label(one).blur();
	await expect(one.getByRole('status', { name: 'With the shop' })).toContainText('1 entry not sent yet');
	await one.context().setOffline(false);
	const twice = one.getByRole('region', { name: 'Set on two devices' });
	await expect(twice).toContainText('run: breaker label');
	await expect(two.getByRole('region', { name: 'Set on two devices' })).toBeVisible();
	await twice.getByRole('button', { name: 'Take 14' }).click();
	await expect(twice).toHaveCount(0);
	await expect(two.getByRole('region', { name: 'Set on two devices' })).toHaveCount(0);
	await expect.poll(kept).toBe('14');

	// What one did they can take back, by key, and bring back; the other's own is something else.
	await one.locator('body').press('r');
	await one.keyboard.press('u');
	await expect.poll(kept).toBe('16');
	await expect(two.getByRole('button', { name: 'Undo: breaker' })).toBeVisible();
	await one.keyboard.press('Shift+U');
	await expect.poll(kept).toBe('14');
	await one.close();
	await two.close();
});

test('a browser that keeps no application: what is entered is kept when the tab is closed and the server killed, and is sent once', async ({ context, server }) => {
	const page = await context.newPage();
	await openCall(page, server, bindery);
	const before = (await (await page.request.get(`${server.url}/api/v1/calls/3`)).json()).readings.length;
	await server.stop('SIGKILL');
	await enterOff(page);
	await expect(page.getByRole('complementary', { name: 'Not sent yet' })).toContainText('1 entry waits for the server');
	await page.close();
	await server.start();
	const back = await context.newPage();
	await openCall(back, server, bindery);
	await expect(readings(back)).toHaveCount(before + 1);
	await expect(back.getByRole('complementary', { name: 'Not sent yet' })).toHaveCount(0);
	await back.reload();
	await expect(back.getByRole('heading', { name: bindery })).toBeVisible();
	expect((await (await back.request.get(`${server.url}/api/v1/calls/3`)).json()).readings.length).toBe(before + 1);

	// Away from the network and back again, with a note and a picture too.
	await back.goto(`${server.url}/calls/3/hand-over`);
	await back.getByLabel('in words').fill('Shelf glued to the wall.');
	await context.setOffline(true);
	await back.getByLabel('in words').press('Enter');
	await expect(back.getByRole('complementary', { name: 'Not sent yet' })).toContainText('waits for the server');
	await context.setOffline(false);
	await expect(back.getByRole('complementary', { name: 'Not sent yet' })).toHaveCount(0);
	const work = await (await back.request.get(`${server.url}/api/v1/calls/3/work`)).json();
	expect(work.journal.filter((l: { words: string }) => l.words.includes('Shelf glued'))).toHaveLength(1);
});

test('the customer without a connection: what is answered is kept over a closed tab, danger is answered at once, and all arrives once', async ({ page, server, context }) => {
	const { path } = await (await page.request.post(`${server.url}/api/v1/calls/2/visit`)).json();
	await page.setViewportSize(phone);
	await page.goto(server.url + path);
	await page.getByRole('button', { name: 'None of this' }).click();
	await page.getByRole('button', { name: 'Drying line: dead' }).click();
	await page.reload(); // a mark that was not sent yet is there again
	await expect(page.getByRole('button', { name: 'Drying line: dead' })).toHaveAttribute('aria-pressed', 'true');
	await server.stop('SIGKILL');
	await page.getByRole('button', { name: 'Next', exact: true }).click();
	await expect(page.getByRole('status')).toContainText('Kept on this phone');
	await page.getByLabel('A photograph', { exact: true }).setInputFiles({ name: 'outlet.png', mimeType: 'image/png', buffer: Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64') });
	await expect(page.getByRole('status')).toContainText('connection: 2');
	await page.getByRole('button', { name: /Warm, a smell/ }).click();
	await page.getByLabel(/smell of burning/).check();
	await page.getByRole('button', { name: 'Yes, this' }).click();
	await expect(page.getByRole('heading', { name: 'Leave it off. Stay away.' })).toBeVisible();
	await expect(page.getByRole('main')).toContainText(/breaker/i);
	await page.close();
	await server.start();
	const again = await context.newPage();
	await again.goto(server.url + path);
	await expect(again.getByRole('heading', { name: 'Leave it off. Stay away.' })).toBeVisible();
	await expect.poll(async () => {
		const call = await (await again.request.get(`${server.url}/api/v1/calls/2`)).json();
		return call.answers.map((a: { words: string }) => a.words).join('; ');
	}).toMatch(/Drying line.*smell/i);
	const { pictures } = await (await again.request.get(`${server.url}/api/v1/calls/2/work`)).json();
	expect(pictures.filter((p: { phase: string }) => p.phase === 'complaint')).toHaveLength(1);
});

test('the customer: safety first, what is dead, every GFCI once; then it smells, and the call says so', async ({ page, server }) => {
	await openCall(page, server, 'Loft darkroom');
	await page.getByRole('button', { name: 'Customer and parts' }).click();
	await page.getByRole('button', { name: 'Make a link' }).click();
	const link = await page.getByLabel(/send this to the customer/).inputValue();
	expect(link.startsWith(`${server.url}/visit/`)).toBe(true);

	const customer = await page.context().newPage();
	await customer.setViewportSize(phone);
	await customer.goto(link);
	await expect(customer.getByRole('heading', { name: 'First: is it safe?' })).toBeVisible();
	await customer.getByRole('button', { name: 'Español' }).click();
	await expect(customer.getByRole('heading', { name: 'Primero: ¿es seguro?' })).toBeVisible();
	await expect(customer.getByText('Traducción automática, sin revisar')).toBeVisible();
	await customer.reload(); // it holds
	await expect(customer.getByText('Olor a quemado, a plástico o a pescado')).toBeVisible();
	await noSidewaysScroll(customer);
	await customer.getByRole('button', { name: 'English' }).click();
	await customer.getByRole('button', { name: 'None of this' }).click();
	await customer.getByRole('button', { name: 'Drying line: dead' }).click();
	await customer.getByRole('button', { name: 'Hatch: works' }).click();
	await customer.getByLabel(/What was plugged in/).fill('the fan heater');
	await customer.getByLabel(/a heater/).check();
	await customer.getByRole('button', { name: 'Next', exact: true }).click();
	await expect(customer.getByRole('heading', { name: 'Press reset, once' })).toBeVisible();
	await expect(customer.getByText('Wash sink')).toBeVisible();
	await noSidewaysScroll(customer);
	await customer.getByRole('button', { name: 'Nothing changed' }).click();
	await expect(customer.getByRole('heading', { name: 'The breaker, once' })).toBeVisible();
	await customer.getByLabel('A photograph', { exact: true }).setInputFiles({ name: 'outlet.png', mimeType: 'image/png', buffer: Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64') });
	await expect(customer.getByText('1 sent.')).toBeVisible();
	await customer.getByRole('button', { name: /Warm, a smell/ }).click();
	await customer.getByLabel(/smell of burning/).check();
	await customer.getByLabel(/where, if you know/).selectOption('Enlarger');
	await customer.getByRole('button', { name: 'Yes, this' }).click();
	await expect(customer.getByRole('heading', { name: 'Leave it off. Stay away.' })).toBeVisible();
	await expect(customer.getByRole('button', { name: /power is back|Take or pick/ })).toHaveCount(0);

	await expect(page.getByRole('alert')).toContainText('The customer reports smell at Enlarger.');
	await expect(page.getByRole('list', { name: 'What the customer said' })).toContainText('Plugged in: the fan heater');
	await page.goto(server.url);
	await expect(page.getByText('The customer reports smell at Enlarger: breaker off, stay away')).toBeVisible();
	await page.goto(`${server.url}/calls/2`);
	await page.getByRole('button', { name: 'Customer and parts' }).click();
	await page.getByRole('button', { name: 'End it' }).click();
	await expect(page.getByRole('button', { name: 'Make a link' })).toBeVisible();
	await customer.reload();
	await expect(customer.getByRole('alert')).toContainText('Ask the shop for another');
});

test('the site book: found by a word, the directory from CSV, and a call that starts from what is known', async ({ page, server }) => {
	await page.goto(server.url);
	await page.getByRole('link', { name: 'Site book' }).first().click();
	await page.getByLabel(/look up a house/).fill('inspector birds');
	await expect(page.getByRole('list', { name: 'Found' }).getByRole('link')).toHaveCount(1);
	await page.getByLabel(/look up a house/).fill('tannery');
	await page.getByRole('link', { name: /house Tannery Yard 3/ }).click();
	await expect(page.getByRole('table')).toContainText('Wash sink');
	await page.getByLabel('Take from CSV').setInputFiles({ name: 'door.csv', mimeType: 'text/csv', buffer: Buffer.from('breaker,amps,serves\n1,20,Kiln\n1,15,Loft\n') });
	await expect(page.getByRole('alert')).toContainText('breaker 1 stands there twice');
	await page.getByLabel('Take from CSV').setInputFiles({ name: 'door.csv', mimeType: 'text/csv', buffer: Buffer.from('breaker,amps,serves\n1,20,Kiln\n4,15,Loft darkroom\n') });
	await expect(page.getByRole('list', { name: 'Odd numbers' })).toContainText('Kiln');
	await expect(page.getByRole('list', { name: 'Even numbers' })).toContainText('Loft darkroom');
	await page.getByRole('button', { name: 'New call on Loft darkroom' }).click();
	await expect(page.getByRole('heading', { name: 'Loft darkroom', level: 1 })).toBeVisible();
	await page.getByRole('button', { name: 'Read. Start the call' }).click();
	await expect(page.getByText('Last time,').first()).toBeVisible();
	await page.getByRole('link', { name: 'all of it' }).click();
	await expect(page.getByRole('table').first()).toContainText('Print dryer');
	await expect(page.getByRole('columnheader').getByRole('link')).toHaveCount(3);
});

test('people and backups: served to others over TLS to who signs in, by what they are', async ({ browser }) => {
	const server = new Server('serve', '0.0.0.0');
	await server.letIn('Ada', 'electrician', 'heron kiln thistle weir');
	await server.letIn('Ole', 'office', 'mill quill sorrel oriel');
	await server.start();
	const url = server.url.replace(/\[::\]|0\.0\.0\.0/, 'localhost');
	const context = await browser.newContext({ ignoreHTTPSErrors: true });
	const page = await context.newPage();
	const sign = async (name: string, passphrase: string) => {
		await page.getByLabel('name').fill(name);
		await page.getByLabel('passphrase').fill(passphrase);
		await page.getByRole('button', { name: 'Sign in' }).click();
	};
	await page.goto(`${url}/book`);
	await expect(page.getByRole('heading', { name: 'Site book' })).toHaveCount(0);
	await sign('Ada', 'not her passphrase');
	await expect(page.getByRole('alert')).toContainText('name or passphrase is wrong');
	await sign('Ada', 'heron kiln thistle weir');
	await expect(page.getByRole('heading', { name: 'Site book' })).toBeVisible();
	await page.goto(`${url}/shop`);
	await page.getByRole('button', { name: 'Add somebody' }).click();
	await page.getByLabel('name').fill('Hal');
	await page.getByLabel('Role', { exact: true }).selectOption('helper');
	await page.getByLabel(/new passphrase/).fill('password1234');
	await page.getByRole('button', { name: 'Add', exact: true }).click();
	await expect(page.getByRole('alert')).toContainText('one of the commonest');
	await page.getByLabel(/new passphrase/).fill('lantern marten weir end');
	await page.getByRole('button', { name: 'Add', exact: true }).click();
	await expect(page.getByLabel('Role of Hal')).toHaveValue('helper');
	await page.getByRole('button', { name: 'Make one now' }).click();
	await expect(page.getByRole('list', { name: 'Backups' }).getByRole('link').first()).toBeVisible();
	await page.goto(`${url}/me`);
	await page.getByLabel('which program').fill('the wall board');
	await page.getByRole('button', { name: 'Make a token' }).click();
	const token = await page.getByRole('status').locator('code').innerText();
	const board = await browser.newContext({ ignoreHTTPSErrors: true, extraHTTPHeaders: { Authorization: `Bearer ${token}` } });
	expect((await board.request.get(`${url}/api/v1/calls`)).status()).toBe(200);
	await noSidewaysScroll(page);
	await page.getByRole('button', { name: 'Withdraw the wall board' }).click();
	await expect(page.getByRole('list', { name: 'Tokens' }).getByRole('listitem')).toHaveCount(0);
	expect((await board.request.get(`${url}/api/v1/calls`)).status()).toBe(401);
	await board.close();
	await page.goto(url);
	await page.getByRole('button', { name: 'Sign out' }).first().click();
	await sign('Ole', 'mill quill sorrel oriel');
	await expect(page.getByText('Ole, office').first()).toBeVisible();
	await expect(page.getByRole('link', { name: 'People and backups' })).toHaveCount(0);
	await expect(page.getByRole('button', { name: 'New call' })).toHaveCount(0);
	const cookies = await context.cookies();
	expect(cookies.map((c) => [c.name, c.httpOnly, c.secure, c.sameSite])).toEqual(
		Array(2).fill([expect.stringMatching(/^__Host-elvat-(known-)?[a-z2-7]{8}$/), true, true, 'Strict']),
	);
	await context.close();
	await server.remove();
});

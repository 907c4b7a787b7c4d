import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type BrowserContext, chromium, type Page, request } from '@playwright/test';
import { expect, phone, Server, test } from '../server';

/** A browser of its own, which finds the shop by its name; with the certificate of an authority installed, or without. */
async function browserAt(launch: object, home: string, installed?: string): Promise<BrowserContext> {
	const nss = join(home, '.pki', 'nssdb');
	mkdirSync(nss, { recursive: true });
	execFileSync('certutil', ['-N', '-d', `sql:${nss}`, '--empty-password']);
	if (installed) execFileSync('certutil', ['-A', '-d', `sql:${nss}`, '-n', 'the shop', '-t', 'C,,', '-i', installed]);
	const { args, ...rest } = launch as { args: string[] };
	return chromium.launchPersistentContext(join(home, 'profile'), {
		...rest,
		args: [...args, '--host-resolver-rules=MAP *.lan 127.0.0.1'],
		env: { ...process.env, HOME: home },
		viewport: phone,
		serviceWorkers: 'allow',
		// Whoever taps the warning away goes on, and is not trusted for that.
		ignoreHTTPSErrors: !installed,
	});
}

/** How much of the shop lies on the phone. */
const lies = (page: Page) =>
	page
		.evaluate(
			() =>
				new Promise<number>((done) => {
					const asked = indexedDB.open('elvat-phone');
					asked.onerror = () => done(-1);
					asked.onsuccess = () => {
						const names = [...asked.result.objectStoreNames];
						if (names.length === 0) return done(-1);
						const all = asked.result.transaction(names);
						let n = 0;
						for (const name of names.filter((x) => x !== 'answers')) {
							const count = all.objectStore(name).count();
							count.onsuccess = () => {
								n += count.result;
							};
						}
						all.oncomplete = () => {
							asked.result.close();
							done(n);
						};
					};
				}),
		)
		.catch(() => -1); // it is just loaded anew

test('a phone that trusts the shop keeps the application; one that only tapped the warning away is told why not', async ({ launchOptions }) => {
	test.slow(); // two browsers of its own, and two waits for what a phone puts away
	const server = new Server('serve', '0.0.0.0');
	const homes = [1, 2].map(() => mkdtempSync(join(tmpdir(), 'elvat-home-')));
	const [trusting, doubting] = homes as [string, string];
	try {
		await server.letIn('Ada', 'electrician', 'nine green herons');
		await server.letIn('Bo', 'electrician', 'five blue weirs');
		const authority = server.makeAuthority('shop.lan');
		await server.start();
		const at = `https://shop.lan:${new URL(server.url).port}`;

		const one = await browserAt(launchOptions, trusting, authority);
		const page = one.pages()[0] ?? (await one.newPage());
		await page.goto(`${at}/trust`);
		await expect(page.getByRole('status')).toContainText('This phone trusts it.');
		await expect(page.getByText(/^([0-9A-F]{2}:){31}[0-9A-F]{2}$/)).toBeVisible();
		await page.getByRole('link', { name: 'Open Elvat' }).click();
		await page.getByLabel('name').fill('Ada');
		await page.getByLabel('passphrase').fill('nine green herons');
		await page.keyboard.press('Enter');
		await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
		await page.evaluate(() => navigator.serviceWorker.ready.then(() => true));
		await page.goto(`${at}/me`);
		await expect(page.getByRole('region', { name: 'This phone' })).toContainText('Goes on without a signal', { timeout: 60_000 });
		// A session that ended lets one go on as the same person; what is done waits for signing in again.
		await one.clearCookies();
		await page.goto(at);
		await page.getByLabel('where').fill('Forge');
		await page.getByRole('button', { name: 'Start the call' }).click();
		await expect(page).toHaveURL(/calls\/-/);
		await page.getByRole('status', { name: 'With the shop' }).getByRole('link', { name: 'Sign in again' }).click();
		await expect(page.getByLabel('name')).toHaveValue('Ada');
		await page.getByLabel('passphrase').fill('nine green herons');
		await page.keyboard.press('Enter');
		await expect(page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 60_000 });
		await page.goto(at);
		await expect(page.getByRole('link', { name: 'Forge' })).toHaveAttribute('href', '/calls/1');

		// Signing out without a signal warns of what was not sent, and leaves nothing here: in a second tab too.
		await expect.poll(() => lies(page)).toBeGreaterThan(0);
		await one.setOffline(true);
		await page.getByRole('button', { name: 'New call' }).click();
		await page.getByLabel('where').fill('Smithy');
		await page.getByRole('button', { name: 'Start the call' }).click();
		await expect(page).toHaveURL(/calls\/-/);
		const second = await one.newPage();
		await second.goto(at);
		await second.getByRole('button', { name: 'Sign out' }).first().click();
		await second.getByRole('button', { name: 'Sign out and lose 1 not sent yet' }).first().click();
		await expect.poll(() => lies(page)).toBe(0);
		await page.waitForTimeout(7000); // the first tab has held itself against the shop meanwhile
		await expect.poll(() => lies(page)).toBe(0);
		await second.close();
		await one.setOffline(false);
		const sign = async () => {
			await page.goto(at);
			await page.getByLabel('name').fill('Ada');
			await page.getByLabel('passphrase').fill('nine green herons');
			await page.keyboard.press('Enter');
			await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
		};
		await sign();
		// Whose access was withdrawn keeps nothing either, from the next contact on.
		await expect.poll(() => lies(page), { timeout: 60_000 }).toBeGreaterThan(0);
		const bo = await request.newContext({ baseURL: server.url.replace(/\[::\]|0\.0\.0\.0/, 'localhost'), ignoreHTTPSErrors: true });
		expect((await bo.post('/api/v1/session', { data: { name: 'Bo', passphrase: 'five blue weirs' } })).ok()).toBe(true);
		const ada = (await (await bo.get('/api/v1/people')).json()).find((p: { name: string }) => p.name === 'Ada');
		expect((await bo.patch(`/api/v1/people/${ada.id}`, { data: { withdrawn: true } })).ok()).toBe(true);
		await bo.dispose();
		await expect.poll(() => lies(page), { timeout: 60_000 }).toBe(0);
		await expect(page.getByLabel('passphrase')).toBeVisible();
		// The authority vouches for the shop's name alone: the same machine under another one is refused.
		const refused = await page.goto(at.replace('shop.lan', 'bank.lan')).catch((e) => String(e));
		expect(refused).toContain('ERR_CERT');
		await one.close();

		const two = await browserAt(launchOptions, doubting);
		const warned = two.pages()[0] ?? (await two.newPage());
		await warned.goto(`${at}/trust`);
		await expect(warned.getByRole('status')).toContainText('This phone does not trust it yet.');
		await warned.goto(at);
		await warned.getByLabel('name').fill('Bo');
		await warned.getByLabel('passphrase').fill('five blue weirs');
		await warned.keyboard.press('Enter');
		await expect(warned.getByRole('heading', { level: 1 })).toBeVisible();
		await warned.getByRole('link', { name: /Bo/ }).click();
		const here = warned.getByRole('region', { name: 'This phone' });
		await expect(here).toContainText('Works with a signal only');
		await here.getByRole('link', { name: 'Make this phone trust the shop' }).click();
		await expect(warned.getByRole('heading', { level: 1 })).toContainText('Make this phone trust Tannery Yard');
		await two.close();
	} finally {
		await server.remove();
		for (const home of homes) rmSync(home, { recursive: true, force: true });
	}
});

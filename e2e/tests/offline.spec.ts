import type { Page } from '@playwright/test';
import { expect, phone, type Server, test } from '../server';

test.use({ serviceWorkers: 'allow', viewport: phone, hasTouch: true });

/** Opens a call once with a signal, and waits until the phone has what it needs to go on without. */
async function visit(page: Page, server: Server, path: string): Promise<void> {
	await page.goto(server.url + path);
	await page.evaluate(() => navigator.serviceWorker.ready.then(() => true));
	await expect
		.poll(
			() =>
				page.evaluate(
					() =>
						new Promise((done) => {
							const asked = indexedDB.open('elvat-phone');
							asked.onerror = () => done(undefined);
							asked.onsuccess = () => {
								const db = asked.result;
								if (!db.objectStoreNames.contains('rest')) return done(undefined);
								const one = db.transaction('rest').objectStore('rest').get('synced');
								one.onsuccess = () => {
									db.close();
									done(one.result);
								};
							};
						}),
				),
			{ timeout: 60_000 },
		)
		.toBeTruthy();
}

const readingsOf = async (page: Page, server: Server, call: number) =>
	((await (await page.request.get(`${server.url}/api/v1/calls/${call}`)).json()) as { readings: { reading: { at?: string; tool: string } }[] }).readings;

test('without a signal: a cold start, readings with advice, a dead proof, and both sides the same after it', async ({ page, server, context }) => {
	await visit(page, server, '/calls/3');
	const before = (await readingsOf(page, server, 3)).length;
	await server.stop('SIGKILL');
	await context.setOffline(true);

	// The installed application starts, and shows the call.
	await page.goto(`${server.url}/calls/3?at=R1&half=top&tool=plug`);
	await expect(page.getByRole('heading', { name: 'Bindery, upper floor', level: 1 })).toBeVisible();
	await expect(page.getByRole('status', { name: 'With the shop' })).toContainText('No signal');

	await page.getByRole('button', { name: /^Enter: as it should be/ }).click();
	await expect(page.getByRole('status', { name: 'With the shop' })).toContainText(/not sent yet/);
	await expect(page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem').first()).toContainText('Plug tester');

	// Dead is proven on the phone too, gates and all.
	await page.goto(`${server.url}/calls/3/dead?box=B3`);
	await page.getByRole('button', { name: 'Off and locked' }).click();
	await expect(page.getByText('breaker off and secured')).toHaveCount(0);

	// A second tab asks the one that leads.
	const second = await context.newPage();
	await second.goto(`${server.url}/calls/3`);
	await expect(second.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem').first()).toContainText('Plug tester');
	await second.close();

	// Put away and taken out again, all of it is there.
	await page.reload();
	await expect(page.getByRole('status', { name: 'With the shop' })).toContainText(/not sent yet/);
	await page.goto(`${server.url}/`);
	await expect(page.getByRole('link', { name: /Loft darkroom/ })).toBeVisible();

	await server.start();
	await context.setOffline(false);
	await expect(page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 60_000 });
	await expect.poll(async () => (await readingsOf(page, server, 3)).length).toBe(before + 1);
	await page.goto(`${server.url}/shop`);
	await expect(page.getByRole('region', { name: 'This phone' })).toContainText('Goes on without a signal');
	const work = await (await page.request.get(`${server.url}/api/v1/calls/3/work`)).json();
	expect(work.journal[0].words).toMatch(/locked/i);
});

test('what is built is sent packed and kept, a missing file is no page', async ({ page, server }) => {
	await visit(page, server, '/');
	expect((await page.request.get(`${server.url}/assets/of-another-version.js`)).status()).toBe(404);
	const module = await page.evaluate(async () => {
		const text = await (await fetch('/sw.js')).text();
		return /assets\/phone-[\w-]+\.wasm/.exec(text)?.[0];
	});
	const answer = await page.request.get(`${server.url}/${module}`, { headers: { 'Accept-Encoding': 'br' } });
	expect(answer.headers()['content-type']).toBe('application/wasm');
	expect(answer.headers()['cache-control']).toContain('immutable');
	expect((await page.request.get(`${server.url}/sw.js`)).headers()['cache-control']).toBe('no-cache');
});

import type { Locator, Page } from '@playwright/test';
import { synced } from '../phone';
import { expect, phone, Server, test } from '../server';

test.use({ serviceWorkers: 'allow', viewport: phone, hasTouch: true });

/** Opens a call once with a signal, and waits until the phone has what it needs to go on without. */
async function visit(page: Page, server: Server, path: string): Promise<void> {
	await page.goto(server.url + path);
	await synced(page);
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

test('the home screen is offered once the phone can go on, between calls, and once; a picture announced and not sent says so', async ({ page, server }) => {
	await visit(page, server, '/calls/3');
	const offer = () =>
		page.evaluate(() => {
			const e = new Event('beforeinstallprompt');
			Object.assign(e, {
				prompt: async () => {
					document.title = 'asked';
				},
			});
			window.dispatchEvent(e);
		});
	await offer();
	const aside = page.getByRole('complementary', { name: 'Install' });
	await expect(aside).toHaveCount(0); // in the middle of a call it is not
	await page.getByRole('link', { name: "The day's calls" }).click();
	await aside.getByRole('button', { name: 'Install' }).click();
	await expect(page).toHaveTitle('asked');
	await aside.getByRole('button', { name: 'Not now' }).click();
	await page.reload();
	await offer();
	await expect(page.getByRole('link', { name: /Loft darkroom/ })).toBeVisible();
	await expect(aside).toHaveCount(0);

	const doing = { do: 'add-picture', id: 'announced-picture', phase: 'prove' };
	const sent = await page.request.post(`${server.url}/api/v1/sync`, {
		data: { calls: {}, commands: [{ call: 3, id: 'announced-picture', madeAt: new Date().toISOString(), seen: 1, doing }] },
		headers: { 'Elvat-Device': 'somebodys-phone' },
	});
	expect(sent.ok()).toBe(true);
	await page.goto(`${server.url}/calls/3/prove`);
	await expect(page.getByText('On its way from a phone')).toBeVisible();
});

const shown = (at: Locator) => at.and(at.page().locator(':visible')).first();
const button = (page: Page, name: string | RegExp) => shown(page.getByRole('button', { name }));
const link = (page: Page, name: string | RegExp) => shown(page.getByRole('link', { name }));

/** Does the first that is there of what may come next, until what is wanted is there. */
async function until(page: Page, wanted: Locator, ...answers: (string | RegExp)[]): Promise<void> {
	await expect(async () => {
		if (await wanted.isVisible()) return;
		for (const name of answers) {
			if (!(await button(page, name).isVisible())) continue;
			await button(page, name).click();
			break;
		}
		await expect(wanted).toBeVisible({ timeout: 700 });
	}).toPass({ timeout: 60_000, intervals: [0] });
}

test('a drill is begun, played and scored without a signal, and the shop has its result after it', async ({ page, server, context }) => {
	await visit(page, server, '/drills');
	await server.stop('SIGKILL');
	await context.setOffline(true);
	await page.goto(`${server.url}/drills?theme=patterns&level=1&seed=1`);
	await page.getByRole('button', { name: 'Begin that one' }).click();
	await button(page, /Read and understood|Start the call/).click();
	await page.getByRole('button', { name: 'Sensor', exact: true }).last().click();
	await page.getByRole('button', { name: 'Hold it to the slots and the plate' }).click();
	await expect(page.getByRole('status', { name: 'It shows' })).toContainText('neutral slot strong');
	await page.getByRole('button', { name: 'Open this box' }).click();
	await expect(page.getByRole('region', { name: 'Drill' }).getByRole('alert')).toContainText('What would have happened');
	await link(page, 'Replay it, step by step').click();
	await expect(page.getByRole('region', { name: 'Score' })).toContainText('No points');
	await server.start();
	await context.setOffline(false);
	await expect(page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 60_000 });
	const sheet = async () => (await (await page.request.get(`${server.url}/api/v1/drills`)).json()) as { mine: { result?: { danger?: string } }[] };
	await expect.poll(async () => (await sheet()).mine.map((m) => m.result?.danger)).toContain('touched');
	const calls = await (await page.request.get(`${server.url}/api/v1/calls`)).text();
	expect(calls, 'and the day knows nothing of it').not.toContain('Map archive');
});

/** A small picture, as a phone takes one. */
const picture = (page: Page) =>
	page.evaluate(async () => {
		const canvas = new OffscreenCanvas(640, 480);
		canvas.getContext('2d')?.fillRect(0, 0, 320, 240);
		const bytes = new Uint8Array(await (await canvas.convertToBlob({ type: 'image/jpeg' })).arrayBuffer());
		return [...bytes];
	});

/** What the report says on the screen of the hand-over. */
const reportOn = async (page: Page) => (await page.getByRole('article', { name: 'The report' }).innerText()).replace(/\s+/g, ' ');

test('a whole call without a signal: complaint, run, readings, dead, box, prove, photograph, signature; then the shop has it as it was shown', async ({ page, context, browser }) => {
	test.setTimeout(240_000);
	const server = new Server('serve');
	await server.start();
	try {
		await visit(page, server, '/');
		await server.stop('SIGKILL');
		await context.setOffline(true);
		await page.reload();
		await page.getByLabel('where').fill('Kiln shed');
		await page.getByLabel(/complaint/i).first().fill('half of it is dead');
		await button(page, 'Start the call').click();
		await expect(page).toHaveURL(/calls\/-\d+/);
		await button(page, /^Read\. Start/).click();
		for (const label of ['Door', 'Wheel', 'Glaze']) {
			await page.getByLabel('next outlet').fill(label);
			await page.keyboard.press('Enter');
			await expect(page.getByRole('button', { name: new RegExp(`^${label}, fed from`) })).toBeVisible();
			await expect(page.getByLabel('next outlet')).toHaveValue('');
		}
		await button(page, 'Done').click();

		// Hot and neutral are exchanged at the middle one; whatever is asked before the cover comes off is answered.
		const off = link(page, /Breaker off/);
		for (let i = 0; i < 30 && !(await off.isVisible()); i++) {
			const at = await shown(page.getByRole('heading', { level: 2 })).innerText().catch(() => '');
			const pad = at.trim() === 'Wheel' ? button(page, /^Enter: hot and neutral reversed/) : button(page, /^Enter: as it should be/);
			const near = button(page, /^or on to/);
			const others = ['none had tripped', 'It is silent', 'Everything is unplugged', 'Enter: sensor strong at only neutral', 'Enter it'];
			for (const next of [...others.map((name) => button(page, name)), pad, near])
				if (await next.isVisible()) {
					await next.click();
					break;
				}
			await page.waitForTimeout(500);
		}
		await off.click();
		await button(page, 'Off and locked').click();
		await page.getByLabel('live source').fill('hall');
		await page.getByLabel('shows, V').fill('121');
		await button(page, /^Proven$/).click();
		for (const _ of ['at the slots', 'at the wires']) {
			await button(page, 'All eight below 1 V').click();
			await button(page, 'Silent everywhere').click();
			await button(page, /^Same again/).click();
		}
		await link(page, /^Look in/).click();
		await button(page, /^Reversed polarity/).click();
		await page.getByRole('button', { name: 'To the plan' }).last().click();
		await until(page, button(page, 'It is made up so'), 'workshop', 'none of these', '22.5 in³', 'yes', 'plain');
		await button(page, 'It is made up so').click();
		await link(page, /breaker on/).click();
		await button(page, 'The breaker is on').click();
		await page.locator('input[type=file]').first().setInputFiles({ name: 'plate.jpg', mimeType: 'image/jpeg', buffer: Buffer.from(await picture(page)) });
		await expect(page.getByRole('region', { name: 'Photographs' }).getByRole('img')).toBeVisible();
		await until(page, link(page, /Hand it over/), /^As predicted/);
		await link(page, /Hand it over/).click();
		const sign = page.getByRole('form', { name: 'Hand over' });
		await sign.getByLabel('handed over by').fill('A. Reyes');
		await sign.getByLabel('to', { exact: true }).fill('the potter');
		const box = await sign.getByRole('img', { name: 'Field to sign in' }).boundingBox();
		if (!box) throw new Error('no field');
		await page.mouse.move(box.x + 30, box.y + 60);
		await page.mouse.down();
		for (let i = 1; i < 8; i++) await page.mouse.move(box.x + 30 + 30 * i, box.y + 60 + (i % 2 ? -30 : 20));
		await page.mouse.up();
		await button(page, 'Hand it over').click();
		await expect(page.getByText(/Handed over at/)).toBeVisible();
		await expect.poll(() => reportOn(page)).toContain('A. Reyes');
		const here = await reportOn(page);

		// Back in reach: it goes up by itself, the page goes on under the shop's number, the picture follows.
		await server.start();
		await context.setOffline(false);
		await expect(page).toHaveURL(/calls\/\d+/, { timeout: 60_000 });
		await expect(page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 60_000 });
		const call = /calls\/(\d+)/.exec(page.url())?.[1];
		const api = `${server.url}/api/v1/calls/${call}`;
		await expect.poll(async () => {
			const { pictures } = await (await page.request.get(`${api}/work`)).json();
			return (await page.request.get(`${api}/pictures/${pictures[0]?.id}`)).status();
		}).toBe(200);
		const other = await browser.newContext({ serviceWorkers: 'block', viewport: phone });
		const office = await other.newPage();
		await office.addInitScript(() => Reflect.deleteProperty(Navigator.prototype, 'locks'));
		await office.goto(`${server.url}/calls/${call}/hand-over`);
		await expect(office.getByText(/Handed over at/)).toBeVisible();
		await expect.poll(() => reportOn(office)).toBe(here);
		await other.close();
	} finally {
		await server.remove();
	}
});

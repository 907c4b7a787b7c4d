import { createHmac } from 'node:crypto';
import { chromium, type Page } from '@playwright/test';
import { expect, noSidewaysScroll, Server, test } from '../server';
import { sound } from '../sound';

const words = 'heron kiln thistle weir';

/** The code of a key at a time, as RFC 6238 and RFC 4226 say: nothing of the application's own. */
function codeOf(key: string, at: number): string {
	const letters = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567';
	const bits = [...key].map((c) => letters.indexOf(c).toString(2).padStart(5, '0')).join('');
	const secret = Buffer.from((bits.match(/.{8}/g) ?? []).map((b) => Number.parseInt(b, 2)));
	const step = Buffer.alloc(8);
	step.writeBigUInt64BE(BigInt(Math.floor(at / 30_000)));
	const sum = createHmac('sha1', secret).update(step).digest();
	const from = (sum.at(-1) ?? 0) & 15;
	return String((sum.readUInt32BE(from) & 0x7fffffff) % 1_000_000).padStart(6, '0');
}

/** A shop that is reached from elsewhere, and a browser of its own that takes its certificate. */
async function reached(launch: object): Promise<{ server: Server; url: string; page: Page; end: () => Promise<void> }> {
	const server = new Server('serve', '0.0.0.0');
	await server.letIn('Ada', 'electrician', words);
	await server.letIn('Hal', 'helper', 'mill quill sorrel oriel');
	await server.start();
	const url = server.url.replace(/\[::\]|0\.0\.0\.0/, 'localhost');
	const { args, ...rest } = launch as { args: string[] };
	// A passkey is made only where the browser sees nothing wrong with the certificate.
	const browser = await chromium.launch({ ...rest, args: [...args, '--ignore-certificate-errors'] });
	const page = await browser.newPage({ serviceWorkers: 'block', ignoreHTTPSErrors: true });
	await page.addInitScript(() => Object.defineProperty(navigator, 'locks', { value: undefined }));
	return {
		server,
		url,
		page,
		end: async () => {
			await browser.close();
			await server.remove();
		},
	};
}

async function sign(page: Page, name: string, passphrase: string): Promise<void> {
	await page.getByLabel('name').fill(name);
	await page.getByLabel('passphrase').fill(passphrase);
	await page.getByRole('button', { name: 'Sign in' }).click();
}

test('second factors: a passkey, one-time codes and a recovery code each open the shop, the passphrase alone does not', async ({ launchOptions }) => {
	const { url, page, end } = await reached(launchOptions);
	try {
		const cdp = await page.context().newCDPSession(page);
		await cdp.send('WebAuthn.enable');
		await cdp.send('WebAuthn.addVirtualAuthenticator', {
			options: {
				protocol: 'ctap2', transport: 'internal', hasResidentKey: true, hasUserVerification: true, isUserVerified: true, automaticPresenceSimulation: true,
			},
		});
		await page.goto(`${url}/me`);
		await sign(page, 'Ada', words);
		const factors = page.getByRole('list', { name: 'Second factors' });
		await page.getByLabel(/kept on/).fill('my phone');
		await page.getByRole('button', { name: 'Make a passkey' }).click();
		await expect(factors).toContainText('my phone passkey');
		await page.getByLabel(/kept on/).fill('the tablet');
		await page.getByRole('button', { name: 'One-time codes' }).click();
		const key = await page.locator('form code').innerText();
		await page.getByLabel(/six digits/).fill('000000');
		await page.getByRole('button', { name: 'It shows these' }).click();
		await expect(page.getByRole('alert')).toContainText("is the phone's clock right?");
		const first = Date.now();
		await page.getByLabel(/six digits/).fill(codeOf(key, first));
		await page.getByRole('button', { name: 'It shows these' }).click();
		await expect(factors).toContainText('the tablet one-time codes');
		await page.getByRole('button', { name: 'Make recovery codes' }).click();
		const paper = await page.getByRole('status').getByRole('listitem').first().innerText();
		await sound(page, 'own page with second factors');
		await noSidewaysScroll(page);
		const out = async () => {
			await page.goto(url);
			await page.getByRole('button', { name: 'Sign out' }).first().click();
			await expect(page.getByLabel('passphrase')).toBeVisible();
			await page.goto(`${url}/me`);
			await sign(page, 'Ada', words);
			await expect(page.getByRole('heading', { name: 'And your second factor' })).toBeVisible();
			expect((await page.request.get(`${url}/api/v1/calls`)).status()).toBe(401);
		};
		const inside = () => expect(page.getByRole('heading', { name: 'Where you are signed in' })).toBeVisible();

		await out();
		await sound(page, 'second factor');
		await page.getByRole('button', { name: 'Use the passkey' }).click();
		await inside();

		await out();
		await page.getByLabel(/six digits/).fill('123456');
		await page.getByRole('button', { name: 'Sign in' }).click();
		await expect(page.getByRole('alert')).toContainText('that is not it');
		// The code that set it up is used up; the one of the next half minute is good now too.
		await page.getByLabel(/six digits/).fill(codeOf(key, first + 30_000));
		await page.getByRole('button', { name: 'Sign in' }).click();
		await inside();

		await out();
		await page.getByRole('button', { name: 'A recovery code instead' }).click();
		await page.getByLabel(/recovery code/).fill(paper);
		await page.getByRole('button', { name: 'Sign in' }).click();
		await inside();
		await expect(page.getByText('7 recovery codes are left')).toBeVisible();
	} finally {
		await end();
	}
});

test('rules of the door: an electrician without a second factor sets one up first; what happened stands to be read', async ({ launchOptions }) => {
	const { url, page, end } = await reached(launchOptions);
	try {
		await page.goto(`${url}/shop`);
		await sign(page, 'Hal', 'wrong wrong wrong');
		await expect(page.getByRole('alert')).toContainText('name or passphrase is wrong');
		await sign(page, 'Ada', words);
		await page.getByLabel(/Electricians sign in with a second factor/).click();
		await expect(page.getByText('The shop asks electricians for one.')).toBeVisible();
		await page.goto(`${url}/book`);
		await expect(page.getByText('The shop asks electricians for one.')).toBeVisible();
		await page.getByLabel(/kept on/).fill('the tablet');
		await page.getByRole('button', { name: 'One-time codes' }).click();
		const key = await page.locator('form code').innerText();
		await page.getByLabel(/six digits/).fill(codeOf(key, Date.now()));
		await page.getByRole('button', { name: 'It shows these' }).click();
		await expect(page.getByRole('heading', { name: 'Site book' })).toBeVisible();

		await page.goto(`${url}/shop`);
		const happened = page.getByRole('list', { name: 'What happened' });
		for (const line of ['Ada set the rules of the door', 'Ada added a second factor', 'somebody a sign-in failed: Hal', 'Ada signed in'])
			await expect(happened).toContainText(line);
		await sound(page, 'people and backups');
		const [csv] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'All of it for a spreadsheet' }).click()]);
		expect(csv.suggestedFilename()).toBe('elvat-events.csv');
		await page.getByRole('button', { name: 'The archive, encrypted' }).click();
		await page.getByRole('form', { name: 'Encrypted archive' }).getByLabel(/new passphrase/).fill('lantern marten weir end');
		const [sealed] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Take it' }).click()]);
		expect(sealed.suggestedFilename()).toBe('elvat-archive.zip.age');
	} finally {
		await end();
	}
});

test('the passphrase once more: asked where it reaches far, and what was asked for is done then, or not at all', async ({ launchOptions }) => {
	const { url, page, end } = await reached(launchOptions);
	try {
		await page.goto(`${url}/shop`);
		await sign(page, 'Ada', words);
		const backups = page.getByRole('list', { name: 'Backups' }).getByRole('listitem');
		await expect(backups.first()).toBeVisible(); // that of the start
		const before = await backups.count();
		// As the server answers ten minutes later.
		const stale = { type: 'urn:elvat:problem:passphrase-again', title: 'Your passphrase once more', status: 403, detail: 'give your passphrase once more for this' };
		const later = (times: number) =>
			page.route('**/api/v1/backups', (route) =>
				route.request().method() === 'POST' ? route.fulfill({ status: 403, contentType: 'application/problem+json', body: JSON.stringify(stale) }) : route.continue(),
				{ times },
			);
		const dialog = page.getByRole('dialog', { name: 'Your passphrase once more' });
		await later(1);
		await page.getByRole('button', { name: 'Make one now' }).click();
		await dialog.getByRole('button', { name: 'Not now' }).click();
		await expect(page.getByRole('alert')).toContainText('give your passphrase once more');
		expect(await backups.count()).toBe(before);
		await page.unrouteAll();
		await later(1);
		await page.getByRole('button', { name: 'Make one now' }).click();
		await dialog.getByRole('textbox').fill('not her passphrase');
		await dialog.getByRole('button', { name: 'Go on' }).click();
		await expect(dialog.getByRole('alert')).toContainText('that is not your passphrase');
		await sound(page, 'passphrase once more', '[role=dialog]');
		await page.unrouteAll();
		await dialog.getByRole('textbox').fill(words);
		await dialog.getByRole('button', { name: 'Go on' }).click();
		await expect(dialog).toHaveCount(0);
		await expect(backups).toHaveCount(before + 1);
		await expect(page.getByRole('list', { name: 'What happened' }).or(page.getByText('Nothing yet.'))).toBeVisible();
	} finally {
		await end();
	}
});

test("a customer's data: taken as a file, erased on request, and the record of the work stays", async ({ page, server }) => {
	await page.goto(`${server.url}/book/sites/1`);
	const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'All that is kept, as a file' }).click()]);
	expect(file.suggestedFilename()).toBe('elvat-house-1.zip');
	await page.getByRole('button', { name: 'Erase it' }).click();
	const dialog = page.getByRole('dialog');
	await sound(page, 'erase', '[role=dialog]');
	await dialog.getByRole('button', { name: 'Keep it' }).click();
	await expect(page.getByText('Erased on')).toHaveCount(0);
	await page.getByRole('button', { name: 'Erase it' }).click();
	await dialog.getByRole('button', { name: 'Erase it' }).click();
	await expect(page.getByText('Erased on')).toBeVisible();
	await expect(page.getByRole('heading', { name: 'Erased, house 1' })).toBeVisible();
	await page.goto(`${server.url}/calls/3`);
	await expect(page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem').first()).toBeVisible();
	await expect(page.getByText('Gilding lamp')).toHaveCount(0);
});

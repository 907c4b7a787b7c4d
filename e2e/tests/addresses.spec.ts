import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { copyFileSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { synced } from '../phone';
import { binary, expect, template, test as base } from '../server';

const passphrase = 'long river copper lamp';

const free = () =>
	new Promise<number>((done) => {
		const one = createServer().listen(0, '127.0.0.1', () => {
			const { port } = one.address() as { port: number };
			one.close(() => done(port));
		});
	});

/** Two processes that serve one shop, each at an address of its own, as two machines of a cluster do. */
class Two {
	readonly folder = mkdtempSync(join(tmpdir(), 'elvat-two-'));
	urls: string[] = [];
	private children: (ChildProcess | undefined)[] = [];

	async start(): Promise<void> {
		const shop = join(this.folder, 'north');
		mkdirSync(shop);
		copyFileSync(await template(), join(shop, 'shop.db'));
		const hosts = ['one.north.localhost', 'two.north.localhost'];
		const ports = [await free(), await free()];
		this.urls = hosts.map((host, i) => `http://${host}:${ports[i]}`);
		writeFileSync(join(shop, 'shop.json'), JSON.stringify({ title: 'North', hosts, addresses: this.urls }));
		execFileSync(binary, ['people', 'add', 'Ada', '--role', 'electrician', '--db', join(shop, 'shop.db')], { input: `${passphrase}\n`, stdio: ['pipe', 'ignore', 'ignore'] });
		for (const i of [0, 1]) await this.begin(i);
	}

	async begin(i: number): Promise<void> {
		const child = spawn(binary, ['serve', '--shops', this.folder, '--listen', `127.0.0.1:${new URL(this.urls[i] ?? '').port}`], { stdio: ['ignore', 'pipe', 'ignore'] });
		this.children[i] = child;
		await new Promise((up) => child.stdout?.once('data', up));
	}

	signal(i: number, signal: NodeJS.Signals): void {
		this.children[i]?.kill(signal);
	}

	end(): void {
		for (const child of this.children) child?.kill('SIGKILL');
		rmSync(this.folder, { recursive: true, force: true });
	}
}

const test = base.extend<{ two: Two }>({
	// biome-ignore lint/correctness/noEmptyPattern: the form Playwright wants
	two: async ({}, use) => {
		const two = new Two();
		await two.start();
		await use(two);
		two.end();
	},
});

async function signIn(page: Page, url: string): Promise<void> {
	await page.goto(url);
	await page.getByLabel('Name').fill('Ada');
	await page.getByLabel('Passphrase').fill(passphrase);
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page.getByRole('link', { name: /Bindery/ }).first()).toBeVisible();
	// The session is at the other address too, before it is needed.
	await expect.poll(() => page.evaluate(() => localStorage.getItem('elvat-carried'))).toContain('two.north.localhost');
}

const read = (at: 'top' | 'bottom') => `/calls/3?at=R1&half=${at}&tool=plug`;

async function enter(page: Page): Promise<void> {
	await page.getByRole('button', { name: /^Enter: as it should be/ }).click();
}

/** What the second machine has on record of the call. */
async function onRecord(page: Page, two: Two): Promise<string[]> {
	const { host, port } = new URL(two.urls[1] ?? '');
	const cookies = await page.context().cookies(two.urls[1]);
	// Only the browser knows where names below localhost lead.
	const answer = await page.request.get(`http://127.0.0.1:${port}/api/v1/calls/3`, {
		headers: { Host: host, Cookie: cookies.map((c) => `${c.name}=${c.value}`).join('; ') },
	});
	expect(answer.status()).toBe(200);
	const { readings } = (await answer.json()) as { readings: { id: string; reading: { tool: string } }[] };
	return readings.filter((r) => r.reading.tool === 'plug').map((r) => r.id);
}

for (const how of ['SIGKILL', 'SIGSTOP'] as const) {
	test(`a machine ${how === 'SIGKILL' ? 'dies' : 'hangs'}: the browser goes on at another, what is entered is on record once`, async ({ page, two }) => {
		await signIn(page, two.urls[0] ?? '');
		await page.goto(two.urls[0] + read('top'));
		const before = (await onRecord(page, two)).length;
		await expect(page.getByRole('heading', { name: 'Bindery, upper floor', level: 1 })).toBeVisible();
		two.signal(0, how);
		await enter(page);
		await expect.poll(async () => (await onRecord(page, two)).length, { timeout: 30_000 }).toBe(before + 1);
		await expect(page.getByText('The server does not answer')).toHaveCount(0);
		await expect(page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem').first()).toContainText('Plug tester');
		if (how === 'SIGSTOP') two.signal(0, 'SIGCONT');
		else await two.begin(0);
		await page.goto(two.urls[0] + read('bottom'));
		await enter(page);
		await expect.poll(async () => (await onRecord(page, two)).length, { timeout: 30_000 }).toBe(before + 2);
	});
}

test.describe('a phone', () => {
	test.use({ serviceWorkers: 'allow' });

	test('a phone sends what waits to a machine that answers, once', async ({ page, two }) => {
		await signIn(page, two.urls[0] ?? '');
		await page.goto(two.urls[0] + read('top'));
		await synced(page);
		const before = (await onRecord(page, two)).length;
		two.signal(0, 'SIGKILL');
		await enter(page);
		await expect.poll(async () => (await onRecord(page, two)).length, { timeout: 30_000 }).toBe(before + 1);
		await expect(page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 30_000 });
		// The application itself lies on the phone: it starts, and is answered by the other.
		await page.goto(two.urls[0] + read('bottom'));
		await enter(page);
		await expect.poll(async () => (await onRecord(page, two)).length, { timeout: 30_000 }).toBe(before + 2);
		await two.begin(0);
		await page.reload();
		await expect(page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 30_000 });
		expect((await onRecord(page, two)).length).toBe(before + 2);
	});
});

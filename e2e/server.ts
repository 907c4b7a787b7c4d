import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test as base, expect, type Page } from '@playwright/test';

const binary = join(import.meta.dirname, '..', 'bin', 'elvat');

/** The real binary on a database of its own. */
export class Server {
	url = '';
	private child: ChildProcess | undefined;
	private readonly folder = mkdtempSync(join(tmpdir(), 'elvat-e2e-'));

	constructor(private readonly command: 'demo' | 'serve' = 'demo') {}

	async start(): Promise<void> {
		const child = spawn(binary, [this.command, '--listen', '127.0.0.1:0', '--db', join(this.folder, 'e2e.db')], { stdio: ['ignore', 'pipe', 'pipe'] });
		this.child = child;
		let errors = '';
		child.stderr.on('data', (text) => {
			errors += text;
		});
		this.url = await new Promise((found, failed) => {
			child.stdout.on('data', (text) => {
				const address = /http:\S+/.exec(String(text));
				if (address) found(address[0]);
			});
			child.on('exit', (code) => failed(new Error(`the server ended with ${code}: ${errors}`)));
		});
	}

	/** Ends the server and waits until it is gone; the database stays. */
	async stop(signal: NodeJS.Signals = 'SIGTERM'): Promise<number | null> {
		const child = this.child;
		if (!child || child.exitCode !== null) return child?.exitCode ?? null;
		const gone = new Promise<number | null>((done) => child.on('exit', done));
		child.kill(signal);
		return gone;
	}

	async remove(): Promise<void> {
		await this.stop();
		rmSync(this.folder, { recursive: true, force: true });
	}
}

export const test = base.extend<{ server: Server }>({
	// biome-ignore lint/correctness/noEmptyPattern: the form Playwright wants
	server: async ({}, use) => {
		const server = new Server();
		await server.start();
		await use(server);
		await server.remove();
	},
});

export { expect };

/** Opens the demo call of that name. */
export async function openCall(page: Page, server: Server, title: string): Promise<void> {
	await page.goto(server.url);
	await page.getByRole('link', { name: title }).click();
	await expect(page.getByRole('heading', { name: title, level: 1 })).toBeVisible();
}

/** The names of the suspects shown, most probable first. */
export function suspects(page: Page) {
	return page.locator('[data-suspect]');
}

/** Nothing makes the page itself scroll sideways. */
export async function noSidewaysScroll(page: Page): Promise<void> {
	const [wide, window] = await page.evaluate(() => [document.documentElement.scrollWidth, innerWidth]);
	expect(wide).toBeLessThanOrEqual(window);
}

export const phone = { width: 390, height: 844 };

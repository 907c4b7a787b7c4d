import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { copyFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test as base, expect, type Page } from '@playwright/test';

export const binary = join(import.meta.dirname, '..', 'bin', 'elvat');

let made: Promise<string> | undefined;

/** A demo database with its calls summed up: made once, copied for each test. */
export function template(): Promise<string> {
	made ??= (async () => {
		const server = new Server('demo', '127.0.0.1', true);
		await server.start();
		await (await fetch(`${server.url}/api/v1/calls`)).json();
		await server.stop();
		process.on('exit', () => rmSync(server.folder, { recursive: true, force: true }));
		return server.database;
	})();
	return made;
}

/** The real binary on a database of its own. */
export class Server {
	url = '';
	private child: ChildProcess | undefined;
	private port = '0';
	readonly folder = mkdtempSync(join(tmpdir(), 'elvat-e2e-'));
	readonly database = join(this.folder, 'e2e.db');

	constructor(
		private readonly command: 'demo' | 'serve' = 'demo',
		private readonly host = '127.0.0.1',
		private bare = command === 'serve',
	) {}

	/** Starts it, on the same port as before where it was started before. */
	async start(): Promise<void> {
		if (!this.bare) {
			copyFileSync(await template(), this.database);
			this.bare = true;
		}
		const args = [this.command, '--listen', `${this.host}:${this.port}`, '--db', this.database, '--backups', join(this.folder, 'backups')];
		const child = spawn(binary, args, { stdio: ['ignore', 'pipe', 'pipe'] });
		this.child = child;
		let errors = '';
		child.stderr.on('data', (text) => {
			errors += text;
			// What goes wrong inside is seen in the test's own log.
			for (const line of String(text).split('\n')) if (line.includes('level=ERROR') && !line.includes('context canceled')) console.error(line);
		});
		this.url = await new Promise((found, failed) => {
			child.stdout.on('data', (text) => {
				const address = /https?:\S+/.exec(String(text));
				if (address) found(address[0]);
			});
			child.on('exit', (code) => failed(new Error(`the server ended with ${code}: ${errors}`)));
		});
		this.port = new URL(this.url).port;
	}

	/** Lets somebody sign in. */
	async letIn(name: string, role: string, passphrase: string): Promise<void> {
		const child = spawn(binary, ['people', 'add', name, '--role', role, '--db', this.database], { stdio: ['pipe', 'ignore', 'inherit'] });
		child.stdin.end(`${passphrase}\n`);
		const code = await new Promise((done) => child.on('exit', done));
		if (code !== 0) throw new Error(`people add ${name} ended with ${code}`);
	}

	/** Makes the shop's own authority for the names. */
	makeAuthority(...names: string[]): string {
		const named = names.flatMap((name) => ['--name', name]);
		execFileSync(binary, ['tls', 'make', '--db', this.database, '--shop', 'Tannery Yard', ...named]);
		return `${this.database}-authority.crt`;
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
	// The shop alone answers, as in a browser without a store, but where a test is about being without a signal.
	context: async ({ context, serviceWorkers }, use) => {
		if (serviceWorkers === 'block') await context.addInitScript(() => Reflect.deleteProperty(Navigator.prototype, 'locks'));
		await use(context);
	},
	// biome-ignore lint/correctness/noEmptyPattern: the form Playwright wants
	server: async ({}, use) => {
		const server = new Server();
		await server.start();
		await use(server);
		await server.remove();
	},
});

export { expect };

/** Says of each finding that must be mended that it is, and goes back to the steps. */
export async function mendAll(page: Page): Promise<void> {
	await page.getByRole('button', { name: /to mend first/ }).first().click();
	const open = page.getByRole('list', { name: 'Findings' }).getByRole('listitem').filter({ hasText: 'Leave it, by name' });
	for (let n = await open.count(); n > 0; n--) {
		await open.first().getByRole('button').first().click();
		await expect(open).toHaveCount(n - 1);
	}
	await page.getByRole('tab', { name: 'Steps' }).click();
}

/** Opens the demo call of that name. */
export async function openCall(page: Page, server: Server, title: string): Promise<void> {
	await page.goto(server.url);
	await page.getByRole('link', { name: title }).click();
	await expect(page.getByRole('heading', { name: title, level: 1 })).toBeVisible();
}

/** Says of every step of a new run that it is done, and that it is laid. */
export async function layAll(page: Page): Promise<void> {
	const open = page.locator('input[type=checkbox][aria-label^="Done:"]:not(:checked)');
	const laid = page.getByRole('button', { name: 'It is laid' });
	for (let n = 0; n < 60 && !(await laid.isVisible()); n++) {
		const kept = page.waitForResponse((answer) => answer.url().endsWith('/steps'));
		await open.first().click();
		await kept;
		await expect(page.getByRole('alert')).toHaveCount(0);
	}
	await laid.click();
	await expect(page.getByText('Laid. Every outlet is proven now.')).toBeVisible();
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

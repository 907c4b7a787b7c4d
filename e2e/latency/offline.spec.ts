import { execSync } from 'node:child_process';
import type { Page } from '@playwright/test';
import { synced } from '../phone';
import { expect, openCall, phone, Server, test } from '../server';

test.use({ serviceWorkers: 'allow', viewport: phone });

const at = (took: number[], share: number) => [...took].sort((a, b) => a - b)[Math.floor(share * (took.length - 1))]?.toFixed(0);
const figures = (what: string, took: number[]) =>
	console.log(`${what}, ${took.length} times: p50 ${at(took, 0.5)} ms, p95 ${at(took, 0.95)} ms, most ${at(took, 1)} ms`);

/** From the tap to the frame that shows the suspects anew, or the record where they stay as they were. */
const tap = (page: Page, button: string) =>
	page.evaluate(async (name) => {
		const readings = () => document.querySelectorAll('[aria-label="Readings, newest first"] li').length;
		const before = readings();
		const pressed = [...document.querySelectorAll('button')].find((b) => b.ariaLabel?.startsWith(name) && b.offsetParent);
		if (!pressed) return undefined;
		const start = performance.now();
		pressed.click();
		while (readings() === before && performance.now() - start < 10_000) await new Promise(requestAnimationFrame);
		return performance.now() - start;
	}, button);

const lead = (page: Page, path: string) =>
	page.evaluate((to) => {
		history.pushState({}, '', to);
		dispatchEvent(new PopStateEvent('popstate', { state: {} }));
	}, path);

async function taps(page: Page, count: number): Promise<number[]> {
	const took: number[] = [];
	const outlets = ['R1', 'R2', 'R4', 'R5', 'R6', 'R7', 'R8', 'R9'];
	for (let i = 0; i < count; i++) {
		await lead(page, `/calls/3?at=${outlets[i % outlets.length]}&half=${i % 2 ? 'top' : 'bottom'}`);
		await page.locator('body').press('1');
		await page.waitForTimeout(900);
		const ms = await tap(page, i % 3 === 0 ? 'Enter: all three lamps dark' : 'Enter: as it should be');
		if (ms !== undefined) took.push(ms);
	}
	return took;
}

/** Holds the renderers of this browser at a quarter of their time while it does that: the slow phone of the basement. */
async function atAQuarter<T>(what: () => Promise<T>): Promise<T> {
	const renderers = execSync("pgrep -f -- '--type=renderer' || true").toString().split('\n').filter(Boolean).map(Number);
	let runs = true;
	const signal = (s: NodeJS.Signals) => {
		for (const pid of renderers)
			try {
				process.kill(pid, s);
			} catch {} // it is gone
	};
	const beat = (async () => {
		while (runs) {
			signal('SIGSTOP');
			await new Promise((done) => setTimeout(done, 30));
			signal('SIGCONT');
			await new Promise((done) => setTimeout(done, 10));
		}
	})();
	try {
		return await what();
	} finally {
		runs = false;
		await beat;
		signal('SIGCONT');
	}
}

test('without a signal: cold start, taps, and taps on a slow phone', async ({ page, server, context }) => {
	test.setTimeout(600_000);
	await page.goto(`${server.url}/calls/3`);
	await synced(page);
	await page.waitForTimeout(3000);
	await server.stop('SIGKILL');
	await context.setOffline(true);
	const cold: number[] = [];
	let on = page;
	for (let i = 0; i < 9; i++) {
		await on.close();
		on = await context.newPage();
		const start = Date.now();
		await on.goto(server.url);
		await on.getByRole('link', { name: /Loft darkroom/ }).waitFor();
		cold.push(Date.now() - start);
	}
	figures("cold start to the day's calls", cold);
	await openCall(on, server, 'Bindery, upper floor');
	await on.waitForTimeout(4000);
	figures('tap to suspects', await taps(on, 40));
	figures('tap to suspects, renderer at a quarter', await atAQuarter(() => taps(on, 16)));
});

test('without a signal: the first diagnosis of nine stops from nothing', async ({ page, context }) => {
	test.setTimeout(300_000);
	const server = new Server('serve');
	await server.start();
	try {
		await page.goto(server.url);
		await synced(page);
		await server.stop('SIGKILL');
		await context.setOffline(true);
		const suspects: number[] = [];
		const moves: number[] = [];
		for (let round = 0; round < 5; round++) {
			await page.goto(server.url);
			if (round > 0) await page.getByRole('button', { name: 'New call' }).click();
			await page.getByLabel('where').fill(`Glass house ${round}`);
			await page.getByRole('button', { name: 'Start the call' }).click();
			await page.getByRole('button', { name: /^Read\. Start/ }).click();
			for (let i = 0; i < 9; i++) {
				await page.getByLabel('next outlet').fill(`Bench ${round}${i}`);
				await page.keyboard.press('Enter');
				await expect(page.getByRole('button', { name: new RegExp(`^Bench ${round}${i}, fed from`) })).toBeVisible();
				await expect(page.getByLabel('next outlet')).toHaveValue('');
			}
			// The page loaded anew has no engine: the first reading makes it.
			const took = await page.evaluate(async () => {
				const done = [...document.querySelectorAll('button')].find((b) => b.innerText === 'Done' && b.offsetParent);
				const start = performance.now();
				done?.click();
				const until = async (there: () => unknown) => {
					while (!there() && performance.now() - start < 20_000) await new Promise(requestAnimationFrame);
					return performance.now() - start;
				};
				const suspects = await until(() => document.querySelector('[aria-label^="Bench"][aria-label*="% of suspicion"], [data-suspect]'));
				const move = await until(() => document.querySelector('section[aria-label="Next move"] button, nav[aria-label="Next move"] a, section[aria-label="Next move"] h2'));
				return [suspects, move] as const;
			});
			suspects.push(took[0]);
			moves.push(took[1]);
		}
		figures('nine stops from nothing: suspects', suspects);
		figures('nine stops from nothing: next move', moves);
	} finally {
		await server.remove();
	}
});

test('two days come up: 120 commands and 40 pictures', async ({ page, server, context }) => {
	test.setTimeout(600_000);
	await page.goto(`${server.url}/calls/3`);
	await synced(page);
	await context.setOffline(true);
	const pictures = await page.evaluate(async () => {
		const canvas = new OffscreenCanvas(1600, 1200);
		const on = canvas.getContext('2d');
		for (let i = 0; i < 4000; i++) {
			if (on) on.fillStyle = `hsl(${i * 7} 60% ${30 + (i % 50)}%)`;
			on?.fillRect((i * 37) % 1600, (i * 91) % 1200, 60, 40);
		}
		return [...new Uint8Array(await (await canvas.convertToBlob({ type: 'image/jpeg', quality: 0.9 })).arrayBuffer())];
	});
	await lead(page, '/calls/3/hand-over');
	const picture = { name: 'box.jpg', mimeType: 'image/jpeg', buffer: Buffer.from(pictures) };
	const shown = page.getByRole('region', { name: 'Photographs' }).getByRole('img');
	for (let i = 0; i < 40; i++) {
		await page.locator('input[type=file]').first().setInputFiles(picture);
		await expect(shown).toHaveCount(i + 1);
	}
	for (let i = 0; i < 80; i++) {
		await page.getByLabel('in words').fill(`Noted on the second day, ${i}.`);
		await page.getByLabel('in words').press('Enter');
		await expect(page.getByLabel('in words')).toHaveValue('');
	}
	await expect(page.getByRole('status', { name: 'With the shop' })).toContainText('120 entries not sent yet. 40 photographs');
	const start = Date.now();
	await context.setOffline(false);
	await page.evaluate(() => window.dispatchEvent(new Event('online')));
	await expect(page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 120_000 });
	console.log(`120 commands and 40 pictures of ${(pictures.length / 1e3).toFixed(0)} kB: ${((Date.now() - start) / 1000).toFixed(1)} s`);
	const work = await (await page.request.get(`${server.url}/api/v1/calls/3/work`)).json();
	for (const p of work.pictures) expect((await page.request.get(`${server.url}/api/v1/calls/3/pictures/${p.id}`)).status()).toBe(200);
});

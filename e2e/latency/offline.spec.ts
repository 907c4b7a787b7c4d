import { execSync } from 'node:child_process';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { lead, synced } from '../phone';
import { expect, phone, test } from '../server';

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

/** Each on a page that was loaded anew; rest: until its engine is prepared. */
async function taps(page: Page, url: string, outlets: string[], rest: number): Promise<number[]> {
	const took: number[] = [];
	for (const at of outlets)
		for (const half of ['top', 'bottom']) {
			await page.goto(`${url}/calls/3?at=${at}&half=${half}&tool=plug`);
			await page.waitForTimeout(rest);
			const ms = await tap(page, 'Enter: as it should be');
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
	figures('tap to suspects', await taps(on, server.url, ['R1', 'R2', 'R4', 'R5'], 2500));
	figures('tap to suspects, renderer at a quarter', await atAQuarter(() => taps(on, server.url, ['R6', 'R7'], 9000)));
});

test('without a signal: the first diagnosis of nine stops from nothing', () => {
	// The module itself, in the same engine without a page around it.
	console.log(execSync('node latency/nine.mjs', { cwd: join(import.meta.dirname, '..') }).toString());
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

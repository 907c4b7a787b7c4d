import type { BrowserContext, Page } from '@playwright/test';
import { lead, synced } from '../phone';
import { expect, phone, test } from '../server';

test.use({ serviceWorkers: 'allow' });

/** How many histories are drawn here; \`make histories\` asks for more. */
const histories = Number(process.env.HISTORIES ?? 1);
const steps = 14;

/** The same numbers for the same seed (mulberry32, public domain). */
function numbers(seed: number): (below: number) => number {
	let a = seed;
	return (below) => {
		a = (a + 0x6d2b79f5) | 0;
		let t = Math.imul(a ^ (a >>> 15), 1 | a);
		t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
		return Math.floor((((t ^ (t >>> 14)) >>> 0) / 2 ** 32) * below);
	};
}

const outlets = ['R1', 'R2', 'R4', 'R5', 'R6', 'R7'];
const call = '/calls/3';
const list = (page: Page) => page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem');

for (let seed = 1; seed <= histories; seed++)
	test(`two phones and the office apart, cut off, closed and the machine killed: ${seed}`, async ({ browser, server }) => {
		test.setTimeout(180_000);
		const draw = numbers(seed);
		const carried: { context: BrowserContext; page: Page; off: boolean; notes: string[]; name: string }[] = [];
		const before = (await (await fetch(`${server.url}/api/v1${call}`)).json()).readings.length;
		let entered = 0;
		for (const name of ['Ada', 'Bo']) {
			const context = await browser.newContext({ viewport: phone, serviceWorkers: 'allow' });
			const page = await context.newPage();
			await page.goto(server.url + call);
			await synced(page);
			carried.push({ context, page, off: false, notes: [], name });
		}
		const one = () => carried[draw(carried.length)] as (typeof carried)[number];
		for (let step = 0; step < steps; step++) {
			const who = one();
			switch (draw(7)) {
				case 0:
				case 1: {
					const at = outlets[draw(outlets.length)];
					await lead(who.page, `${call}?at=${at}&half=${draw(2) ? 'top' : 'bottom'}`);
					await expect(list(who.page).first()).toBeVisible();
					const newest = async () => `${await list(who.page).count()} ${await list(who.page).first().innerText()}`;
					const was = await newest();
					const enter = who.page.getByRole('button', { name: 'Enter: test lamp off' });
					await expect(async () => {
						await who.page.locator('body').press('4'); // the test lamp
						await expect(enter).toBeVisible({ timeout: 1000 });
					}).toPass();
					await enter.click();
					await expect.poll(newest).not.toBe(was);
					entered++;
					break;
				}
				case 2: {
					const words = `${who.name} was here, ${seed}.${step}.`;
					await lead(who.page, `${call}/hand-over`);
					await who.page.getByLabel('in words').fill(words);
					await who.page.getByLabel('in words').press('Enter');
					await expect(who.page.getByRole('article', { name: 'The report' })).toContainText(words);
					who.notes.push(words);
					break;
				}
				case 3:
					who.off = !who.off;
					await who.context.setOffline(who.off);
					break;
				case 4:
					await server.stop('SIGKILL');
					await server.start();
					break;
				case 5: // the tab is closed, and another one opened
					await who.page.close();
					who.page = await who.context.newPage();
					await who.page.goto(server.url + call);
					await expect(who.page.getByRole('heading', { level: 1 })).toBeVisible();
					break;
				default: {
					const answer = await fetch(`${server.url}/api/v1${call}/breaker`, {
						method: 'PUT',
						headers: { 'Content-Type': 'application/json', 'Elvat-Device': 'office-desk' },
						body: JSON.stringify({ label: String(1 + draw(20)), amps: 20 }),
					});
					expect(answer.ok).toBe(true);
				}
			}
		}
		const shown: string[] = [];
		for (const who of carried) {
			await who.context.setOffline(false);
			await lead(who.page, call);
			await expect.poll(async () => (await (await fetch(`${server.url}/api/v1${call}`)).json()).readings.length, { timeout: 60_000 }).toBeLessThanOrEqual(before + entered);
		}
		const journal = async () => (await (await fetch(`${server.url}/api/v1${call}/work`)).json()).journal.map((e: { words: string }) => e.words).join('\n') as string;
		for (const who of carried)
			for (const note of who.notes) await expect.poll(async () => (await journal()).split(note).length, { timeout: 60_000 }).toBe(2); // once, and no more
		await expect.poll(async () => (await (await fetch(`${server.url}/api/v1${call}`)).json()).readings.length, { timeout: 60_000 }).toBe(before + entered);
		for (const who of carried) {
			await expect(who.page.getByRole('status', { name: 'With the shop' })).toHaveCount(0, { timeout: 60_000 });
			await expect(list(who.page)).toHaveCount(before + entered);
			shown.push((await list(who.page).allInnerTexts()).sort().join('\n'));
			await who.context.close();
		}
		expect(shown[0]).toBe(shown[1]);
	});

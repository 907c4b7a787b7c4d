import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { openCall, phone, type Server, test } from '../server';

const folder = join(import.meta.dirname, '..', '..', 'docs', 'screenshots');

/** One picture of each main view, from the demo data. */
const shots: { name: string; viewport?: typeof phone; dark?: boolean; open: (page: Page, server: Server) => Promise<void> }[] = [
	{
		name: 'day',
		open: async (page, server) => {
			await page.goto(server.url);
			await page.getByRole('listitem').first().waitFor();
		},
	},
	{
		name: 'call',
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.keyboard.press('1');
		},
	},
	{
		name: 'call-dark-meter',
		dark: true,
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.keyboard.press('2');
			await page.keyboard.press('b');
			await page.getByLabel('Volts, hot to neutral').fill('3.1');
			await page.getByLabel('Volts, hot to ground').fill('119.6');
			await page.getByLabel('Volts, neutral to ground').fill('116.4');
		},
	},
	{ name: 'call-settled', open: (page, server) => openCall(page, server, 'Loft darkroom') },
	{ name: 'cautions', open: (page, server) => openCall(page, server, 'Aviary porch') },
	{
		name: 'run-builder',
		open: async (page, server) => {
			await openCall(page, server, 'Loft darkroom');
			await page.keyboard.press('r');
		},
	},
	{
		name: 'sweep-end',
		open: async (page, server) => {
			await page.request.put(`${server.url}/api/lamps`, { data: { lamps: ['neutralGround', 'hotGround', 'hotNeutral'] } });
			await openCall(page, server, 'Aviary porch');
			await page.getByRole('button', { name: 'Read. Start the call' }).click();
			await page.getByRole('link', { name: 'Sweep' }).click();
			for (const left of ['2 outlets left', 'the last one', '']) {
				await page.getByRole('button', { name: 'As it should be, both halves' }).click();
				if (left) await page.getByRole('status').getByText(left).waitFor();
			}
			await page.getByRole('heading', { name: 'Every outlet is read' }).waitFor();
		},
	},
	{
		name: 'box-plan',
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/3/boxes/B3`);
			await page.getByRole('button', { name: /Join the neutrals of/ }).click();
		},
	},
	{
		name: 'box-side-by-side',
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/2/boxes/B3`);
			await page.getByRole('button', { name: 'Side by side' }).click();
		},
	},
	{
		name: 'box-no-ground',
		viewport: { width: 1280, height: 1000 },
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/1/boxes/B2`);
			await page.getByRole('tab', { name: 'Code asks' }).click();
		},
	},
	{
		name: 'sums',
		open: async (page, server) => {
			await page.goto(`${server.url}/sums`);
			await page.getByText('Needed').waitFor();
		},
	},
	{
		name: 'phone-box',
		viewport: phone,
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/3/boxes/B3`);
			await page.getByRole('list', { name: 'Steps' }).waitFor();
		},
	},
	{
		name: 'phone-sweep',
		viewport: phone,
		open: async (page, server) => {
			await page.request.put(`${server.url}/api/lamps`, { data: { lamps: ['neutralGround', 'hotGround', 'hotNeutral'] } });
			await openCall(page, server, 'Bindery, upper floor');
			await page.goto(`${page.url()}/sweep`);
			await page.getByRole('button', { name: /As it should be/ }).waitFor();
		},
	},
	{ name: 'phone-call', viewport: phone, open: (page, server) => openCall(page, server, 'Bindery, upper floor') },
	{
		name: 'why',
		viewport: { width: 1280, height: 1750 },
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.getByRole('button', { name: 'What each outcome would mean' }).click();
			await page.locator('[data-suspect]').first().getByRole('button', { name: /why/ }).click();
			await page.getByText('predicted').first().waitFor();
		},
	},
	{
		name: 'phone-questions',
		viewport: { width: 1280, height: 1000 },
		open: async (page, server) => {
			await openCall(page, server, 'Aviary porch');
			await page.getByRole('button', { name: 'Read. Start the call' }).click();
			await page.getByRole('button', { name: /Still on the phone/ }).click();
		},
	},
	{
		name: 'order',
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.keyboard.press('r');
			for (const name of ['Landing', 'Gilding table', 'Glue shelf']) {
				await page.getByRole('button', { name: new RegExp(`^${name}, fed from`) }).click();
				const stop = page.getByRole('region', { name: `Readings at ${name}` });
				await stop.getByLabel('it is not sure what feeds it').check();
				await stop.getByTestId('feeds').waitFor();
			}
		},
	},
	{
		name: 'practice',
		open: async (page, server) => {
			await page.goto(`${server.url}/practice`);
			await page.getByRole('heading', { name: 'Tools carried' }).waitFor();
		},
	},
	{
		name: 'phone-suspects',
		viewport: phone,
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.getByRole('button', { name: /^\S+ %/ }).click();
		},
	},
];

for (const shot of shots) {
	test(shot.name, async ({ page, server }) => {
		await page.clock.setFixedTime(new Date());
		await page.setViewportSize(shot.viewport ?? { width: 1280, height: 800 });
		await page.emulateMedia({ colorScheme: shot.dark ? 'dark' : 'light', reducedMotion: 'reduce' });
		await shot.open(page, server);
		await page.waitForLoadState('networkidle');
		await page.waitForTimeout(300);
		if (!shot.viewport) await page.evaluate(() => scrollTo(0, 0));
		await page.screenshot({ path: join(folder, `${shot.name}.png`) });
	});
}

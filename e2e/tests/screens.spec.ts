import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect, openCall, phone, type Server, test } from '../server';
import { sound } from '../sound';

/** What differs from a screen that is checked as a whole is checked by itself. */
const entry = 'section[aria-label^="Readings at"]';

const screens: { name: string; part?: string; open: (page: Page, server: Server) => Promise<void> }[] = [
	{
		name: 'the day',
		open: async (page, server) => {
			await page.goto(server.url);
			await expect(page.getByRole('listitem')).toHaveCount(3);
		},
	},
	{
		name: 'a new call',
		open: async (page, server) => {
			await page.goto(server.url);
			await page.getByRole('button', { name: 'New call' }).click();
			await expect(page.getByPlaceholder('room or customer')).toBeFocused();
		},
	},
	{ name: 'the cautions', open: (page, server) => openCall(page, server, 'Aviary porch') },
	{ name: 'a call as found', open: (page, server) => openCall(page, server, 'Bindery, upper floor') },
	{
		name: 'a call with the meter in hand',
		part: entry,
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.keyboard.press('2');
			await page.getByRole('button', { name: 'to a known ground' }).click();
		},
	},
	{
		name: 'a call with the sensor in hand',
		part: entry,
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.keyboard.press('3');
			await page.keyboard.press('a');
		},
	},
	{ name: 'a settled call', open: (page, server) => openCall(page, server, 'Loft darkroom') },
	{
		name: 'changing the run',
		open: async (page, server) => {
			await openCall(page, server, 'Loft darkroom');
			await page.keyboard.press('r');
			await expect(page.getByLabel('next outlet')).toBeVisible();
		},
	},
	{
		name: 'a call with the buttons in hand',
		part: entry,
		open: async (page, server) => {
			await openCall(page, server, 'Loft darkroom');
			await page.keyboard.press('5');
		},
	},
	{
		name: 'a call with the light of a GFCI in hand',
		part: entry,
		open: async (page, server) => {
			await openCall(page, server, 'Loft darkroom');
			await page.getByRole('button', { name: /^Wash sink, fed from/ }).click();
			await page.keyboard.press('5');
			await page.getByRole('button', { name: 'its light' }).click();
			await page.getByLabel('Kind of device').fill('Ivory');
		},
	},
	{
		name: 'a call with the load tester in hand',
		part: entry,
		open: async (page, server) => {
			await openCall(page, server, 'Loft darkroom');
			await page.keyboard.press('6');
		},
	},
	{
		name: 'an opened box',
		open: async (page, server) => {
			await openCall(page, server, 'Loft darkroom');
			await page.keyboard.press('7');
		},
	},
	{
		name: 'the sweep',
		open: async (page, server) => {
			await page.request.put(`${server.url}/api/v1/lamps`, { data: { lamps: ['hotNeutral', 'hotGround', 'neutralGround'] } });
			await openCall(page, server, 'Bindery, upper floor');
			await page.goto(`${page.url()}/sweep`);
			await expect(page.getByRole('button', { name: /As it should be/ })).toBeVisible();
		},
	},
	{
		name: 'teaching the lamps',
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.goto(`${page.url()}/sweep`);
			await expect(page.getByRole('heading', { name: 'Which lamp compares which slots?' })).toBeVisible();
		},
	},
	{
		name: 'practice and code',
		open: async (page, server) => {
			await page.goto(`${server.url}/practice`);
			await expect(page.getByRole('heading', { name: 'Tools carried' })).toBeVisible();
		},
	},
	{
		name: 'reasons and outcomes',
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.getByRole('button', { name: 'What each outcome would mean' }).click();
		},
	},
	{
		name: 'entering a box, beside what was found',
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/2/boxes/B3`);
			// There is no room for two beside each other on a phone.
			await page.getByRole('button', { name: (page.viewportSize()?.width ?? 0) > 900 ? 'Side by side' : 'As found' }).click();
			await page.getByRole('button', { name: 'Correct what is in the box' }).click();
			await page.getByText('more of it').first().click();
		},
	},
	{
		name: 'sums',
		open: async (page, server) => {
			await page.goto(`${server.url}/sums/leakage`);
			await expect(page.getByText('Together, at most')).toBeVisible();
		},
	},
	{
		name: 'the keys',
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.keyboard.press('?');
			await expect(page.getByRole('dialog')).toBeVisible();
		},
	},
	{
		name: 'what stands beside a call',
		part: 'section[aria-label="Customer and parts"]',
		open: async (page, server) => {
			await openCall(page, server, 'Bindery, upper floor');
			await page.getByRole('button', { name: 'Customer and parts' }).click();
			await expect(page.getByRole('list', { name: 'Take along' })).toBeVisible();
		},
	},
	{
		name: 'a call that is not there',
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/999`);
			await expect(page.getByRole('alert')).toContainText('There is no such call');
		},
	},
];

const looks = [
	{ viewport: { width: 1280, height: 800 }, colorScheme: 'light' },
	{ viewport: phone, colorScheme: 'dark' },
] as const;

for (const screen of screens) {
	test(`${screen.name}: no axe violation, nothing sticks out or is too small, on a light laptop and a dark phone`, async ({ page, server }) => {
		const wrong: string[] = [];
		page.on('pageerror', (error) => wrong.push(error.message));
		for (const { viewport, colorScheme } of looks) {
			await page.setViewportSize(viewport);
			await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' });
			await screen.open(page, server);
			await sound(page, `${colorScheme}, ${viewport.width}`, screen.part);
		}
		expect(wrong).toEqual([]);
	});
}

test('a planned box, every sheet of it, and the work of a call: no axe violation, nothing sticks out', async ({ page, server }) => {
	test.slow();
	for (const { viewport, colorScheme } of looks) {
		await page.setViewportSize(viewport);
		await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' });
		await page.goto(`${server.url}/calls/1/boxes/B2`);
		for (const sheet of ['Steps', 'Findings', 'Code asks', 'Proof', 'Parts']) {
			await page.getByRole('tab', { name: new RegExp(sheet) }).click();
			await expect(page.getByRole('tab', { name: new RegExp(sheet) })).toHaveAttribute('aria-selected', 'true');
			await sound(page, `${sheet}, ${colorScheme}, ${viewport.width}`);
		}
		for (const phase of ['dead', 'prove', 'hand-over']) {
			await page.goto(`${server.url}/calls/2/${phase}`);
			await expect(page.getByRole('heading', { name: 'Photographs' })).toBeVisible();
			await page.waitForLoadState('networkidle');
			await sound(page, `${phase}, ${colorScheme}, ${viewport.width}`);
		}
	}
});

test('site book, vans, people and the customer: no axe violation, nothing sticks out', async ({ page, server }) => {
	test.slow();
	const { path } = await (await page.request.post(`${server.url}/api/v1/calls/3/visit`)).json();
	await page.request.post(`${server.url}/api/v1/people`, { data: { name: 'Ada', role: 'helper', passphrase: 'heron kiln thistle weir' } });
	for (const { viewport, colorScheme } of looks) {
		await page.setViewportSize(viewport);
		await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' });
		for (const [at, shown] of [
			['/book', 'Tannery Yard 3'],
			['/book?q=bindery', 'Bindery, upper floor'],
			['/book/sites/1', 'Guillotine motor'],
			['/book/runs/2', 'Print dryer'],
			['/vans', 'lever, 5-wire'],
			['/shop', 'Ada'],
			['/me', 'This phone'],
			[path, 'None of this'],
		]) {
			await page.goto(server.url + at);
			await expect(page.getByText(shown, { exact: false }).first()).toBeVisible();
			await sound(page, `${at}, ${colorScheme}, ${viewport.width}`);
		}
	}
});

test('the suspects of a phone are in a sheet without axe violations', async ({ page, server }) => {
	await page.setViewportSize(phone);
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: /Open neutral Sewing frame/ }).click();
	await expect(page.getByRole('dialog')).toContainText('none of these');
	const found = await new AxeBuilder({ page }).analyze();
	expect(found.violations.map((v) => v.id)).toEqual([]);
});

test('nothing is fetched from anywhere but the server', async ({ page, server }) => {
	const elsewhere: string[] = [];
	page.on('request', (request) => {
		if (!request.url().startsWith(server.url) && !request.url().startsWith('data:')) elsewhere.push(request.url());
	});
	await openCall(page, server, 'Bindery, upper floor');
	await page.waitForLoadState('networkidle');
	expect(elsewhere).toEqual([]);
});

test('the theme chosen is kept', async ({ page, server }) => {
	await page.emulateMedia({ colorScheme: 'light' });
	await page.goto(server.url);
	await page.getByRole('button', { name: 'Dark screen' }).click();
	await page.reload();
	await expect(page.locator('html')).toHaveAttribute('data-theme', 'dark');
});

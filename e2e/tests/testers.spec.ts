import { expect, openCall, phone, test } from '../server';

const newest = (page: import('@playwright/test').Page) => page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem').first();

test('buttons: which GFCI tripped, with the caution where it matters', async ({ page, server }) => {
	await openCall(page, server, 'Loft darkroom');
	await page.getByRole('button', { name: /^Print dryer, fed from/ }).click();
	await page.keyboard.press('5');
	await expect(page.getByTestId('entry')).toContainText('over 100 V on the ground pin');
	await page.getByRole('button', { name: 'Wash sink', exact: true }).click();
	await page.getByRole('button', { name: 'Enter this reading' }).click();
	await expect(newest(page)).toContainText("Plug tester's button: the GFCI at Wash sink tripped");

	await page.getByRole('button', { name: /^Wash sink, fed from/ }).click();
	await page.keyboard.press('5');
	await page.getByRole('button', { name: 'its own button' }).click();
	await page.getByRole('button', { name: 'Nothing tripped' }).click();
	await expect(newest(page)).toContainText("Device's own button: nothing tripped");
});

test('the light of a GFCI tells what its sheet says, asked once for each kind', async ({ page, server }) => {
	await openCall(page, server, 'Loft darkroom');
	await page.getByRole('button', { name: /^Wash sink, fed from/ }).click();
	await page.keyboard.press('5');
	const entry = page.getByTestId('entry');
	await entry.getByRole('button', { name: 'its light' }).click();
	await expect(entry.getByRole('button', { name: 'Enter this reading' })).toBeDisabled();
	await entry.getByRole('button', { name: 'blinking' }).click();
	await entry.getByRole('button', { name: 'red' }).click();
	await expect(entry).toContainText('Until its sheet is read it counts for nothing');
	await entry.getByLabel('Kind of device').fill('Ivory, two lights');
	await entry.getByRole('button', { name: 'Failed its own test' }).click();
	await entry.getByRole('button', { name: 'Enter this reading' }).click();
	await expect(newest(page)).toContainText('Light of the GFCI: red blinking; by the sheet of “Ivory, two lights”: failed its own test');
	await entry.getByRole('button', { name: 'blinking' }).click();
	await entry.getByRole('button', { name: 'red' }).click();
	await entry.getByRole('button', { name: 'Ivory, two lights' }).click();
	await expect(entry).toContainText('By its sheet: failed its own test');
	await entry.getByRole('button', { name: 'off', exact: true }).click();
	await expect(entry).toContainText('What does its own sheet say that means?');
	await entry.getByRole('button', { name: 'No sheet at hand' }).click();
	await entry.getByRole('button', { name: 'Enter this reading' }).click();
	await expect(newest(page)).toContainText('no light; what it means was not said');
});

test('load tester: figures and verdict', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: /^Window bench, fed from/ }).click();
	await page.keyboard.press('6');
	await page.getByLabel('volts', { exact: false }).first().fill('119.8');
	await page.getByLabel('drop at 15 A').fill('3,1');
	await page.getByLabel('ohms, neutral').fill('0.1');
	await page.getByLabel('Its verdict').selectOption('correct');
	await page.getByRole('button', { name: 'Enter this reading' }).click();
	await expect(newest(page)).toContainText('Load tester: 119.8 V; verdict correct; 3.1 % drop at 15 A; neutral 0.10 ohm');
});

test('opened box: ohms between two points, and the cautions', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: /^Standing press, fed from/ }).click();
	await page.keyboard.press('7');
	const entry = page.getByTestId('entry');
	await expect(entry).toContainText('proven dead before the cover came off');
	await entry.getByLabel('From', { exact: true }).selectOption('W3@B3.neutral');
	await entry.getByLabel('To', { exact: true }).selectOption('W3@B3.ground');
	await entry.getByRole('button', { name: 'Open', exact: true }).click();
	await expect(newest(page)).toContainText('Ohms, the neutral of the cable from Sewing frame, at Standing press to the ground of the cable from Sewing frame, at Standing press: open');
	await entry.getByRole('button', { name: 'clamp' }).click();
	await expect(entry).toContainText('for a qualified person alone');
	await entry.getByLabel('On', { exact: true }).selectOption('W3@B3');
	await entry.getByLabel('amperes').fill('0.01');
	await entry.getByRole('button', { name: 'Enter this reading' }).click();
	await expect(newest(page)).toContainText('Clamp on the cable from Sewing frame, at Standing press: 0.01 A');
});

test('the state is set once, shown on the run, and goes with each reading', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	const load = page.getByRole('button', { name: /40 W at Glue shelf/ });
	await expect(load).toContainText('on');
	await load.click();
	await expect(load).toContainText('off');
	await expect(page.getByText('○ 40 W')).toBeVisible();
	await page.getByRole('button', { name: /^Paper store, fed from/ }).click();
	await page.keyboard.press('1');
	await page.keyboard.press('b');
	await page.getByRole('button', { name: 'hot to neutral dark, hot to ground lit, neutral to ground dark' }).click();
	await expect(newest(page)).toContainText('nothing switched on');
	await page.getByRole('button', { name: /^Breaker/ }).click();
	await expect(page.getByText('OFF', { exact: true })).toBeVisible();
	await page.reload();
	await expect(page.getByText('OFF', { exact: true })).toBeVisible();
	await page.getByRole('button', { name: 'as usual again' }).click();
	await expect(load).toContainText('on');
});

test('a GFCI and what is plugged in are put on the run', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.keyboard.press('r');
	await page.getByRole('button', { name: /^Loft stair, fed from/ }).click();
	const stop = page.getByRole('region', { name: 'About Loft stair' });
	await stop.getByLabel('a GFCI').check();
	await page.getByRole('button', { name: 'Done', exact: true }).click();
	await expect(page.getByRole('button', { name: /GFCI at Loft stair/ })).toContainText('holds');
	await page.getByRole('button', { name: /^Landing, fed from Loft stair/ }).click();
	await expect(page.getByText('protected by the GFCI at Loft stair')).toBeVisible();
	await page.getByRole('button', { name: 'Change the run' }).click();
	await page.getByLabel('plugged in, watts').fill('900');
	await page.getByRole('button', { name: 'Plug in' }).click();
	await expect(page.getByText('● 900 W')).toBeVisible();
	await page.getByRole('button', { name: 'Done', exact: true }).click();
	await expect(page.getByRole('button', { name: /900 W at Landing/ })).toContainText('on');
	await page.getByRole('button', { name: 'Change the run' }).click();
	await page.getByRole('button', { name: 'Unplug 900 W, top' }).click();
	await page.getByRole('button', { name: 'Done', exact: true }).click();
	await expect(page.getByRole('button', { name: /900 W at Landing/ })).toHaveCount(0);
});

test('take from meter fills the three pairs, one probe position at a time', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: /^Paper store, fed from/ }).click();
	await page.keyboard.press('2');
	for (const pair of ['hot to neutral', 'hot to ground', 'neutral to ground']) {
		await page.getByRole('button', { name: `Take from meter: ${pair}` }).click();
	}
	await expect(page.getByRole('button', { name: 'All taken from the meter' })).toBeVisible();
	expect(Number(await page.getByLabel('Volts, hot to ground').inputValue())).toBeGreaterThan(115);
	expect(Number(await page.getByLabel('Volts, neutral to ground').inputValue())).toBeGreaterThan(100);
	await page.getByRole('button', { name: 'Enter this reading' }).click();
	await expect(newest(page)).toContainText('Paper store, top');
});

test.describe('on a phone, by touch', () => {
	test.use({ viewport: phone, hasTouch: true });

	test('sweep: the lamps are taught once, one tap a normal outlet, two an odd one, and what lamps cannot clear is named', async ({ page, server }) => {
		await openCall(page, server, 'Aviary porch');
		await page.getByRole('button', { name: 'Read. Start the call' }).tap();
		await page.getByRole('button', { name: /^Breaker/ }).tap();
		await expect(page.getByText('OFF', { exact: true }), 'the state is set on a phone too').toBeVisible();
		await page.getByRole('button', { name: 'as usual again' }).tap();
		await expect(page.getByText('OFF', { exact: true })).toHaveCount(0);
		await page.getByRole('link', { name: 'Sweep' }).tap();
		await page.getByRole('button', { name: 'The left lamp: neutral to ground' }).tap();
		await page.getByRole('button', { name: 'The middle lamp: hot to ground' }).tap();
		await page.getByRole('button', { name: 'The right lamp: hot to neutral' }).tap();
		await page.getByRole('button', { name: 'Keep it' }).tap();

		const outlet = page.getByRole('heading', { level: 2 });
		await expect(outlet).toHaveText('Seed store');
		await expect(page.getByRole('status')).toHaveText('3 outlets left');
		await page.getByRole('button', { name: 'As it should be, both halves' }).tap();
		await expect(outlet).toHaveText('Finch flight');
		await page.getByRole('button', { name: 'Odd: left dark, middle dark, right lit' }).tap();
		await page.getByRole('button', { name: 'Both' }).tap();
		await expect(outlet).toHaveText('Incubator');
		await page.getByRole('button', { name: 'Odd: left dark, middle dark, right lit' }).tap();
		await page.getByRole('button', { name: 'Bottom' }).tap();

		await expect(outlet).toHaveText('Every outlet is read');
		const needs = page.getByRole('region', { name: 'End of the sweep' }).getByRole('listitem');
		await expect(needs).toHaveCount(3);
		await expect(needs.filter({ hasText: 'Seed store' })).toContainText('no ground is expected there, and yet the lamps show one');
		await expect(needs.filter({ hasText: 'Passage' })).toContainText('old two-wire cable');
		await needs.filter({ hasText: 'Seed store' }).getByRole('link').tap();
		await expect(page.getByRole('heading', { name: 'Seed store' })).toBeVisible();
		await page.getByRole('button', { name: 'Enter: sensor strong at only hot' }).tap();
		await expect(page.getByRole('status').first()).toContainText('Saved');

		await page.getByRole('link', { name: 'Sweep' }).tap();
		await expect(needs).toHaveCount(2);
	});
});

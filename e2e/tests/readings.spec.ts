import { expect, openCall, phone, suspects, test } from '../server';

test.describe('on a phone, by touch', () => {
	test.use({ viewport: phone, hasTouch: true });

	test('a reading is two taps, and the suspects reorder', async ({ page, server }) => {
		await openCall(page, server, 'Bindery, upper floor');
		const peek = page.getByRole('button', { name: /^\S+ %/ });
		await expect(peek).toContainText('Open neutral Sewing frame');
		// Behind the dead press the next outlet turns out sound: the fault is in the press's own box.
		await page.getByRole('button', { name: /^Paper store, fed from/ }).tap();
		await page.getByRole('button', { name: 'Plug', exact: true }).tap();
		const sound = page.getByRole('button', { name: 'hot to neutral lit, hot to ground lit, neutral to ground dark' });
		await sound.tap();
		await expect(page.getByText('7 of 18 halves').last()).toBeVisible();
		await expect(page.getByRole('button', { name: /^Bottom half/ }), 'the other half is next').toHaveAttribute('aria-pressed', 'true');
		await sound.tap();
		await expect(page.getByText('8 of 18 halves').last()).toBeVisible();
		await expect(peek).not.toContainText('Sewing frame');
		await peek.tap();
		await expect(suspects(page).first()).toContainText('at Standing press');
	});

	test('targets are large enough for a thumb', async ({ page, server }) => {
		await openCall(page, server, 'Bindery, upper floor');
		for (const button of await page.getByRole('button').all()) {
			if (!(await button.isVisible())) continue;
			if (await button.evaluate((e) => e.classList.contains('sr-only'))) continue; // it grows when the keyboard is on it
			const box = await button.boundingBox();
			const name = (await button.getAttribute('aria-label')) ?? (await button.textContent());
			expect(box?.height, `height of “${name}”`).toBeGreaterThanOrEqual(43.9);
			expect(box?.width, `width of “${name}”`).toBeGreaterThanOrEqual(43.9);
		}
	});
});

test('by keyboard alone: pick a stop, a half, a tester, enter, undo', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	const readings = page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem');
	const before = await readings.count();
	const stop = page.getByRole('heading', { level: 2 });
	// Along the run to its first stop, then on to the fourth.
	for (let i = 0; i < 9; i++) await page.keyboard.press('ArrowLeft');
	await expect(stop).toHaveText('Window bench');
	for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight');
	await expect(stop).toHaveText('Paper store');
	await page.keyboard.press('1');
	await page.keyboard.press('b');
	for (const key of ['a', 's', 'd', 'd']) await page.keyboard.press(key); // lit, lit, dark
	await page.keyboard.press('Enter');
	await expect(readings).toHaveCount(before + 1);
	await expect(readings.first()).toContainText('Paper store, bottom');
	await expect(readings.first()).toContainText('hot to neutral, hot to ground lit; neutral to ground dark');
	await expect(suspects(page).first(), 'the suspects reorder').not.toContainText('Sewing frame');
	await page.keyboard.press('u');
	await expect(suspects(page).first(), 'and back').toContainText('at Sewing frame');
	await expect(readings.first().getByRole('button', { name: /^Put back/ })).toBeVisible();
	await readings.first().getByRole('button', { name: /^Put back/ }).click();
	await expect(readings.first().getByRole('button', { name: /^Undo/ })).toBeVisible();
});

test('meter volts are typed on the sides of the delta', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.keyboard.press('2');
	await page.keyboard.press('a');
	await page.keyboard.type('2.1');
	await page.keyboard.press('Tab');
	await page.keyboard.type('119,8');
	await page.getByLabel('Volts, neutral to ground').fill('abc');
	await expect(page.getByText('“abc” is not a number of volts.')).toBeVisible();
	await expect(page.getByRole('button', { name: 'Enter this reading' })).toBeDisabled();
	await page.getByLabel('Volts, neutral to ground').fill('117.9');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('listitem').filter({ hasText: '2.1 / 120 / 118 V' })).toBeVisible();
});

test('a wrong reading is refused by the server in words, and stays on the pad', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.keyboard.press('2');
	await page.getByLabel('Volts, hot to neutral').fill('5000');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('alert').filter({ hasText: 'hotNeutral: 5000 V is no reading' })).toBeVisible();
});

test('what is being entered survives a reload', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.keyboard.press('2');
	await page.getByLabel('Volts, hot to neutral').fill('61');
	await page.reload();
	await expect(page.getByTestId('entry')).toBeVisible();
	await page.keyboard.press('2');
	await expect(page.getByLabel('Volts, hot to neutral')).toHaveValue('61');
});

test('after a restart of the server all is there again', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.keyboard.press('n');
	await page.getByRole('button', { name: 'Enter: sensor strong at only hot' }).click();
	await expect(page.getByRole('status')).toContainText('Saved');
	const said = await page.getByRole('list', { name: 'Readings, newest first' }).innerText();
	const path = new URL(page.url()).pathname;
	expect(await server.stop('SIGTERM'), 'a clean shutdown').toBe(0);
	await server.start();
	await page.goto(server.url + path);
	await expect(page.getByRole('list', { name: 'Readings, newest first' })).toBeVisible();
	expect(await page.getByRole('list', { name: 'Readings, newest first' }).innerText()).toBe(said);
});

test('while the server is away a reading waits and is sent once', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	const readings = page.getByRole('list', { name: 'Readings, newest first' }).getByRole('listitem');
	const before = await readings.count();
	let away = true;
	await page.route('**/readings', (route) => (away ? route.abort() : route.continue()));
	await page.keyboard.press('4');
	await page.getByRole('button', { name: 'Enter: test lamp off' }).click();
	await expect(page.getByRole('status')).toContainText('Not saved yet');
	away = false;
	await expect(page.getByRole('status')).toContainText('Saved', { timeout: 20_000 });
	await expect(readings).toHaveCount(before + 1);
});

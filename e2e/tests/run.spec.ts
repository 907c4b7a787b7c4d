import { readFile } from 'node:fs/promises';
import { expect, openCall, Server, test } from '../server';

test('five outlets with a branch, from nothing, by keyboard', async ({ page }) => {
	const server = new Server('serve');
	await server.start();
	await page.goto(server.url);
	await page.getByPlaceholder('room or customer').fill('Sail loft');
	await page.keyboard.press('Tab');
	await page.keyboard.type('two outlets dead');
	await page.keyboard.press('Enter');
	await page.getByRole('button', { name: 'Read. Start the call' }).click();
	await page.getByLabel('Breaker', { exact: true }).fill('14');
	await page.getByRole('button', { name: '15 A' }).click();
	const name = page.getByLabel('next outlet');
	for (const label of ['Hatch', 'Cutting table', 'Winch', 'Stove']) {
		await name.fill(label);
		await name.press('Enter');
		await expect(page.getByRole('button', { name: new RegExp(`^${label}, fed from`) })).toBeVisible();
	}
	await page.getByLabel('behind').selectOption({ label: 'Cutting table' });
	await page.getByLabel('cable, roughly').fill('22');
	await name.fill('Sail rack');
	await name.press('Enter');
	await expect(page.getByRole('button', { name: /^Sail rack, fed from Cutting table/ })).toBeVisible();
	await expect(page.getByRole('button', { name: /^Winch, fed from Cutting table/ })).toBeVisible();

	await page.reload();
	await expect(page.getByText('14', { exact: true })).toBeVisible();
	await expect(page.getByText('15 A').first()).toBeVisible();
	await expect(page.getByText('22 ft')).toBeVisible();
	await server.remove();
});

test('a stop is corrected, taken off, and put back by undo', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: 'Change the run' }).click();
	await page.getByRole('button', { name: /^Guillotine, fed from/ }).click();
	await page.getByLabel('cable to here, ft').fill('31');
	await page.getByLabel('cable to here, ft').press('Enter');
	await expect(page.getByText('31 ft')).toBeVisible();
	await page.getByLabel('cable has a ground wire').uncheck();
	await expect(page.getByText('no ground arrives')).toBeVisible();
	await page.getByLabel('cable to here, ft').fill('-4');
	await page.getByLabel('cable to here, ft').press('Enter');
	await expect(page.getByRole('alert').filter({ hasText: 'cable W5: feet: -4 is impossible' })).toBeVisible();
	await page.getByRole('button', { name: 'Take Guillotine off the run' }).click();
	await expect(page.getByRole('button', { name: /^Guillotine, fed from/ })).toHaveCount(0);
	await page.getByRole('button', { name: 'Undo: took a stop off' }).click();
	await expect(page.getByRole('button', { name: /^Guillotine, fed from/ })).toBeVisible();
});

test('a reading at a stop taken off is kept, and counts again when the stop is back', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: 'Change the run' }).click();
	await page.getByRole('button', { name: /^Loft stair, fed from/ }).click();
	await page.getByRole('button', { name: 'Take Loft stair off the run' }).click();
	const kept = page.getByRole('listitem').filter({ hasText: 'Left out of account' });
	await expect(kept).toHaveCount(1);
	await expect(kept).toContainText('no such device on this circuit');
	await page.getByRole('button', { name: 'Undo: took a stop off' }).click();
	await expect(kept).toHaveCount(0);
});

test('a circuit file is downloaded and opened again', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	const downloading = page.waitForEvent('download');
	await page.getByRole('link', { name: 'Download' }).click();
	const download = await downloading;
	expect(download.suggestedFilename()).toMatch(/^elvat-circuit-call-\d+\.json$/);
	const file = JSON.parse(await readFile(await download.path(), 'utf8'));
	expect(file.format).toBe('elvat-circuit/1');
	expect(file.boxes).toHaveLength(9);
	expect(file.faults, 'what is looked for is not in the file').toBeUndefined();

	await page.goto(server.url);
	await page.getByRole('button', { name: 'New call' }).click();
	const [chooser] = await Promise.all([page.waitForEvent('filechooser'), page.getByRole('button', { name: 'Start from a circuit file' }).click()]);
	await chooser.setFiles(await download.path());
	await expect(page.getByRole('heading', { name: 'Bindery, upper floor', level: 1 })).toBeVisible();
	await page.getByRole('button', { name: 'Read. Start the call' }).click();
	await expect(page.getByRole('button', { name: /^Glue shelf, fed from Gilding table/ })).toBeVisible();
});

test('a broken circuit file is refused with the place of the fault, and nothing is changed', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: 'Change the run' }).click();
	const broken = {
		format: 'elvat-circuit/1',
		name: 'broken',
		breaker: { label: '2', amps: 20 },
		cables: [{ id: 'W4', from: 'B9', to: 'B1', awg: 12, feet: 10, conductors: ['hot', 'neutral'] }],
		boxes: [{ id: 'B1', label: 'x', devices: [{ id: 'R1', kind: 'receptacle', amps: 15 }] }],
	};
	const open = async (name: string, text: string) => {
		const [chooser] = await Promise.all([page.waitForEvent('filechooser'), page.getByRole('button', { name: 'Open a circuit file' }).click()]);
		await chooser.setFiles({ name, mimeType: 'application/json', buffer: Buffer.from(text) });
	};
	await open('orphan.json', JSON.stringify(broken));
	await expect(page.getByRole('alert').filter({ hasText: 'cable W4: comes from B9, which is not in the file' })).toBeVisible();
	await open('typo.json', '{\n "format": "elvat-circuit/1",\n "name" "x"\n}');
	await expect(page.getByRole('alert').filter({ hasText: 'line 3' })).toBeVisible();
	await page.reload();
	await expect(page.getByRole('button', { name: /^Sewing frame, fed from/ })).toBeVisible();
});

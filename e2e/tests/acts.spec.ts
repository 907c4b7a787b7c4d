import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { expect, noSidewaysScroll, openCall, phone, suspects, type Server, test } from '../server';

const dark = { hotNeutral: 'dark', hotGround: 'dark', neutralGround: 'dark' };
const right = { hotNeutral: 'lit', hotGround: 'lit', neutralGround: 'dark' };

const circuit = readFileSync(join(import.meta.dirname, '../../internal/demo/circuits/bindery.json'), 'utf8');
const title = 'Bindery, lower floor';

async function sent(server: Server, path: string, what: object): Promise<Response> {
	const answer = await fetch(`${server.url}${path}`, {
		method: 'POST',
		headers: { 'Content-Type': 'application/json' },
		body: JSON.stringify(what),
	});
	expect(answer.status, path).toBe(201);
	return answer;
}

/** A call of its own with readings as another screen would enter them, its cautions read. */
async function onCall(page: Page, server: Server, readings: object[]): Promise<number> {
	const { id } = await (await sent(server, '/api/v1/calls', { title, complaint: 'some outlets are dead', circuit })).json();
	for (const [i, reading] of readings.entries()) await sent(server, `/api/v1/calls/${id}/readings`, { id: `acts-entered-${i}`, reading });
	await openCall(page, server, title);
	await page.getByRole('button', { name: /^Read\. Start/ }).click();
	return id;
}

const plug = (at: string, lamps: object, half = 'top') => ({ tool: 'plug', at, half, lamps });
const meter = (at: string, volts: number) => ({
	tool: 'meter',
	at,
	half: 'top',
	mode: 'high-z',
	volts: { hotNeutral: volts, hotGround: volts, neutralGround: 0.1 },
});

test('two rooms dead: every GFCI of the house is reset before a cover comes off', async ({ page, server }) => {
	const readings = [
		...Array.from({ length: 9 }, (_, i) => plug(`R${i + 1}`, dark)),
		{ tool: 'told', asked: 'cycle-breaker', answer: 'no-change' },
	];
	await onCall(page, server, readings);
	const now = page.getByRole('region', { name: 'Do now' });
	await expect(now).toContainText('bathroom');
	await expect(now).toContainText('nothing opened');
	await expect(now.getByRole('button', { name: 'still dead' }), 'which one is asked for').toBeDisabled();
	await now.getByPlaceholder('which one').fill('the washroom');
	await now.getByRole('button', { name: 'and it works now' }).click();
	const list = page.getByRole('list', { name: 'Readings, newest first' });
	await expect(list).toContainText('the washroom');
	await expect(now).not.toContainText('bathroom');
	await page.reload();
	await expect(list, 'it stays').toContainText('the washroom');
	await page.getByRole('button', { name: /^Undo/ }).first().click();
	await expect(list, 'and is taken back, in sight').toContainText('put back');
	await expect(now, 'so that it is asked for again').toContainText('bathroom');
});

test('150 V: off now, the utility, and no live test', async ({ page, server }) => {
	const readings = [meter('R1', 119), meter('R2', 150)];
	await onCall(page, server, readings);
	const now = page.getByRole('region', { name: 'Do now' });
	await expect(page.getByRole('alert', { name: 'Danger' })).toContainText('150 V at Sewing frame');
	await expect(now).toContainText('Main off now, and call the utility');
	await expect(now).not.toContainText('Plug tester at');
	await expect(now).not.toContainText('Meter on');
	await now.getByRole('link', { name: 'It is off: prove it dead' }).click();
	await expect(page).toHaveURL(/\/dead$/);
});

test('what the ground is can be said on the phone, and nothing is ticked before', async ({ page, server }) => {
	const id = await onCall(page, server, []);
	await page.getByRole('button', { name: /Still on the phone/ }).click();
	const asked = page.getByRole('region', { name: 'On the phone' });
	await expect(asked.getByLabel('Ground')).toHaveValue('');
	await asked.getByLabel('Ground').selectOption('unknown');
	await asked.getByLabel('It began').selectOption('storm');
	await expect.poll(async () => (await (await fetch(`${server.url}/api/v1/calls/${id}`)).json()).conditions).toMatchObject({ ground: 'unknown', since: 'storm' });
	await page.reload();
	await page.getByRole('button', { name: /Still on the phone/ }).click();
	await expect(asked.getByLabel('Ground')).toHaveValue('unknown');
	await expect(asked.getByLabel('It began')).toHaveValue('storm');
	await page.setViewportSize(phone);
	await noSidewaysScroll(page);
	const box = await asked.getByLabel('Complaint').boundingBox();
	expect((box?.x ?? 0) + (box?.width ?? 0), 'no choice runs off a phone').toBeLessThanOrEqual(phone.width);
});

test('half of an outlet dead: the switches first, one tap on a phone', async ({ page, server }) => {
	const readings = [plug('R2', right), plug('R2', dark, 'bottom')];
	await page.setViewportSize(phone);
	await onCall(page, server, readings);
	const now = page.getByRole('region', { name: 'Next move' });
	await expect(now).toContainText('every switch');
	const done = now.getByRole('button', { name: 'Every switch is on' });
	const box = await done.boundingBox();
	expect(box?.height, 'as large as a thumb').toBeGreaterThanOrEqual(44);
	await done.click();
	await expect(now.getByText('every switch')).toHaveCount(0);
	await page.setViewportSize({ width: 1280, height: 800 });
	await expect(page.getByRole('list', { name: 'Readings, newest first' })).toContainText('Every wall switch on');
	await expect(suspects(page).first()).not.toContainText('wall switch');
});

test('what was chosen instead gives way to a danger that comes first', async ({ page, server }) => {
	const id = await onCall(page, server, [
		...Array.from({ length: 9 }, (_, i) => plug(`R${i + 1}`, dark)),
		{ tool: 'told', asked: 'cycle-breaker', answer: 'no-change' },
	]);
	const now = page.getByRole('region', { name: 'Do now' });
	await now.getByRole('button', { name: /^or Flip every switch/ }).click();
	await expect(now.getByRole('button', { name: 'Every switch is on' }), 'it comes up').toBeVisible();
	const later = [
		{ reading: plug('R9', { hotNeutral: 'dark', hotGround: 'dark', neutralGround: 'lit' }, 'bottom'), says: 'Glue shelf' },
		{ reading: meter('R2', 150), says: 'Main off now, and call the utility' },
	];
	for (const [i, { reading, says }] of later.entries()) {
		await sent(server, `/api/v1/calls/${id}/readings`, { id: `acts-comes-later-${i}`, reading });
		// Whoever comes back to the screen sees what another entered.
		await page.evaluate(() => window.dispatchEvent(new Event('visibilitychange')));
		await expect(now).toContainText(says);
		await expect(now.getByRole('button', { name: 'Every switch is on' })).toHaveCount(0);
	}
	await expect(now.getByRole('link', { name: 'It is off: prove it dead' })).toBeVisible();
});

test('both ends of a cable sound: a box that nobody drew is looked for, and drawn in where one is found', async ({ page, server }) => {
	const openGround = { hotNeutral: 'lit', hotGround: 'dark', neutralGround: 'dark' };
	await onCall(page, server, [
		...['R1', 'R2', 'R3', 'R4', 'R6', 'R7', 'R8', 'R9'].map((at) => plug(at, right)),
		plug('R5', openGround),
		plug('R5', openGround, 'bottom'),
		meter('R4', 120),
		...['top', 'bottom'].map((half) => ({ ...meter('R5', 120), half, volts: { hotNeutral: 120, hotGround: 40, neutralGround: 0.1 } })),
		...['B4', 'B5'].map((site) => ({ tool: 'eyes', site, found: [] })),
	]);
	const now = page.getByRole('region', { name: 'Do now' });
	await now.getByRole('button', { name: /^or Look for an outlet or junction that nobody drew between Paper store and Guillotine/ }).click();
	await expect(now.getByRole('button', { name: 'draw it into the run' }), 'where it is, first').toBeDisabled();
	await now.getByPlaceholder('where').fill('Behind the board shears');
	await now.getByRole('button', { name: 'draw it into the run' }).click();
	await expect(page.getByRole('button', { name: /Behind the board shears/ }).first(), 'a stop like any other').toBeVisible();
	await expect(now).not.toContainText('nobody drew between Paper store and Guillotine');
	await page.getByRole('button', { name: /^Undo/ }).first().click();
	await now.getByRole('button', { name: 'none there' }).click();
	await expect(page.getByRole('list', { name: 'Readings, newest first' })).toContainText('No outlet or junction that nobody drew');
	await expect(now).not.toContainText('nobody drew');
});

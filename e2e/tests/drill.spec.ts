import type { Page } from '@playwright/test';
import { expect, noSidewaysScroll, phone, type Server, test } from '../server';
import { sound } from '../sound';

/** A scene of the first level: hot and neutral are exchanged at Scanner, the last of three boxes. */
const scene = '/drills?theme=patterns&level=1&seed=1';

async function begin(page: Page, server: Server): Promise<void> {
	await page.goto(server.url + scene);
	await page.getByRole('button', { name: 'Begin that one' }).click();
	await page.getByRole('button', { name: /Read and understood|Start the call/ }).first().click();
	await expect(page.getByRole('region', { name: 'Drill' })).toContainText('Testers are simulated');
}

const pressed = async (page: Page, name: string) => {
	const kept = page.waitForResponse((answer) => answer.url().includes('/journal') && answer.request().method() === 'POST');
	await page.getByRole('button', { name }).click();
	await kept;
};

/** Breaker off, live, dead, live at the slots and at the wires, then the cover. */
async function open(page: Page): Promise<void> {
	await page.getByRole('link', { name: 'Breaker off, prove it dead' }).click();
	await pressed(page, 'Off and locked');
	for (const step of ['Both testers on a live outlet', 'at the slots', 'Both testers on a live outlet', 'Device out', 'Both testers on a live outlet']) {
		await pressed(page, step);
	}
	await page.getByRole('link', { name: 'its wires' }).click();
	await page.getByRole('button', { name: 'Open this box' }).click();
	await expect(page.getByRole('region', { name: 'What eyes see' })).toContainText('Scanner');
}

const board = (page: Page) => page.getByRole('region', { name: 'The wires' });

async function land(page: Page, wire: RegExp, place: string): Promise<void> {
	await board(page).getByRole('button', { name: wire }).click();
	await board(page).getByRole('button', { name: place, exact: true }).click();
	await expect(page.getByRole('region', { name: 'What lands where' })).toContainText(`on ${place}`);
}

test.describe('on a phone, by touch', () => {
	test.use({ viewport: phone, hasTouch: true, isMobile: true });

	test('a drill is played from the complaint to its score, and the day knows nothing of it', async ({ page, server }) => {
		await page.emulateMedia({ reducedMotion: 'reduce' });
		await begin(page, server);
		await expect(page.getByRole('heading', { name: 'A tester showed something odd at Scanner.' })).toBeVisible();
		await expect(page.locator('[data-suspect]')).toHaveCount(0);
		await page.getByRole('button', { name: 'Sensor', exact: true }).last().tap();
		await page.getByRole('button', { name: 'Hold it to the slots and the plate' }).tap();
		await expect(page.getByRole('status', { name: 'It shows' })).toContainText('neutral slot strong');
		await page.getByRole('button', { name: 'Plug', exact: true }).last().tap();
		await page.getByRole('button', { name: 'Plug it in' }).tap();
		await expect(page.getByRole('status', { name: 'It shows' })).toContainText('neutral to ground lit');
		await noSidewaysScroll(page);
		await open(page);
		const lands = page.getByRole('region', { name: 'What lands where' });
		for (const wire of ['hot', 'neutral']) await lands.getByRole('button', { name: new RegExp(`^Take off: ${wire},`) }).tap();
		await page.getByRole('button', { name: 'Undo' }).tap();
		await expect(lands, 'undone').toContainText('neutral, from Globe corner on upper brass screw');
		await lands.getByRole('button', { name: /^Take off: neutral,/ }).tap();
		await land(page, /^hot,/, 'upper brass screw');
		await land(page, /^neutral,/, 'upper silver screw');
		await page.getByRole('button', { name: '0.75 in' }).tap();
		await page.getByRole('button', { name: 'Close it up, and see' }).tap();
		await expect(page.getByRole('status', { name: 'Judged' })).toContainText('It is right');
		await page.getByRole('link', { name: 'On to the proof' }).tap();
		await pressed(page, 'The breaker is on');
		const left = page.getByRole('button', { name: /^Put it on:/ });
		for (let n = await left.count(); n > 0; n--) {
			await left.first().tap();
			await expect(left).toHaveCount(n - 1);
		}
		await expect(page.getByText('Every reading is as predicted.')).toBeVisible();
		await page.getByRole('button', { name: 'End the drill' }).tap();
		await pressed(page, 'All is right: hand it over');
		await page.getByRole('link', { name: 'Score and replay' }).tap();
		await expect(page.getByRole('region', { name: 'Score' })).toContainText('All that was wrong is put right.');
		await expect(page.getByRole('region', { name: 'Step by step' })).toContainText('Wired Scanner by hand: right');
		await sound(page, 'the score');
		await page.getByRole('link', { name: 'What to train next' }).tap();
		await expect(page.getByRole('region', { name: 'Yours' }).getByRole('link', { name: 'Map archive' })).toBeVisible();
		await sound(page, 'the drills');
		await page.goto(server.url);
		await expect(page.getByRole('listitem'), 'the demo’s three calls').toHaveCount(3);
		await expect(page.getByText('Map archive')).toHaveCount(0);
	});
});

test('a box opened before it is proven dead stops the drill, and says what would have happened', async ({ page, server }) => {
	await page.emulateMedia({ reducedMotion: 'reduce' });
	await begin(page, server);
	await page.getByRole('button', { name: 'Open this box' }).click();
	const stopped = page.getByRole('region', { name: 'Drill' }).getByRole('alert');
	await expect(stopped).toContainText('Opened Scanner, and it was not proven dead');
	await expect(stopped).toContainText(/stands at 1[12]\d V/);
	await sound(page, 'stopped');
	await page.reload();
	await expect(stopped, 'it stays so').toBeVisible();
	await stopped.getByRole('link').click();
	await expect(page.getByRole('region', { name: 'Score' })).toContainText('No points');
	await expect(page.getByRole('region', { name: 'Step by step' })).toContainText('It would have hurt');
	await page.getByRole('button', { name: 'The same once more' }).click();
	await expect(page.getByRole('button', { name: /Read and understood|Start the call/ }).first()).toBeVisible();
});

test('advice is asked for and costs; a box wired wrongly says where it fails and what a tester would show', async ({ page, server }) => {
	await page.emulateMedia({ reducedMotion: 'reduce' });
	await begin(page, server);
	await page.getByRole('button', { name: /Ask for advice/ }).click();
	await expect(page.locator('[data-suspect]').first()).toBeVisible();
	await page.getByRole('button', { name: 'Hold it to the slots' }).or(page.getByRole('button', { name: 'Plug it in' })).first().click();
	await expect(page.locator('[data-suspect]'), 'hidden again once something is done').toHaveCount(0);
	await open(page);
	await page.getByRole('button', { name: '0.375 in' }).click();
	await page.getByRole('button', { name: 'Close it up, and see' }).click();
	const judged = page.getByRole('status', { name: 'Judged' });
	await expect(judged).toContainText('Not right yet.');
	await expect(judged).toContainText(/joins (neutral and hot|hot and neutral)/);
	await expect(judged).toContainText('0.375 in stripped is too short');
	await expect(judged).toContainText('a tester would show hot to neutral, neutral to ground lit');
	await sound(page, 'the wires');
	await page.getByRole('button', { name: 'End the drill' }).click();
	await page.getByRole('button', { name: 'Give up, show what it was' }).click();
	await page.getByRole('link', { name: 'Score and replay' }).click();
	await expect(page.getByRole('region', { name: 'Score' })).toContainText('What was wrong: reversed polarity at Scanner');
	const steps = page.getByRole('region', { name: 'Step by step' });
	for (const words of ['Advice asked for', 'Not right', 'Something was wrong still']) await expect(steps).toContainText(words);
});

test('the school shows every tester on one outlet, and which of them hides what is wrong', async ({ page, server }) => {
	await page.emulateMedia({ reducedMotion: 'reduce' });
	await page.goto(`${server.url}/school`);
	await page.getByRole('button', { name: 'The same, hot and neutral exchanged' }).click();
	const shows = page.getByRole('list', { name: 'What each tester shows' });
	await expect(page.getByRole('alert')).toContainText('The metal is live');
	await expect(shows.getByRole('listitem').filter({ hasText: 'Three-lamp tester' })).toContainText('shows nothing wrong');
	await expect(shows.getByRole('listitem').filter({ hasText: 'Non-contact sensor' })).not.toContainText('shows nothing wrong');
	await page.getByRole('button', { name: 'Open neutral' }).click();
	await expect(shows.getByRole('listitem').filter({ hasText: 'Three-lamp tester' })).toContainText('hot to neutral, neutral to ground dark');
	await page.getByRole('button', { name: '60 W', exact: true }).click();
	await expect(shows.getByRole('listitem').filter({ hasText: 'Three-lamp tester' }), 'the load puts the hot on the neutral slot').toContainText('neutral to ground lit');
	await sound(page, 'the school');
	await page.goto(`${server.url}/drills/people`);
	await expect(page.getByText('Who is ready for which calls is yours to judge')).toBeVisible();
	await sound(page, 'the people');
});

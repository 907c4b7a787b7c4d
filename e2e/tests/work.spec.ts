import type { Page } from '@playwright/test';
import { expect, mendAll, noSidewaysScroll, openCall, phone, type Server, test } from '../server';

async function proveTesters(page: Page) {
	const form = page.getByRole('form', { name: 'Prove the testers' });
	await form.getByLabel('live source').fill('hall outlet');
	await form.getByLabel('shows, V').fill('121');
	await form.getByRole('button', { name: 'Proven' }).click();
}

/** Two questions, each yes or no; the second is asked after the first. */
async function deadTest(page: Page) {
	const test = page.getByRole('region', { name: 'Dead test' });
	await expect(test.getByRole('button', { name: 'Silent everywhere' }), 'not asked yet').toHaveCount(0);
	await test.getByRole('button', { name: 'All eight below 1 V' }).click();
	await test.getByRole('button', { name: 'Silent everywhere' }).click();
}

/** The same with the volts typed. */
async function typedTest(page: Page, hot: string) {
	await page.getByRole('button', { name: 'Type the volts' }).click();
	const form = page.getByRole('form', { name: 'Dead test, volts' });
	for (const half of ['top', 'bottom']) {
		await form.getByLabel(`${half} hot to neutral, volts`).fill(half === 'top' ? hot : '0');
		await form.getByLabel(`${half} hot to ground, volts`).fill('0.1');
		await form.getByLabel(`${half} neutral to ground, volts`).fill('0');
		await form.getByLabel(`${half} hot to an independent ground, volts`).fill('0');
	}
	// What was not asked is not answered.
	await form.getByRole('button', { name: 'Record the dead test' }).click();
	await expect(form.getByRole('alert')).toContainText('Say whether the sensor is silent or answers');
	await form.getByLabel('the sensor is silent').check();
	await form.getByRole('button', { name: 'Record the dead test' }).click();
}

/** Live, dead, live at the slots; then at the wires. */
async function proveDead(page: Page) {
	await page.getByRole('button', { name: 'Off and locked' }).click();
	await proveTesters(page);
	await deadTest(page);
	await page.getByRole('button', { name: 'Same again: hall outlet, 121 V' }).click();
	await expect(page.getByRole('region', { name: 'Gate before opening the box' })).toContainText('Open');
	await deadTest(page);
	await page.getByRole('button', { name: 'Same again: hall outlet, 121 V' }).click();
	await expect(page.getByText('Proven dead at the slots and at the wires.')).toBeVisible();
}

test('a call from the box to the report on a phone, with a refused gate and an override', async ({ page, server }) => {
	test.slow();
	await page.setViewportSize(phone);
	await openCall(page, server, 'Loft darkroom');
	await page.goto(`${page.url()}/boxes/B3`);

	// The gate before opening the box is shut.
	await page.getByLabel('Done: Photograph the box, then pull the device').click();
	await expect(page.getByRole('alert')).toContainText('Enlarger: not yet: breaker off and secured');
	await page.getByRole('link', { name: 'Prove it dead' }).first().click();
	await noSidewaysScroll(page);

	// The breaker: a receiver in two passes.
	await page.getByRole('button', { name: 'Transmitter' }).click();
	await page.getByRole('button', { name: 'The first pass is done' }).click();
	await page.getByRole('button', { name: /a simulated receiver/ }).click();
	const four = page.getByRole('group', { name: 'Where it answers, second pass' }).getByRole('button', { name: /^Breaker 4/ });
	await expect(four.getByRole('img', { name: '10 of 10' })).toBeVisible();
	await four.click();
	await page.getByRole('button', { name: 'It is breaker 4' }).click();
	await expect(page.getByText('Breaker 4, found on this call.')).toBeVisible();
	await page.getByText('Which outlets went dead with it?').click();
	await page.getByRole('button', { name: 'Enlarger', exact: true }).click();
	await page.getByLabel(/hidden ones/).fill('the fan in the eaves');
	await page.getByRole('button', { name: 'Write it down' }).click();
	await expect(page.getByRole('region', { name: 'Journal' })).toContainText('1 outlet, and the fan in the eaves');

	await proveDead(page);
	// Something else is live in there: the proof is void for good, and taking that back does not bring it back.
	await page.getByRole('button', { name: 'Something else is live in there' }).click();
	await page.getByLabel('what is live').fill('red to ground 118 V');
	await page.getByRole('button', { name: 'Record it: the gate shuts' }).click();
	await expect(page.getByTestId('next')).toContainText('A second source was found');
	await page.getByRole('button', { name: /^Take back: Second source/ }).click();
	await expect(page.getByTestId('next')).toContainText('Breaker off and secured');
	await page.getByRole('button', { name: 'Off and locked' }).click();
	const again = page.getByRole('button', { name: 'Same again: hall outlet, 121 V' });
	await again.click();
	for (let stage = 0; stage < 2; stage++) {
		await deadTest(page);
		await again.click();
	}
	await expect(page.getByText('Proven dead at the slots and at the wires.')).toBeVisible();

	await page.getByRole('link', { name: 'its plan' }).click();
	// What proved it dead is ticked; with the device out, what it was is asked once.
	await expect(page.getByLabel('Done: Breaker off, secured, and prove the box dead')).toBeChecked();
	const what = page.getByRole('region', { name: 'What was it?' });
	await expect(what.getByRole('button', { name: /^Reversed polarity/ })).toBeVisible();
	await what.getByRole('button', { name: 'Something else' }).click();
	await what.getByLabel('what it was').fill('hot and neutral exchanged, one screw loose');
	await what.getByRole('button', { name: 'That was it' }).click();
	await expect(page.getByText('It was: hot and neutral exchanged, one screw loose')).toBeVisible();
	await mendAll(page);
	await page.getByRole('button', { name: 'It is made up so' }).click();
	await page.getByRole('link', { name: 'Prove it', exact: true }).click();

	// Power on, and one reading differs.
	const shown = page.waitForResponse((answer) => answer.url().endsWith('/api/v1/calls/2') && answer.ok());
	await page.getByRole('button', { name: 'The breaker is on' }).click();
	await shown;
	const checks = page.getByRole('region', { name: 'Predicted and measured' });
	await expect(checks).toContainText(/readings to take/);
	await checks.getByRole('link', { name: 'something else' }).first().click();
	const kept = page.waitForResponse((answer) => answer.url().endsWith('/readings') && answer.ok());
	await page.getByRole('button', { name: /hot to neutral dark, hot to ground lit, neutral to ground dark/ }).click();
	await kept;
	await page.goto(`${server.url}/calls/2/prove`);
	await expect(checks).toContainText('1 reading differs. It is not proven.');
	await expect(checks.getByRole('link', { name: 'Back into the diagnosis, with these readings' })).toBeVisible();

	// It cannot be handed over as proven; a named person takes it on.
	await page.goto(`${server.url}/calls/2/hand-over`);
	const sign = page.getByRole('form', { name: 'Hand over' });
	await sign.getByLabel('handed over by').fill('A. Reyes');
	await sign.getByLabel('to', { exact: true }).fill('the tenant');
	await sign.getByRole('button', { name: 'Hand it over' }).click();
	await expect(page.getByRole('alert')).toContainText('1 reading that differs from what is predicted');
	await page.getByRole('button', { name: 'Pass it, with a reason' }).click();
	const pass = page.getByRole('form', { name: 'Pass the gate' });
	await pass.getByRole('button').click();
	await expect(pass.getByRole('alert')).toContainText('is missing');
	await pass.getByLabel('who passes it').fill('A. Reyes');
	await pass.getByLabel(/qualified by/).fill('licence 4711');
	await pass.getByLabel('reason').fill('fault upstream, circuit left off and locked');
	await pass.getByRole('button').click();
	await expect(page.getByRole('region', { name: 'Gate before handing over' })).toContainText('Passed by A. Reyes');
	await page.getByRole('form', { name: 'Add to the report' }).getByLabel('in words').fill('Left off and locked until the panel is looked at');
	await page.getByRole('form', { name: 'Add to the report' }).getByRole('button', { name: 'Add' }).click();
	await sign.getByRole('button', { name: 'Hand it over' }).click();
	await expect(page.getByText(/Handed over at/)).toBeVisible();

	const report = page.getByRole('article', { name: 'The report' });
	await expect(report).toContainText('Not proven: 1 reading that differs');
	await expect(report).toContainText('found: hot and neutral exchanged, one screw loose at Enlarger');
	await expect(report).not.toContainText('%');
	await expect(report).toContainText('licence 4711');
	await expect(report).toContainText('Left off and locked until the panel is looked at');
	const file = await page.request.get(`${server.url}/api/v1/calls/2/papers/report.pdf`);
	expect((await file.body()).subarray(0, 5).toString()).toBe('%PDF-');
	await page.goto(server.url);
	await expect(page.getByRole('link', { name: /Loft darkroom/ })).toContainText('Handed over');
});

test('all as predicted: proven in one tap a reading, and handed over without an override', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/2/dead`);
	await proveDead(page);
	await page.goto(`${server.url}/calls/2/boxes/B3`);
	await mendAll(page);
	await page.getByRole('button', { name: 'It is made up so' }).click();
	await page.getByRole('link', { name: 'Prove it', exact: true }).click();
	await page.getByRole('button', { name: 'The breaker is on' }).click();
	const left = page.getByRole('button', { name: /^As predicted/ });
	await expect(left.first()).toBeEnabled();
	for (let n = await left.count(); n > 0; n--) {
		await left.first().click();
		await expect(left).toHaveCount(n - 1);
	}
	await expect(page.getByText('Every reading is as predicted.')).toBeVisible();
	await page.getByRole('link', { name: 'Hand it over' }).click();
	await expect(page.getByRole('article', { name: 'The report' })).toContainText('Proven: every reading that was asked for is as predicted.');
	const sign = page.getByRole('form', { name: 'Hand over' });
	await sign.getByRole('button', { name: 'Hand it over' }).click();
	await expect(page.getByRole('alert')).toContainText('to: is missing');
	await sign.getByLabel('handed over by').fill('A. Reyes');
	await sign.getByLabel('to', { exact: true }).fill('the tenant');
	await sign.getByRole('button', { name: 'Hand it over' }).click();
	await expect(page.getByText(/Handed over at/)).toBeVisible();
	// Nothing is left to do now: the next move is the next call.
	await page.goto(`${server.url}/calls/2`);
	await expect(page.getByText('This call is handed over.').last()).toBeVisible();
	await expect(page.getByRole('region', { name: 'Do now' })).toHaveCount(0);
	await page.getByRole('region', { name: 'Next move' }).getByRole('link', { name: 'Next call' }).click();
	await expect(page).toHaveURL(`${server.url}/`);
});

test('every screen of a call ends in the next move, and a danger not excluded is it', async ({ page, server }) => {
	for (const path of ['boxes/B3', 'dead', 'prove', 'hand-over']) {
		await page.goto(`${server.url}/calls/3/${path}`);
		const move = page.getByRole('navigation', { name: 'Next move' }).getByRole('link');
		await expect(move, path).toHaveText(/: sensor on its ground slot$/);
		await expect(page.locator('[aria-current="page"]').first(), path).toBeAttached();
	}
	await page.getByRole('navigation', { name: 'Next move' }).getByRole('link').click();
	await expect(page).toHaveURL(/tool=sensor/);
	await page.goto(`${server.url}/calls/3/sweep`);
	await expect(page.getByRole('alert', { name: 'Danger' })).toBeVisible();
	// A box that the run does not have is never called dead.
	await page.goto(`${server.url}/calls/3/dead?box=panel`);
	await expect(page.getByTestId('next')).toBeVisible();
	await expect(page.getByText('Proven dead at the slots')).toHaveCount(0);
	// Where the work is settled, the breaker is next, and then the proof on the same screen.
	await page.goto(`${server.url}/calls/2/boxes/B3`);
	await page.getByRole('navigation', { name: 'Next move' }).getByRole('link', { name: 'Breaker off, to open Enlarger' }).click();
	await expect(page.getByLabel('the box', { exact: true })).toHaveValue('B3');
	await proveDead(page);
	await page.getByRole('navigation', { name: 'Next move' }).getByRole('link', { name: 'Look in: what was it?' }).click();
	await page.getByRole('region', { name: 'What was it?' }).getByRole('button', { name: /^Reversed polarity/ }).click();
	await expect(page.getByText(/^It was: /)).toBeVisible();
});

test('one that is not below 1 V is named by a tap, and shuts the box', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/2/dead?box=B3`);
	await page.getByRole('button', { name: 'Off, in my sight all the time' }).click();
	await proveTesters(page);
	const test = page.getByRole('region', { name: 'Dead test' });
	// Hands free: turning on says nothing; what was found is said by hand.
	await test.getByRole('button', { name: 'Hands free' }).click();
	const large = page.getByRole('dialog', { name: 'Dead test at Enlarger' });
	await expect(large).toContainText('Top: hot to neutral');
	await page.keyboard.press('PageDown');
	await expect(large).toContainText('Top: hot to ground');
	await page.keyboard.press('PageUp');
	await page.keyboard.press(' ');
	await large.getByText('Top: hot to ground').click();
	await expect(large).toContainText('3 of 8');
	for (let i = 3; i <= 8; i++) await page.keyboard.press(' ');
	await page.keyboard.press(' ');
	await expect(large.getByRole('button', { name: 'All eight below 1 V' }), 'and no key has answered it').toBeVisible();
	await large.getByRole('button', { name: 'One is not' }).click();
	await test.getByRole('button', { name: 'bottom hot to an independent ground' }).click();
	await expect(page.getByTestId('next')).toContainText('A second source was found');
	await expect(page.getByTestId('next')).toContainText('bottom hot to an independent ground, with the breaker off');
	await expect(page.getByTestId('next')).toContainText('a licensed electrician or the authority decides');
});

test('the breaker is found by halves: what must not go off first, then which to throw and why, and an answer can be taken back', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/dead`);
	const find = page.getByRole('region', { name: 'Find the breaker' });
	await find.getByRole('button', { name: 'By halves' }).click();
	await find.getByRole('group', { name: 'Must not go off' }).getByRole('button', { name: /^Breaker 7/ }).click();
	await find.getByRole('button', { name: 'Asked: 7 stays on' }).click();
	await expect(find).toContainText('All others on');
	await expect(find.getByText(/^Off: /)).not.toContainText('7');
	const first = await find.getByText(/^Off: /).innerText();
	await find.getByRole('button', { name: 'Still live' }).click();
	await expect(find.getByText(/^Off: /)).not.toHaveText(first);
	await find.getByRole('button', { name: 'Take the last answer back' }).click();
	await expect(find.getByText(/^Off: /)).toHaveText(first);
	for (let i = 0; i < 8 && !(await find.getByRole('button', { name: /^It is breaker/ }).isVisible()); i++) {
		const kept = page.waitForResponse((answer) => answer.url().endsWith('/journal') && answer.ok());
		await find.getByRole('button', { name: 'Dead', exact: true }).click();
		await kept;
		await expect(find.getByRole('button', { name: /^It is breaker|^Dead$/ }).first()).toBeEnabled();
	}
	await find.getByRole('button', { name: /^It is breaker/ }).click();
	await expect(find).toContainText('found on this call');
});

test('two phones on one call: one at the panel, one at the outlets, and the directory writes itself', async ({ page, server, browser }) => {
	const other = await browser.newPage({ viewport: phone });
	for (const one of [page, other]) {
		await one.goto(`${server.url}/calls/3/dead`);
		await one.getByRole('button', { name: 'Two phones' }).click();
	}
	await page.getByRole('button', { name: 'Asked: nothing has to stay on' }).click();
	await page.getByRole('button', { name: 'I am at the panel' }).click();
	await other.getByRole('button', { name: 'I am at the outlets' }).click();
	await page.getByRole('group', { name: 'Switched off' }).getByRole('button', { name: /^Breaker 7/ }).click();
	await expect(other.getByRole('status').filter({ hasText: 'Breaker 7 is off. What is dead?' })).toBeVisible();
	await other.getByRole('button', { name: 'Landing', exact: true }).first().click();
	await other.getByLabel('and what is not on this run').fill('attic fan');
	await other.getByRole('button', { name: 'These are dead, all others live' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Went dead with breaker 7: 1 outlet, and attic fan' })).toBeVisible();
	await expect(page.getByRole('button', { name: 'Breaker 7, Landing, attic fan' })).toBeVisible();
	await other.close();
});

test('something live keeps the box shut, and a picture is taken at the step', async ({ page, server }: { page: Page; server: Server }) => {
	await page.goto(`${server.url}/calls/3/dead`);
	await page.getByLabel('the box', { exact: true }).selectOption('B3');
	await page.getByRole('button', { name: 'Off and tagged' }).click();
	await proveTesters(page);
	await typedTest(page, '118');
	await expect(page.getByTestId('next')).toContainText('Something is live: top hot to neutral: 118 V');
	await expect(page.getByTestId('next')).toContainText('a licensed electrician or the authority decides');
	const url = await page.evaluate(() => {
		const canvas = document.createElement('canvas');
		canvas.width = 60;
		canvas.height = 40;
		return canvas.toDataURL('image/png');
	});
	await page.getByLabel('Picture of this step').setInputFiles({ name: 'a.png', mimeType: 'image/png', buffer: Buffer.from(url.slice(url.indexOf(',') + 1), 'base64') });
	await expect(page.getByRole('img', { name: /Taken .*, dead/ })).toBeVisible();
	await page.getByRole('button', { name: /Take back the picture/ }).click();
	await expect(page.getByRole('img', { name: /Taken .*, dead/ })).toHaveCount(0);
});

test('the day sheet: what is handed over stands last, and the rest says what holds it up', async ({ page, server }) => {
	const journal = `${server.url}/api/v1/calls/3/journal`;
	const person = { who: 'A. Reyes', standing: 'licence 4711', reason: 'customer stops the work' };
	await page.request.post(journal, { data: { id: 'override-0001', entry: { kind: 'override', gate: 'hand-over', ...person } } });
	const handed = await page.request.post(journal, { data: { id: 'handed-over-01', entry: { kind: 'handed-over', who: 'A. Reyes', to: 'the tenant' } } });
	expect(handed.ok()).toBe(true);
	await page.goto(server.url);
	const calls = page.getByRole('list', { name: 'Calls' }).getByRole('listitem');
	await expect(calls.last()).toContainText('Bindery, upper floor');
	await expect(calls.last()).toContainText('Handed over');
	await expect(calls.filter({ hasText: 'Aviary porch' })).toContainText('Standing cautions not read');
});

test('the directory is corrected as it is found, and a pass is refused without a name', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/dead`);
	await page.getByText("The panel's directory").click();
	const blank = page.getByLabel('What breaker 7 serves');
	await blank.fill('porch and birds');
	const kept = page.waitForResponse((answer) => answer.url().includes('/directory') && answer.request().method() === 'PUT');
	await blank.blur();
	await kept;
	await expect(blank).toHaveValue('porch and birds');
	await page.reload();
	await page.getByText("The panel's directory").click();
	await expect(page.getByLabel('What breaker 7 serves'), 'kept').toHaveValue('porch and birds');
	const gate = page.getByRole('region', { name: 'Gate before opening the box' });
	await gate.getByRole('button', { name: 'Pass it, with a reason' }).click();
	await gate.getByRole('button', { name: 'Pass the gate and record it' }).click();
	await expect(gate.getByRole('alert')).toContainText('reason: is missing');
	await gate.getByLabel('reason').fill('panel cover bonded and locked out by the utility');
	await gate.getByLabel('who passes it').fill('A. Reyes');
	await gate.getByLabel(/qualified by/).fill('licence 4711');
	await gate.getByRole('button', { name: 'Pass the gate and record it' }).click();
	await expect(gate).toContainText('Passed by A. Reyes');
	await expect(gate, 'what is not there stays in sight').toContainText('not there: breaker off and secured');
});

test('a picture is dropped at a step of the call and shown there', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3`);
	const data = await page.evaluateHandle(async () => {
		const canvas = document.createElement('canvas');
		canvas.width = 50;
		canvas.height = 40;
		const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/jpeg'));
		const transfer = new DataTransfer();
		if (blob) transfer.items.add(new File([blob], 'socket.jpg', { type: 'image/jpeg' }));
		return transfer;
	});
	await page.getByRole('region', { name: 'Photographs' }).first().dispatchEvent('drop', { dataTransfer: data });
	await expect(page.getByRole('img', { name: /Taken .*, as found/ }).first()).toBeVisible();
	await page.goto(`${server.url}/calls/3/hand-over`);
	await expect(page.getByRole('img', { name: /Taken .*, as found/ }), 'and goes into the report').toBeVisible();
});

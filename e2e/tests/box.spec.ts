import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import type { Page } from '@playwright/test';
import { expect, noSidewaysScroll, openCall, phone, test } from '../server';

/** A picture: what is on it does not matter to the test. */
async function picture(page: Page): Promise<Buffer> {
	const url = await page.evaluate(() => {
		const canvas = document.createElement('canvas');
		canvas.width = 300;
		canvas.height = 200;
		canvas.getContext('2d')?.fillRect(40, 40, 80, 120);
		return canvas.toDataURL('image/png');
	});
	return Buffer.from(url.slice(url.indexOf(',') + 1), 'base64');
}

for (const view of [{ width: 1280, height: 800 }, phone]) {
	test(`a box of three cables is entered, planned, worked and made up, ${view.width} wide`, async ({ page, server }) => {
		await page.setViewportSize(view);
		await openCall(page, server, 'Bindery, upper floor');
		await page.getByRole('button', { name: /^Window bench/ }).first().click();
		await page.getByRole('link', { name: 'The opened box' }).click();
		await expect(page.getByRole('heading', { name: 'Window bench' })).toBeVisible();
		await noSidewaysScroll(page);

		const frame = page.getByRole('region', { name: /Cable to Sewing frame/ });
		await frame.getByRole('button', { name: 'protect', exact: true }).click();
		await page.getByRole('region', { name: /Cable to Loft stair/ }).getByRole('button', { name: 'must not go off' }).click();
		const goes = page.getByRole('region', { name: 'What goes in' });
		await goes.getByRole('button', { name: 'GFCI', exact: true }).click();
		await goes.getByRole('button', { name: 'clamp', exact: true }).click();
		await page.getByRole('button', { name: '22.5 in³' }).click();
		await page.getByLabel('room', { exact: true }).selectOption('workshop');
		await page.getByRole('button', { name: 'through the device' }).click();
		await page.getByRole('button', { name: 'To the plan' }).first().click();

		await expect(page.getByText('Proven on the circuit model:')).toBeVisible();

		// What is not known and decides is answered where it stands.
		const asked = page.getByRole('region', { name: 'Not known' }).and(page.locator(':visible'));
		await expect(asked).toContainText('Which room does the cable to Loft stair');
		await asked.getByRole('group', { name: /serves$/ }).getByRole('button', { name: 'hall', exact: true }).click();
		await expect(asked).not.toContainText('Which room does the cable to Loft stair');
		await asked.getByRole('group', { name: 'marked so' }).getByRole('button', { name: 'yes', exact: true }).click();
		await expect(asked).toBeHidden();

		await expect(page.getByRole('img', { name: /The box as planned: 12 wires/ })).toBeVisible();
		await expect(page.getByText('It fits.')).toBeVisible();

		// The step in hand lights up its wires.
		await page.getByRole('button', { name: /Join the neutrals of the feed and / }).click();
		await expect(page.locator('.lit-wire')).toHaveCount(3);
		const kept = page.waitForResponse((answer) => answer.url().endsWith('/steps') && answer.ok());
		await page.getByLabel('Done: Breaker off, secured, and prove the box dead').check();
		await kept;
		await page.reload();
		await expect(page.getByLabel('Done: Breaker off, secured, and prove the box dead')).toBeChecked();

		await page.getByRole('tab', { name: /Findings/ }).click();
		await expect(page.getByRole('list', { name: 'Findings' })).toContainText('stays off LOAD');
		await page.getByRole('tab', { name: 'Proof' }).click();
		await expect(page.getByRole('region', { name: 'When the plan is done' })).toContainText('As it should be, behind the GFCI here');
		await page.getByRole('button', { name: 'As found', exact: true }).click();
		await expect(page.getByRole('img', { name: /The box as found/ })).toBeVisible();
		await page.getByRole('tab', { name: 'Steps' }).click();
		await page.getByRole('button', { name: 'It is made up so' }).click();
		await expect(page.getByRole('alert').last()).toContainText('Window bench: not yet: breaker off and secured');
		for (const gate of ['open', 'conductors']) {
			const entry = { kind: 'override', gate, box: 'B1', who: 'A. Reyes', standing: 'licence 4711', reason: 'bench test without supply' };
			await page.request.post(`${server.url}/api/v1/calls/3/journal`, { data: { id: `override-${gate}`, entry } });
		}
		await page.getByRole('button', { name: 'It is made up so' }).click();
		await expect(page.getByText(/Made up as planned at/)).toBeVisible();
		await page.getByRole('link', { name: 'Back to the call' }).click();
		await expect(page.getByText('as found, before Window bench was made up anew').first()).toBeAttached();
	});
}

test('the line is not known: the procedure comes first, and nothing is planned', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B6`);
	await page.getByRole('region', { name: /^The feed/ }).getByRole('button', { name: 'not known' }).first().click();
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await expect(page.getByText('Nothing is planned.')).toBeVisible();
	await page.getByRole('button', { name: /nobody near, breaker on/ }).click();
	await expect(page.getByText('Power on with conductors apart.')).toBeVisible();
	await expect(page.getByText(/for a qualified person only/)).toBeVisible();
	// What the procedure found has a place where it is found.
	await page.getByRole('button', { name: /^Cable W6 .* is the feed$/ }).click();
	await expect(page.getByText('Proven on the circuit model:')).toBeVisible();
});

test('what must be mended is left by a named person, with a reason that is printed', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B3`);
	await page.getByRole('button', { name: '2 things to mend first' }).first().click();
	const findings = page.getByRole('list', { name: 'Findings' });
	await findings.getByRole('button', { name: 'Cut back and mended' }).click();
	await expect(page.getByRole('button', { name: '1 thing to mend first' }).first()).toBeVisible();
	await findings.getByRole('button', { name: 'Leave it, by name' }).click();
	const form = page.getByRole('form', { name: 'Leave the finding' });
	await form.getByLabel('who answers for it').fill('A. Reyes');
	await form.getByRole('button').click();
	await expect(form.getByRole('alert')).toContainText('is missing');
	await form.getByLabel('qualified by (licence)').fill('licence 4711');
	await form.getByLabel('reason').fill('a larger box comes with the new wall');
	await form.getByRole('button').click();
	await expect(page.getByRole('button', { name: /to mend first/ })).toHaveCount(0);
	await expect(findings).toContainText('Left as it is, by name');
	await page.goto(`${server.url}/calls/3/hand-over`);
	await expect(page.getByRole('article', { name: 'The report' })).toContainText('a larger box comes with the new wall');
});

test('two receptacles and a switch in one box; what is half typed outlives a reload', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B1`);
	await page.getByRole('button', { name: 'Another device in this box' }).click();
	await expect(page.getByRole('region', { name: 'Beside it, 2 in the box' })).toBeVisible();
	await page.getByRole('button', { name: 'A switch in this box' }).click();
	await expect(page.getByRole('region', { name: 'A switch beside it' }).getByRole('button', { name: 'to Sewing frame' })).toHaveAttribute('aria-pressed', 'true');
	await page.getByRole('region', { name: /Cable to Loft stair/ }).getByLabel('serves').fill('glue shelf');
	await page.reload();
	await expect(page.getByRole('region', { name: /Cable to glue shelf/ })).toBeVisible();
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	const steps = page.getByRole('list', { name: 'Steps' });
	await expect(steps).toContainText('Hot of the cable to Sewing frame on the other screw of its switch');
	await expect(steps).toContainText('the cable to glue shelf');
	await expect(steps).not.toContainText(/@|R1\b|S2\b|D2\b/);
	await page.getByRole('tab', { name: 'Parts' }).click();
	for (const shelf of ['Devices', 'Plates and covers', 'Connectors', 'Wire and cable', 'Tools to carry']) {
		await expect(page.getByRole('region', { name: shelf, exact: true })).toBeVisible();
	}
	await expect(page.getByRole('region', { name: 'Plates and covers' })).toContainText('3-gang, duplex and toggle');
});

test('a box of seven cables on a phone: its letters can be read, and the wires of the step are in sight', async ({ page, server }) => {
	for (const label of ['Press stand', 'Paper rack', 'Foil drawer', 'Hatch']) {
		await page.request.post(`${server.url}/api/v1/calls/3/stops`, { data: { after: 'B1', ground: true, label } });
	}
	await page.setViewportSize(phone);
	await page.goto(`${server.url}/calls/3/boxes/B1`);
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await noSidewaysScroll(page);
	await page.getByRole('button', { name: /^Join the hots of/ }).click();
	const drawing = page.getByRole('img', { name: /The box as planned/ });
	const sizes = await drawing.evaluate((svg) => {
		const scale = svg.getBoundingClientRect().width / (svg as SVGSVGElement).viewBox.baseVal.width;
		return [...svg.querySelectorAll('text')].map((t) => scale * Number.parseFloat(getComputedStyle(t).fontSize));
	});
	expect(sizes.length).toBeGreaterThan(10);
	expect(Math.min(...sizes)).toBeGreaterThanOrEqual(12);
	const frame = page.getByRole('figure', { name: 'Drawing' });
	await expect(page.getByRole('img', { name: 'The whole box, small' })).toBeVisible();
	await expect
		.poll(() =>
			frame.evaluate((el) => {
				const seen = el.getBoundingClientRect();
				return [...el.querySelectorAll('.lit-wire')].some((w) => {
					const r = w.getBoundingClientRect();
					return r.right > seen.left && r.left < seen.right && r.bottom > seen.top && r.top < seen.bottom;
				});
			}),
		)
		.toBe(true);
	// It stays there while the last steps go by.
	await page.getByLabel('Done: Plate on').scrollIntoViewIfNeeded();
	await expect(frame).toBeInViewport();
});

test('a figure that cannot be is refused by name, and what was entered stays', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B6`);
	await page.getByLabel('or, marked').fill('900');
	await page.getByLabel('or, marked').press('Enter');
	await expect(page.getByRole('alert').last()).toContainText('box.volumeIn3: 900 is out of bounds');
	await expect(page.getByLabel('or, marked')).toHaveValue('900');
});

test('no ground arrives: the ways on stand side by side, and a plain device stops the plan', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/1/boxes/B2`);
	await page.getByRole('tab', { name: 'Code asks' }).click();
	const ways = page.getByRole('region', { name: 'No ground arrives: the ways on' });
	await expect(ways.getByRole('listitem').first()).toContainText('best here');
	await expect(ways).toContainText('NEC 406.4(D)(2)(b), 2023');
	await page.getByRole('button', { name: 'Correct what is in the box' }).click();
	await page.getByRole('region', { name: 'What goes in' }).getByRole('button', { name: 'duplex' }).click();
	await expect(page.getByText('A plain three-slot device with no ground')).toBeVisible();
});

test('the photograph: each wire is pointed at, and the taps are the record', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B1`);
	await page.getByRole('button', { name: 'Photograph' }).click();
	await page.getByLabel('Picture of the pulled device').setInputFiles({ name: 'pulled.png', mimeType: 'image/png', buffer: await picture(page) });
	const shown = page.getByRole('img', { name: 'The pulled device at Window bench' });
	await expect(shown).toBeVisible();
	for (const [wire, to] of [
		['hot, feed', 'upper silver screw'],
		['neutral, feed', 'upper brass screw'],
	] as const) {
		await page.getByRole('button', { name: 'Point at a wire on the picture' }).click();
		await page.getByRole('button', { name: wire, exact: true }).click();
		await page.getByRole('button', { name: to }).click();
		await expect(page.getByRole('region', { name: 'Put-back sheet' })).toContainText(`${wire}${to}`);
	}
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await page.getByRole('tab', { name: /Findings/ }).click();
	await expect(page.getByRole('list', { name: 'Findings' })).toContainText('Hot and neutral are exchanged at the old device');
	await page.getByRole('button', { name: 'Take back: neutral, feed' }).click();
	await expect(page.getByRole('region', { name: 'Put-back sheet' })).not.toContainText('neutral, feed');
	await page.getByLabel('Picture of the pulled device').setInputFiles({ name: 'notes.txt', mimeType: 'text/plain', buffer: Buffer.from('no') });
	await expect(page.getByRole('alert').last()).toContainText('no picture that can be opened');
	await expect(shown).toBeVisible();
});

test('the plan prints on one page', async ({ page, server }, info) => {
	await page.goto(`${server.url}/calls/3/boxes/B3`);
	await expect(page.getByRole('list', { name: 'Steps' })).toBeVisible();
	const file = info.outputPath('plan.pdf');
	await page.pdf({ path: file, format: 'Letter' });
	expect(existsSync(file)).toBe(true);
	expect(execFileSync('grep', ['-a', '-o', '/Count [0-9]*', file]).toString().trim().split('\n')[0]).toBe('/Count 1');
	expect(readFileSync(file).length).toBeGreaterThan(10_000);
});

test('the house: a school, the edition, a price and an amendment are kept and turn the plan', async ({ page, server }) => {
	await page.goto(`${server.url}/practice/practice`);
	await page.getByRole('combobox', { name: 'Splices' }).selectOption('twisted');
	await page.getByRole('navigation', { name: 'Parts of the practice' }).getByRole('link', { name: 'Code' }).click();
	await page.getByRole('button', { name: 'NEC 2017' }).click();
	await expect(page.getByRole('button', { name: 'NEC 2017' })).toHaveAttribute('aria-pressed', 'true');
	const form = page.getByRole('form', { name: 'New local amendment' });
	await form.getByLabel('in', { exact: true }).selectOption('workshop');
	await form.getByRole('button', { name: 'Add' }).click();
	await expect(page.getByRole('alert').last()).toContainText('the section it changes is missing');
	await form.getByLabel('section').fill('Town code 12');
	await form.getByLabel('what it asks').fill('workshops');
	await form.getByRole('button', { name: 'Add' }).click();
	await expect(page.getByRole('list', { name: 'Local amendments' })).toContainText('Town code 12');
	// A thing of the shop's own is in the catalogue, and a van carries it.
	await page.getByRole('navigation', { name: 'Parts of the practice' }).getByRole('link', { name: 'Prices' }).click();
	const own = page.getByRole('form', { name: 'A thing of your own' });
	await own.getByLabel('what it is called').fill('cable clip, 1/2 in');
	await own.getByRole('button', { name: 'Add' }).click();
	await page.getByText('Screws and small parts', { exact: true }).first().click();
	await expect(page.getByRole('button', { name: 'Take cable clip, 1/2 in out' })).toBeVisible();
	await page.goto(`${server.url}/vans`);
	await expect(page.locator('#catalogue option[value="cable clip, 1/2 in"]')).toBeAttached();
	const load = page.getByRole('form', { name: 'Load a van' });
	await load.getByLabel('part').fill('cable clip, 1/2 in');
	await load.getByLabel('how many').fill('50');
	await load.getByRole('button').click();
	await expect(page.getByRole('listitem').filter({ hasText: 'cable clip, 1/2 in' })).toContainText('50');
	await page.goto(`${server.url}/calls/3/boxes/B3`);
	await page.getByRole('tab', { name: 'Code asks' }).click();
	await expect(page.getByRole('list', { name: 'What the code asks' })).toContainText('Local Town code 12, 2017');
	await page.getByRole('tab', { name: 'Parts' }).click();
	await expect(page.getByText('twisted connectors, as the house has chosen')).toBeVisible();
});

test('sums work without a call, and a slip is refused', async ({ page, server }) => {
	await page.goto(server.url);
	await page.getByRole('link', { name: 'Sums' }).click();
	await expect(page.getByText('20.25 in³', { exact: true })).toBeVisible();
	await page.getByRole('link', { name: 'Heat in a contact' }).click();
	await expect(page.getByText('14.4 W', { exact: true })).toBeVisible();
	await page.getByRole('button', { name: '15', exact: true }).click();
	await expect(page.getByText('22.5 W', { exact: true })).toBeVisible();
	await page.getByLabel('Load', { exact: true }).fill('500');
	await expect(page.getByRole('alert').last()).toContainText('Load: 500 is out of bounds');
});

test('an old metal box is entered to its last inch, and each finding says where it stands', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B7`);
	const enclosure = page.getByRole('region', { name: 'The box', exact: true });
	await enclosure.getByRole('button', { name: 'metal' }).click();
	const pick = (group: string, name: string) =>
		enclosure.getByRole('group', { name: group, exact: true }).getByRole('button', { name, exact: true }).click();
	await pick('bonded', 'no');
	await pick('loose', 'yes');
	await pick('held by', 'ears');
	await enclosure.getByText('more of it').click();
	for (const [figure, value] of [
		['set back', '0.5'],
		['gap round it', '0.25'],
		['or, marked', '12.5'],
	] as const) {
		await enclosure.getByLabel(figure).fill(value);
		await enclosure.getByLabel(figure).press('Enter');
	}
	await pick('wall', 'plaster');
	const feed = page.getByRole('region', { name: /^The feed/ });
	await feed.getByRole('button', { name: 'nicked' }).click();
	await feed.getByText('more of it').click();
	await feed.getByLabel('from sheath').fill('4');
	await feed.getByLabel('from sheath').press('Enter');
	await feed.getByLabel('colour of the hot').selectOption('white');
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await page.getByRole('tab', { name: /Findings/ }).click();
	const findings = page.getByRole('list', { name: 'Findings' });
	for (const [text, section] of [
		['The metal box is not joined to a ground', 'NEC 250.148(C), 2023'],
		['The box is loose', 'NEC 314.23, 2023'],
		['The box sits 0.5 in behind the plaster face', 'NEC 314.20, 2023'],
		['A gap of 0.25 in is open round the box', 'NEC 314.21, 2023'],
		['A wire of the feed is nicked', 'NEC 110.12(B), 2023'],
		['The wires of the feed are short', 'NEC 300.14, 2023'],
		['The hot of the feed is white', 'NEC 200.7(C), 2023'],
	] as const) {
		const line = findings.getByRole('listitem').filter({ hasText: text });
		await expect(line).toContainText(section);
		await expect(line).toContainText('Check what is adopted here.');
	}
	// Each that the plan does not cure is pinned in the drawing under its number.
	const uncured = findings.getByRole('listitem').filter({ hasNotText: 'The plan puts it right.' }).filter({ hasNotText: 'Arc-fault' });
	await expect(page.locator('[data-pin]')).toHaveCount(await uncured.count());
	await page.getByRole('tab', { name: 'Steps' }).click();
	await expect(page.getByRole('list', { name: 'Steps' })).toContainText('Tighten its ears');
});

test('wire by wire: what lands where now is recorded, solved, and said', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B7`);
	const now = page.getByRole('region', { name: 'What hangs there now' });
	await now.getByRole('button', { name: 'wire by wire' }).click();
	for (const [wire, place] of [
		['hot, feed', 'upper silver screw'],
		['neutral, feed', 'upper brass screw'],
		['ground, feed', 'green screw'],
	] as const) {
		await now.getByLabel(`where ${wire} lands`).selectOption({ label: place });
		await expect(now.getByLabel(`where ${wire} lands`).locator('option:checked')).toHaveText(place);
	}
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await page.getByRole('button', { name: 'As found', exact: true }).click();
	await expect(page.getByRole('img', { name: 'The box as found: 3 wires landed' })).toBeVisible();
	await page.getByRole('tab', { name: 'Proof' }).click();
	await expect(page.getByRole('region', { name: 'As it is wired now, by the model' })).toContainText('hot and neutral exchanged');
	await expect(page.getByRole('region', { name: 'When the plan is done' })).not.toContainText('exchanged');
	await page.reload();
	await page.getByRole('button', { name: 'As found', exact: true }).click();
	await expect(page.getByRole('img', { name: 'The box as found: 3 wires landed' }), 'kept').toBeVisible();
});

test('the steps are worked by keyboard alone', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/3/boxes/B3`);
	const first = page.getByRole('button', { name: /^Breaker off, secured/ });
	await first.focus();
	await page.keyboard.press('Enter');
	await expect(first).toHaveAttribute('aria-expanded', 'true');
	await page.keyboard.press('Tab');
	await page.keyboard.press('Space');
	await expect(page.getByLabel('Done: Breaker off, secured, and prove the box dead')).toBeChecked();
	await expect(page.getByRole('button', { name: /^Photograph the box/ }), 'the next one is in hand').toHaveAttribute('aria-expanded', 'true');
});

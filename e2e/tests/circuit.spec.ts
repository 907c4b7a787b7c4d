import { expect, layAll, openCall, phone, test } from '../server';
import { sound } from '../sound';

test('an outlet without a ground becomes a new circuit that is laid and proven, on a phone', async ({ page, server }) => {
	await page.setViewportSize(phone);
	await openCall(page, server, 'Aviary porch');
	await page.goto(`${server.url}/calls/1/boxes/B3`);
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await page.getByRole('tab', { name: 'Code asks' }).click();
	await page.getByRole('button', { name: 'Plan the new circuit' }).click();

	// What is known is filled in, and there is a plan at once.
	await expect(page.getByRole('list', { name: 'What it comes to' })).toContainText('20 A');
	await expect(page.getByRole('list', { name: 'The way', exact: true })).toContainText('finished wall');
	await sound(page, 'the new circuit as it is ordered');
	const outlet = page.getByRole('region', { name: 'Outlet 1', exact: true });
	await outlet.getByRole('button', { name: 'one appliance' }).click();
	await expect(page.getByRole('alert')).toContainText('watts: an appliance is planned by its watts');
	await outlet.getByLabel('nameplate').fill('1500');
	await outlet.getByLabel('nameplate').press('Enter');
	await expect(page.getByRole('alert')).toHaveCount(0);
	// What is asked leads to where it is said, and is asked no more once it is.
	const asked = page.getByRole('region', { name: 'Not known' });
	await expect(asked.getByRole('button', { name: 'What kind of room is it?' })).toHaveCount(1);
	await asked.getByRole('button', { name: 'What kind of room is it?' }).click();
	await expect(outlet.getByLabel('called')).toBeFocused();
	await outlet.getByLabel('room', { exact: true }).selectOption('other');
	await expect(asked.getByRole('button', { name: 'What kind of room is it?' })).toHaveCount(0);
	await outlet.getByLabel('Leg 1 goes by').selectOption('masonry');
	await outlet.getByRole('button', { name: 'It has a bend' }).click();
	await expect(page.getByRole('figure').filter({ hasText: 'Offset of 4 in, two bends of 30°' })).toContainText('shrink 1 1/16 in');
	await page.getByRole('region', { name: 'The panel' }).getByLabel('breaker no.').fill('18');
	await page.getByRole('region', { name: 'The panel' }).getByLabel('free spaces').fill('2');
	await page.getByRole('button', { name: 'summed up, carries it' }).click();
	await expect(page.getByRole('list', { name: 'What it comes to' })).toContainText('breaker 18');

	await page.getByRole('tab', { name: 'Why so' }).click();
	await expect(page.getByRole('region', { name: 'The breaker' })).toContainText('one thing that is plugged in takes at most 80 %');
	await page.getByRole('tab', { name: 'Parts' }).click();
	await expect(page.getByRole('region', { name: 'Wire and cable' })).toContainText('EMT');

	// Nothing in the panel before the run was measured.
	await page.getByRole('tab', { name: 'Steps' }).click();
	await sound(page, 'the steps of the new circuit');
	const panel = page.getByRole('region', { name: 'In the panel, by a licensed person only' });
	await expect(panel).toContainText('The service lugs and the wires to them stay live with the main off.');
	await panel.getByLabel('Done: Cover on, then the main on, then this breaker').click();
	await expect(page.getByRole('alert').filter({ hasText: 'measure the run before it is connected' })).toBeVisible();
	await layAll(page);

	// It gets a call of its own in the same house, on which it is proven.
	await page.getByRole('button', { name: 'Prove it' }).click();
	await expect(page).toHaveURL(/\/prove$/);
	await expect(page.getByRole('region', { name: 'Predicted and measured' })).toContainText('readings to take');
	const own = Number(/calls\/(\d+)/.exec(page.url())?.[1]);
	expect(own).not.toBe(1);
	const [from, to] = await Promise.all([1, own].map(async (id) => (await page.request.get(`${server.url}/api/v1/calls/${id}`)).json()));
	expect(to.site).toBe(from.site);
	const book = await (await page.request.get(`${server.url}/api/v1/sites/${from.site}`)).json();
	expect(JSON.stringify(book)).toContain('"breaker":"18"');
});

test('one more outlet hangs on the run, after the box it begins at is proven dead', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('button', { name: /^Window bench/ }).first().click();
	await page.getByRole('button', { name: 'One more outlet from Window bench' }).click();
	await expect(page.getByText('the run goes on, Bindery, upper floor')).toBeVisible();
	await page.getByRole('tab', { name: 'Steps' }).click();
	await expect(page.getByRole('region', { name: 'In the panel, by a licensed person only' })).toHaveCount(0);
	await page.getByLabel(/^Done: Make up the box at Window bench/).click();
	await expect(page.getByRole('alert').filter({ hasText: 'breaker off and secured' })).toBeVisible();
	await page.getByRole('link', { name: 'Prove it dead' }).click();
	await expect(page).toHaveURL(/\/dead/);
});

test('what could hang in a box instead is planned there, and chosen', async ({ page, server }) => {
	await openCall(page, server, 'Bindery, upper floor');
	await page.goto(`${server.url}/calls/3/boxes/B2`);
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await page.getByRole('tab', { name: 'Code asks' }).click();
	await page.getByText('What could hang here instead').click();
	const kinds = page.getByRole('list', { name: 'What could hang here instead' });
	await expect(kinds).toContainText('one wire to a terminal: jumpers where power goes on');
	await sound(page, 'the kinds of device');
	await kinds.getByRole('button', { name: 'Choose With USB' }).click();
	await expect(kinds.getByRole('listitem').filter({ hasText: 'With USB' })).toContainText('chosen');
});

import { expect, layAll, noSidewaysScroll, openCall, phone, test } from '../server';
import { sound } from '../sound';

/** Today by the clocks of the browser. */
const date = () => {
	const now = new Date();
	return [now.getFullYear(), now.getMonth() + 1, now.getDate()].map((n) => String(n).padStart(2, '0')).join('-');
};

test('a call is booked in a house of the book, is put on a van, and the day is ordered by keys', async ({ page, server }) => {
	await page.goto(server.url);
	await page.getByRole('button', { name: 'New call' }).click();
	const form = page.getByRole('form', { name: 'New call' });
	await form.getByLabel('where').fill('Tannery Yard 3');
	await form.getByLabel('complaint').fill('Paste table dead since the kettle was moved');
	await form.getByLabel('any of that').selectOption('smell');
	await form.getByLabel('telephone').fill('555 0177');
	await form.getByLabel('day').fill(date());
	await form.getByLabel('promised from').fill('16:00');
	await form.getByLabel('to', { exact: true }).fill('17:30');
	await expect(form.getByRole('group', { name: 'Which house?' })).toBeVisible();
	await form.getByRole('button', { name: 'Start the call' }).click();
	await expect(form.getByRole('alert')).toContainText('Say which house it is');
	await form.getByRole('button', { name: 'Tannery Yard 3' }).click();
	await sound(page, 'a new call being booked');
	await form.getByRole('button', { name: 'Start the call' }).click();
	await expect(page).toHaveURL(/calls\/\d+/);
	const own = Number(/calls\/(\d+)/.exec(page.url())?.[1]);
	const [there, here] = await Promise.all([1, own].map(async (id) => (await page.request.get(`${server.url}/api/v1/calls/${id}`)).json()));
	expect(here.site).toBe(there.site);
	expect(here.appointment.telephone).toBe('555 0177');

	await page.goto(server.url);
	await page.getByRole('link', { name: 'Day sheet' }).click();
	const none = page.getByRole('region', { name: 'No van yet' });
	await none.getByText('Day, window, van, drive').click();
	await none.getByLabel('van', { exact: true }).fill('Van 1');
	await none.getByLabel('drive, min').fill('25');
	await none.getByRole('button', { name: 'Keep it' }).click();
	const van = page.getByRole('region', { name: 'Van 1' });
	const stops = van.getByRole('list', { name: 'Calls of Van 1' }).getByRole('listitem');
	await expect(stops).toHaveCount(3);
	await expect(none).toHaveCount(0);
	// What may burn is driven to first, whatever was promised to others.
	await expect(stops.nth(0)).toContainText('smell first');
	await expect(stops.nth(0)).toContainText('25 min drive, as somebody said');
	await expect(stops.nth(0)).toContainText('before the window that was promised opens, 16:00: say so by telephone');
	await expect(van).toContainText('the best of all orders');
	await sound(page, 'the day sheet');

	const second = await stops.nth(1).getByRole('link').first().textContent();
	await stops.nth(1).getByRole('button', { name: /earlier$/ }).focus();
	await page.keyboard.press('Enter');
	await expect(stops.nth(0)).toContainText(second ?? 'nothing');
	await van.getByRole('button', { name: 'Let it be planned again' }).click();
	await expect(stops.nth(0)).toContainText('smell first');
	await stops.nth(0).dragTo(stops.nth(2));
	await expect(stops.nth(2)).toContainText('smell first');
	await page.setViewportSize(phone);
	await noSidewaysScroll(page);
});

test('from an inspector\'s list to a new circuit to its invoice, and a credit note', async ({ page, server }) => {
	await page.goto(`${server.url}/days/${date()}`);
	await page.getByRole('list', { name: 'Calls of Van 1' }).getByRole('link', { name: 'Aviary porch' }).click();
	await expect(page.getByText("Inspector's list").first()).toBeVisible();
	const clock = page.getByRole('region', { name: 'The clock of the call' });
	await clock.getByRole('button', { name: 'Arrived' }).click();
	await expect(clock.getByRole('button', { name: 'Arrived' })).toHaveAttribute('aria-pressed', 'true');
	await expect(clock).toContainText('left: usually');

	await page.getByRole('button', { name: 'Read. Start the call' }).click();
	await page.goto(`${server.url}/calls/1/boxes/B3`);
	await page.getByRole('button', { name: 'To the plan' }).first().click();
	await page.getByRole('tab', { name: 'Code asks' }).click();
	await page.getByRole('button', { name: 'Plan the new circuit' }).click();
	await page.getByRole('region', { name: 'The panel' }).getByLabel('breaker no.').fill('18');
	await page.getByRole('region', { name: 'The panel' }).getByLabel('free spaces').fill('2');
	await page.getByRole('button', { name: 'summed up, carries it' }).click();
	await expect(page.getByRole('list', { name: 'What it comes to' })).toContainText('breaker 18');
	const circuit = page.url();

	// A quote of what is planned, signed before anything is opened.
	await page.getByRole('tab', { name: 'Parts' }).click();
	await page.getByRole('link', { name: 'Quote and invoice' }).click();
	const quote = page.getByRole('region', { name: /^(Quote|What it would come to)$/ });
	await expect(quote).toContainText('1-pole AFCI breaker');
	const before = await quote.getByRole('definition').last().textContent();
	await quote.getByLabel('discount').selectOption('Yard tenants');
	await expect(quote.getByRole('definition').last()).not.toHaveText(before ?? '');
	await quote.getByRole('button', { name: 'Keep it as the quote' }).click();
	await quote.getByLabel('who accepts it').fill('B. Okafor');
	const pad = await quote.getByRole('img', { name: 'Field to sign in' }).boundingBox();
	if (!pad) throw new Error('no field to sign in');
	await page.mouse.move(pad.x + 20, pad.y + 30);
	await page.mouse.down();
	await page.mouse.move(pad.x + 90, pad.y + 60, { steps: 4 });
	await page.mouse.up();
	await sound(page, 'the quote');
	await quote.getByRole('button', { name: 'The customer accepts the quote' }).click();
	await expect(quote).toContainText('Accepted by B. Okafor');
	const file = await page.request.get(`${server.url}/api/v1/calls/1/quote.pdf`);
	expect((await file.body()).subarray(0, 5).toString()).toBe('%PDF-');

	await page.goto(circuit);
	await page.getByRole('tab', { name: 'Steps' }).click();
	await layAll(page);
	await page.goto(`${server.url}/calls/1`);
	await clock.getByRole('button', { name: 'Done' }).click();
	await expect(clock.getByRole('button', { name: 'Done' })).toHaveAttribute('aria-pressed', 'true');

	// What was used stands on the invoice; the minutes that are said are charged.
	await page.getByRole('link', { name: 'Quote and invoice' }).first().click();
	const invoice = page.getByRole('region', { name: 'Invoice' });
	await expect(invoice).toContainText('1-pole AFCI breaker');
	await invoice.getByLabel('minutes').fill('200');
	await expect(invoice.getByRole('listitem').filter({ hasText: 'Labour' })).toContainText('210 min');
	await sound(page, 'the invoice');
	await invoice.getByRole('button', { name: 'Issue the invoice' }).click();
	await expect(invoice).toContainText('Invoice L-0001');
	const ubl = await (await page.request.get(`${server.url}/api/v1/invoices/1/invoice.xml`)).text();
	expect(ubl).toContain('<cbc:ID>L-0001</cbc:ID>');
	await invoice.getByLabel('what was wrong with L-0001').fill('the helper was counted');
	await invoice.getByRole('button', { name: 'Credit it' }).click();
	await expect(invoice).toContainText('Credit note L-0002');
	await invoice.getByRole('button', { name: 'Issue the invoice' }).click();
	await expect(invoice).toContainText('Invoice L-0003');

	await page.goto(`${server.url}/invoices`);
	await expect(page.getByRole('list', { name: 'Invoices' }).getByRole('listitem')).toHaveCount(3);
	await sound(page, 'the invoices');
	await page.goto(`${server.url}/days/${date()}`);
	await expect(page.getByRole('region', { name: 'Planned and real' })).toContainText('Aviary porch');
	await expect(page.getByRole('list', { name: 'Calls of Van 1' }).getByRole('listitem').first()).toContainText(/Aviary porch.*Arrived \d\d:\d\d, done \d\d:\d\d/);
});

test('the price list is set by the shop, and says what cannot be', async ({ page, server }) => {
	await page.goto(`${server.url}/practice/prices`);
	const list = page.getByRole('form', { name: 'Price list' });
	await list.getByLabel('call-out', { exact: true }).first().fill('ninety');
	await list.getByRole('button', { name: 'Keep the price list' }).click();
	await expect(page.getByRole('alert')).toContainText('“ninety” is no amount');
	await list.getByLabel('call-out', { exact: true }).first().fill('90');
	await list.getByLabel('labour is charged').selectOption('task');
	await sound(page, 'the price list');
	await list.getByRole('button', { name: 'Keep the price list' }).click();
	await expect(list.getByRole('status')).toHaveText('Kept.');
	await openCall(page, server, 'Bindery, upper floor');
	await page.getByRole('link', { name: 'Quote and invoice' }).first().click();
	await expect(page.getByRole('listitem').filter({ hasText: 'Call-out' }).first()).toContainText('90.00');
});

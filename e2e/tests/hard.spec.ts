import { expect, openCall, phone, type Server, test } from '../server';
import { fits } from '../sound';

/** A hub with eleven branches, 26 stops, names of 60 letters in three alphabets. */
function hard(): string {
	const names = ['Steckdose hinter dem Werktisch im Überseekistenlager', 'Ρευματοδότης πίσω από το παράθυρο της παλιάς αποθήκης', 'Розетка за верстаком у дальней стены переплётной мастерской'];
	const boxes = Array.from({ length: 26 }, (_, i) => ({
		id: `B${i + 1}`,
		label: i === 0 ? 'Hub above the plan chest' : `${names[i % 3]?.slice(0, 57)} ${i + 1}`,
		material: i % 4 ? 'plastic' : 'metal',
		makeup: 'pigtail',
		devices: [{ id: `R${i + 1}`, kind: i === 1 ? 'gfci' : 'receptacle', amps: 20 }],
	}));
	const cables = boxes.map((b, i) => ({
		id: `W${i + 1}`,
		from: i === 0 ? 'panel' : i < 12 ? 'B1' : `B${i - 10}`,
		to: b.id,
		feet: 10 + i,
		awg: 12,
		conductors: ['hot', 'neutral', 'ground'],
	}));
	return JSON.stringify({ format: 'elvat-circuit/1', name: 'hub', supply: { volts: 120, hz: 60 }, breaker: { label: '12', amps: 20, poles: 1, protection: 'none', on: true }, boxes, cables });
}

/** The call on that run, two outlets read, one of them dead. */
async function open(page: import('@playwright/test').Page, server: Server): Promise<number> {
	const made = await page.request.post(`${server.url}/api/v1/calls`, {
		data: { title: 'Überseekistenlager, переплётная мастерская, παλιά αποθήκη', complaint: 'Half of the row is dead since the painter was there, says the tenant of the back room', circuit: hard() },
	});
	expect(made.status(), await made.text()).toBe(201);
	const { id } = await made.json();
	const lamps = (lit: string) => ({ hotNeutral: lit, hotGround: lit, neutralGround: 'dark' });
	for (const [at, lit] of [['R1', 'lit'], ['R3', 'lit'], ['R14', 'dark']] as const) {
		for (const half of ['top', 'bottom']) {
			const read = await page.request.post(`${server.url}/api/v1/calls/${id}/readings`, { data: { id: `hard-${at}-${half}`, reading: { tool: 'plug', at, half, lamps: lamps(lit) } } });
			expect(read.status(), await read.text()).toBe(201);
		}
	}
	return id;
}

const looks: { name: string; width: number; height: number; dark?: boolean }[] = [
	{ name: 'a laptop', width: 1280, height: 800 },
	{ name: 'a dark phone', ...phone, dark: true },
	{ name: '200 % zoom', width: 640, height: 400 },
	{ name: 'the narrowest phone', width: 360, height: 640 },
];

for (const look of looks) {
	test(`a hub with 26 stops and long names in three alphabets fits ${look.name}, the next move in sight`, async ({ page, server }) => {
		test.slow();
		await page.setViewportSize(look);
		await page.emulateMedia({ colorScheme: look.dark ? 'dark' : 'light', reducedMotion: 'reduce' });
		const call = await open(page, server);
		await page.goto(`${server.url}/calls/${call}`);
		await page.getByRole('button', { name: /Read and understood|Start the call/ }).first().click();
		for (const at of ['', '/boxes/B1', '/sweep', '/dead', '/prove', '/hand-over']) {
			await page.goto(`${server.url}/calls/${call}${at}`);
			await page.waitForLoadState('networkidle');
			await fits(page, `${at}, ${look.name}`);
			if (at !== '/sweep') {
				const inSight = () => page.locator('[data-next] :is(a, button):visible').evaluateAll((all) => all.some((e) => e.getBoundingClientRect().bottom <= innerHeight + 1 && e.getBoundingClientRect().top >= 0));
				await expect.poll(inSight, at).toBe(true);
			}
		}
		for (const at of ['/', '/book', '/book/sites/4', '/book/runs/4']) {
			await page.goto(server.url + at);
			await page.waitForLoadState('networkidle');
			await fits(page, `${at}, ${look.name}`);
		}
	});
}

test('every screen lists the keys that it answers, and answers them', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/1/boxes/B2`);
	await expect(page.getByRole('tab', { name: /Findings/ })).toBeVisible();
	await page.keyboard.press('?');
	const keys = page.getByRole('dialog', { name: 'Keys' });
	await expect(keys).toContainText('Findings');
	await page.keyboard.press('Escape');
	await page.keyboard.press('6');
	await expect(page.getByRole('tab', { name: /Findings/ })).toHaveAttribute('aria-selected', 'true');
	await page.keyboard.press('2');
	await expect(page.getByRole('button', { name: 'As found' })).toHaveAttribute('aria-pressed', 'true');
	await page.keyboard.press('h');
	await expect(page).toHaveURL(`${server.url}/calls/1`);
	await page.goto(`${server.url}/calls/2/prove`);
	await page.waitForLoadState('networkidle');
	await page.keyboard.press('n');
	await expect(page).not.toHaveURL(/prove/);
	for (const at of ['/', '/sums', '/practice', '/vans', '/shop', '/book', '/calls/2/dead', '/calls/2/hand-over']) {
		await page.goto(server.url + at);
		await page.waitForLoadState('networkidle');
		await page.keyboard.press('?');
		await expect(keys, at).toContainText('this page');
	}
});

test('an outlet more is put on a run of 26', async ({ page, server }) => {
	const call = await open(page, server);
	await page.goto(`${server.url}/calls/${call}`);
	await page.getByRole('button', { name: /Read and understood|Start the call/ }).first().click();
	await page.keyboard.press('r');
	await page.getByLabel('next outlet').fill('One more');
	await page.getByLabel('next outlet').press('Enter');
	await expect(page.getByRole('button', { name: /^One more, fed from/ })).toBeVisible();
});

test('metric is a setting: run, sums and steps are in it, and what is typed is too', async ({ page, server }) => {
	await page.goto(`${server.url}/practice`);
	await page.getByRole('region', { name: 'Units' }).getByRole('combobox').selectOption('metric');
	await expect(page.getByText('newton metres beside')).toBeVisible();
	await page.goto(`${server.url}/sums/drop`);
	await expect(page.getByText(/2 x 15\.2.m x/)).toBeVisible();
	await openCall(page, server, 'Bindery, upper floor');
	await expect(page.getByText(/^[\d.]+ m$/).first()).toBeVisible();
	await page.keyboard.press('r');
	await page.getByLabel('cable to here, m').fill('9.5');
	await page.getByLabel('cable to here, m').press('Enter');
	await expect(page.getByText('9.5 m', { exact: true }).first()).toBeVisible();
	const circuit = await (await page.request.get(`${server.url}/api/v1/calls/${/calls.(\d+)/.exec(page.url())?.[1]}/circuit`)).json();
	expect(circuit.cables.some((c: { feet: number }) => Math.abs(c.feet - 9.5 / 0.3048) < 1e-6)).toBe(true);
});

test('hands free through the make-up: turning on ticks nothing, what was done is said at its end', async ({ page, server }) => {
	await page.goto(`${server.url}/calls/1/boxes/B2`);
	const boxes = page.getByRole('list', { name: 'Steps' }).getByRole('checkbox');
	await page.getByRole('button', { name: 'Hands free' }).click();
	const large = page.getByRole('dialog');
	await expect(large).toContainText(/1 of \d+/);
	const n = Number(/of (\d+)/.exec(await large.innerText())?.[1]);
	for (let i = 0; i < n; i++) await page.keyboard.press(i % 2 ? 'PageDown' : ' ');
	await expect(large).toContainText(`Were all ${n} done?`);
	await large.getByRole('button', { name: 'Not all: I tick them by hand' }).click();
	await expect(boxes.first()).toBeVisible();
	expect(await boxes.evaluateAll((all) => all.filter((b) => (b as HTMLInputElement).checked && !(b as HTMLInputElement).disabled).length)).toBe(0);
});

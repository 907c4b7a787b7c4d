import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { openCall, phone, type Server, test } from '../server';

const folder = join(import.meta.dirname, '..', '..', 'docs', 'screenshots');

/** One picture of each main view, from the demo data. */
const shots: { name: string; viewport?: typeof phone; dark?: boolean; open: (page: Page, server: Server) => Promise<void> }[] = [
	{
		name: 'day',
		open: async (page, server) => {
			await page.goto(server.url);
			await page.getByRole('listitem').first().waitFor();
		},
	},
	{
		name: 'call',
		open: async (page, server) => {
			await teach(page, server);
			await openCall(page, server, 'Bindery, upper floor');
			await page.getByRole('button', { name: /^Paper store, fed from/ }).click();
		},
	},
	{ name: 'call-settled', open: (page, server) => openCall(page, server, 'Loft darkroom') },
	{ name: 'cautions', open: (page, server) => openCall(page, server, 'Aviary porch') },
	{
		name: 'run-builder',
		open: async (page, server) => {
			await openCall(page, server, 'Loft darkroom');
			await page.keyboard.press('r');
		},
	},
	{
		name: 'box-plan',
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/3/boxes/B3`);
			await page.getByRole('button', { name: /Join the neutrals of/ }).click();
		},
	},
	{
		name: 'circuit',
		viewport: { width: 1280, height: 1000 },
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/1/boxes/B3`);
			await page.getByRole('button', { name: 'To the plan' }).first().click();
			await page.getByRole('tab', { name: 'Code asks' }).click();
			await page.getByRole('button', { name: 'Plan the new circuit' }).click();
			const outlet = page.getByRole('region', { name: 'Outlet 1', exact: true });
			await outlet.getByLabel('Leg 1 goes by').selectOption('masonry');
			await outlet.getByRole('button', { name: 'It has a bend' }).click();
			await page.getByRole('region', { name: 'The panel' }).getByLabel('breaker no.').fill('18');
			await page.getByRole('button', { name: 'summed up, carries it' }).click();
			await page.getByText('breaker 18').waitFor();
			await page.evaluate(() => scrollTo(0, 0));
		},
	},
	{
		name: 'day-sheet',
		open: async (page, server) => {
			await page.goto(`${server.url}/days`);
			await page.getByRole('region', { name: 'Van 1' }).waitFor();
		},
	},
	{
		name: 'price',
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/2/price`);
			await page.getByRole('region', { name: 'Invoice' }).waitFor();
		},
	},
	{
		name: 'dead',
		open: async (page, server) => {
			const at = `${server.url}/api/v1/calls/2/journal`;
			await page.request.post(at, { data: { id: 'shot-entry-1', entry: { kind: 'traced', breaker: '4', way: 'transmitter, second pass' } } });
			await page.request.post(at, { data: { id: 'shot-entry-2', entry: { kind: 'breaker-off', secured: 'lock' } } });
			const proven = { kind: 'tester-proven', tester: 'meter and sensor', source: 'hall outlet', volts: 121 };
			await page.request.post(at, { data: { id: 'shot-entry-3', entry: proven } });
			await page.goto(`${server.url}/calls/2/dead`);
		},
	},
	{ name: 'prove', open: (page, server) => toProof(page, server, 'prove') },
	{ name: 'hand-over', viewport: { width: 1280, height: 1100 }, open: (page, server) => toProof(page, server, 'hand-over') },
	{
		name: 'site',
		dark: true,
		open: async (page, server) => {
			await page.goto(`${server.url}/book/sites/1`);
			await page.getByText('Guillotine motor').waitFor();
		},
	},
	{
		name: 'phone-customer',
		viewport: phone,
		open: async (page, server) => {
			const { path } = await (await page.request.post(`${server.url}/api/v1/calls/3/visit`)).json();
			await page.goto(server.url + path);
			await page.getByRole('button', { name: 'None of this' }).click();
			await page.getByRole('button', { name: 'Standing press: dead' }).click();
			await page.getByRole('button', { name: 'Window bench: works' }).click();
		},
	},
	{
		name: 'drill',
		open: async (page, server) => {
			await page.goto(`${server.url}/drills?theme=patterns&level=2&seed=5`);
			await page.getByRole('button', { name: 'Begin that one' }).click();
			await page.getByRole('button', { name: /Read and understood|Start the call/ }).first().click();
			await page.getByRole('link', { name: 'Breaker off, prove it dead' }).click();
			for (const step of ['Off and locked', 'Both testers on', 'at the slots', 'Both testers on', 'Device out', 'Both testers on']) {
				await page.getByRole('button', { name: step }).click();
				await page.waitForTimeout(700); // the phone's own desk answers it
			}
			await page.getByRole('link', { name: 'its wires' }).click();
			await page.getByRole('button', { name: 'Open this box' }).click();
			await page.getByRole('region', { name: 'What eyes see' }).waitFor();
			await page.getByRole('button', { name: '0.375 in' }).click();
			for (const connector of await page.getByRole('button', { name: 'for 3' }).all()) await connector.click();
			await page.getByRole('button', { name: 'Close it up, and see' }).click();
			await page.getByRole('status', { name: 'Judged' }).waitFor();
		},
	},
	{
		name: 'phone-box',
		viewport: phone,
		open: async (page, server) => {
			await page.goto(`${server.url}/calls/3/boxes/B3`);
			await page.getByRole('list', { name: 'Steps' }).waitFor();
		},
	},
	{
		name: 'phone-sweep',
		viewport: phone,
		open: async (page, server) => {
			await teach(page, server);
			await openCall(page, server, 'Bindery, upper floor');
			await page.goto(`${page.url()}/sweep`);
			await page.getByRole('button', { name: /As it should be/ }).waitFor();
		},
	},
	{
		name: 'phone-call',
		viewport: phone,
		open: async (page, server) => {
			await teach(page, server);
			await openCall(page, server, 'Bindery, upper floor');
			await page.getByRole('button', { name: /^Paper store, fed from/ }).click();
		},
	},

	{
		name: 'practice',
		open: async (page, server) => {
			await page.goto(`${server.url}/practice/practice`);
			await page.getByRole('heading', { name: 'House practice' }).waitFor();
		},
	},

];

/** The lamps of a tester, as somebody taught them. */
const teach = (page: Page, server: Server) =>
	page.request.put(`${server.url}/api/v1/lamps`, { data: { lamps: ['neutralGround', 'hotGround', 'hotNeutral'] } });

/** The darkroom's box made up, and read again but for the last readings; one differs. */
async function toProof(page: Page, server: Server, phase: string) {
	const call = `${server.url}/api/v1/calls/2`;
	const post = (id: string, entry: object) => page.request.post(`${call}/journal`, { data: { id: `shot-entry-${id}`, entry } });
	const volts = { hotNeutral: 0.1, hotGround: 0, neutralGround: 0 };
	const proven = { kind: 'tester-proven', tester: 'meter and sensor', source: 'hall outlet', volts: 121 };
	const dead = (stage: string) => ({
		kind: 'dead',
		box: 'B3',
		stage,
		dead: { top: volts, bottom: volts, topToEarth: 0, bottomToEarth: 0, sensorSilent: true },
	});
	const entries = [{ kind: 'breaker-off', secured: 'lock' }, proven, dead('installed'), proven, dead('device-out'), proven];
	for (const [i, entry] of entries.entries()) await post(String(i), entry);
	await post('found', { kind: 'found', box: 'B3', text: 'hot and neutral exchanged at the device' });
	const { box, open } = await (await page.request.get(`${call}/boxes/B3`)).json();
	await page.request.put(`${call}/boxes/B3`, { data: { ...box, mended: open } });
	const made = await page.request.post(`${call}/boxes/B3/made`);
	if (!made.ok()) throw new Error(await made.text());
	await post('on', { kind: 'breaker-on' });
	const work = await (await page.request.get(`${call}/work`)).json();
	for (const [i, check] of work.checks.slice(0, 4).entries()) {
		const reading = { ...check.predicted, state: { breakerOn: true } };
		if (i === 3) reading.lamps = { hotNeutral: 'dark', hotGround: 'lit', neutralGround: 'dark' };
		await page.request.post(`${call}/readings`, { data: { id: `shot-reading-${i}`, reading } });
	}
	await page.goto(`${server.url}/calls/2/${phase}`);
}

for (const shot of shots) {
	test(shot.name, async ({ page, server }) => {
		await page.clock.setFixedTime(new Date());
		await page.addInitScript(() => {
			for (const what of ['delta', 'weights']) localStorage.setItem(`elvat.explained.${what}`, 'yes');
		});
		await page.setViewportSize(shot.viewport ?? { width: 1280, height: 800 });
		await page.emulateMedia({ colorScheme: shot.dark ? 'dark' : 'light', reducedMotion: 'reduce' });
		await shot.open(page, server);
		await page.waitForLoadState('networkidle');
		await page.getByText('Working it out', { exact: true }).waitFor({ state: 'hidden' });
		await page.waitForTimeout(300);
		if (!shot.viewport) await page.evaluate(() => scrollTo(0, 0));
		await page.screenshot({ path: join(folder, `${shot.name}.png`) });
	});
}

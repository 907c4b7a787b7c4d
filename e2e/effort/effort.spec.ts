import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Locator, Page } from '@playwright/test';
import { expect, phone, Server, test } from '../server';

/** What a person does, counted: taps, keys, and scrolls by hand to reach what is tapped. */
class Hand {
	taps = 0;
	keys = 0;
	scrolls = 0;
	waits: number[] = [];
	log: string[] = [];

	constructor(readonly page: Page) {}

	/** Taps it; where it is not in sight, or lies under a bar, it is scrolled to first, and that counts. */
	async tap(at: Locator): Promise<void> {
		await at.waitFor({ timeout: 8000 }).catch(async (e) => {
			await this.page.screenshot({ path: '/tmp/effort.png' });
			console.log(this.log.join('\n'));
			throw e;
		});
		const seen = await at.evaluate((e) => {
			const box = e.getBoundingClientRect();
			const x = Math.min(Math.max(box.left + box.width / 2, 1), innerWidth - 1);
			const y = box.top + box.height / 2;
			if (y < 0 || y > innerHeight) return false;
			const top = document.elementFromPoint(x, y);
			return top !== null && (e.contains(top) || top.contains(e) || e.closest('label')?.contains(top) === true);
		});
		if (!seen) {
			this.scrolls++;
			await at.evaluate((e) => e.scrollIntoView({ block: 'center' }));
		}
		this.taps++;
		this.log.push(`${seen ? '' : '(scrolled) '}${(await at.getAttribute('aria-label')) ?? (await at.innerText().catch(() => '')).split('\n')[0]}`);
		// In the browser itself: from the event to the second frame after it, which shows what follows.
		await this.page.evaluate(() => {
			const kept = window as unknown as { tapTook?: Promise<number> };
			kept.tapTook = new Promise((done) => {
				window.addEventListener('click', (e) => requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - e.timeStamp))), { capture: true, once: true });
			});
		});
		await at.tap();
		const took = await this.page.evaluate(() => Promise.race([(window as unknown as { tapTook?: Promise<number> }).tapTook, new Promise<undefined>((done) => setTimeout(done, 1000))])).catch(() => undefined);
		if (took !== undefined) this.waits.push(Math.round(took));
	}

	async type(text: string): Promise<void> {
		this.keys += text.length;
		await this.page.keyboard.type(text);
	}

	async enter(): Promise<void> {
		this.keys++;
		await this.page.keyboard.press('Enter');
	}

	async pick(at: Locator, label: string): Promise<void> {
		this.taps += 2; // the list opens, an entry is tapped
		this.log.push(`pick ${label}`);
		await at.selectOption({ label });
	}

	mark() {
		return { taps: this.taps, keys: this.keys, scrolls: this.scrolls };
	}

	since(m: { taps: number; keys: number; scrolls: number }) {
		return { taps: this.taps - m.taps, keys: this.keys - m.keys, scrolls: this.scrolls - m.scrolls };
	}
}

type Spent = ReturnType<Hand['since']> & { log?: string[] };
const figures: Record<string, Spent> = {};
const waits: number[] = [];
const folder = join(import.meta.dirname, '..', '..', 'docs');

test.use({ viewport: phone, hasTouch: true, isMobile: true });

const button = (page: Page, name: string | RegExp) => page.getByRole('button', { name }).and(page.locator(':visible')).first();
const link = (page: Page, name: string | RegExp) => page.getByRole('link', { name }).and(page.locator(':visible')).first();
const idle = async (page: Page) => {
	await page.waitForLoadState('networkidle');
};

/** Does it, and waits until the server has it and the screen shows what follows. */
async function sent(page: Page, act: () => Promise<void>): Promise<void> {
	const kept = page.waitForResponse((answer) => answer.url().endsWith('/readings') && answer.ok());
	await act();
	await kept;
	await page.waitForTimeout(150);
}

/** Reads ten halves on the pad, along the run; a danger on the way is excluded first. */
async function readAll(hand: Hand, wrong: Record<string, RegExp>): Promise<void> {
	const { page } = hand;
	for (let i = 0; i < 14; i++) {
		const sound = button(page, /^Enter: as it should be/);
		const near = button(page, /^or on to/);
		await sound.or(near).or(button(page, 'Enter it')).first().waitFor({ timeout: 8000 }).catch(() => undefined);
		if (await button(page, 'Enter it').isVisible()) {
			await hand.tap(button(page, 'Enter it'));
			await sent(page, () => hand.tap(button(page, 'Enter: sensor strong at only neutral')));
		} else if (await sound.isVisible()) {
			const at = (await page.getByRole('heading', { level: 2 }).and(page.locator(':visible')).first().innerText()).trim();
			await sent(page, () => hand.tap(wrong[at] ? button(page, wrong[at]) : sound));
		} else if (await near.isVisible()) await hand.tap(near);
		else return;
		await idle(page);
	}
}

/** Answers what is asked until what is wanted stands there. */
async function settle(hand: Hand, wanted: Locator): Promise<void> {
	const { page } = hand;
	for (let i = 0; i < 6 && !(await wanted.isVisible()); i++) {
		for (const name of ['none had tripped', 'It is silent', 'Everything is unplugged', 'Enter: sensor strong at only neutral', 'Enter it']) {
			if (await button(page, name).isVisible()) {
				await hand.tap(button(page, name));
				break;
			}
		}
		await idle(page);
		await page.waitForTimeout(200);
	}
}

/** Off, testers, slots, testers, wires, testers. The source is typed where none is remembered. */
async function proveDead(hand: Hand): Promise<void> {
	const { page } = hand;
	await hand.tap(button(page, 'Off and locked'));
	const again = button(page, /^Same again/);
	await again.or(page.getByLabel('live source')).first().waitFor();
	if (await again.isVisible()) await hand.tap(again);
	else {
		await hand.tap(page.getByLabel('live source'));
		await hand.type('hall');
		await hand.tap(page.getByLabel('shows, V'));
		await hand.type('121');
		await hand.tap(button(page, /^Proven$/));
	}
	for (const _ of ['at the slots', 'at the wires']) {
		await hand.tap(button(page, 'All eight below 1 V'));
		await hand.tap(button(page, 'Silent everywhere'));
		await hand.tap(button(page, /^Same again/));
		await idle(page);
	}
}

/** The whole job of interface.md's thread, on an empty database, as somebody would do it who only presses what is next. */
test('the whole job', async ({ page }) => {
	test.setTimeout(300_000);
	const server = new Server('serve');
	await server.start();
	const hand = new Hand(page);
	try {
		await page.goto(server.url);
		await hand.tap(page.getByLabel('where'));
		await hand.type('Loft');
		await hand.tap(button(page, 'Start the call'));
		await hand.tap(button(page, /^Read\. Start/));

		// Five outlets, one of them a GFCI, and a branch.
		const name = page.getByLabel('next outlet');
		await name.waitFor();
		for (const [i, label] of ['Desk', 'GFCI', 'Sink', 'Fan', 'Bed'].entries()) {
			if (label === 'GFCI') await hand.tap(button(page, 'GFCI'));
			if (label === 'Bed') {
				await hand.tap(page.locator('summary').filter({ hasText: 'behind' }));
				await hand.pick(page.getByLabel('behind'), 'GFCI');
			}
			await hand.type(label);
			await hand.enter();
			await expect(page.getByRole('button', { name: new RegExp(`^${label}, fed from`) })).toBeVisible();
			await expect(name).toHaveValue('');
			if (i === 0) await idle(page);
		}
		await hand.tap(button(page, 'Done'));
		await idle(page);

		// Ten halves, whatever order the pad asks for them: at the GFCI hot and neutral are exchanged.
		await readAll(hand, { GFCI: /^Enter: hot and neutral reversed/ });

		// What the diagnosis asks before a cover comes off.
		await settle(hand, link(page, /Breaker off/));
		const first = hand.mark();
		await hand.tap(link(page, /Breaker off/));
		await proveDead(hand);
		figures['Dead proof, the first of the day'] = hand.since(first);
		await hand.tap(link(page, /^Look in/));
		await idle(page);
		await hand.tap(button(page, /^Reversed polarity/));
		await idle(page);
		await hand.tap(page.getByRole('button', { name: 'To the plan' }).and(page.locator(':visible')).last());
		await idle(page);
		// The plan asks what it cannot know: which room each cable serves, what hangs on it, how large the box is.
		const asked = page.getByRole('region', { name: 'Not known' });
		for (let i = 0; i < 12 && (await asked.isVisible()); i++) {
			let next = asked.getByRole('button', { name: 'workshop', exact: true }).first();
			for (const answer of ['workshop', 'none of these', '22.5 in³', 'yes', 'plain']) {
				next = asked.getByRole('button', { name: answer, exact: true }).first();
				if (await next.isVisible()) break;
			}
			const kept = page.waitForResponse((answer) => answer.url().includes('/boxes/') && answer.ok());
			await hand.tap(next);
			await kept;
			await idle(page);
		}
		await hand.tap(button(page, 'It is made up so'));
		await idle(page);
		await hand.tap(link(page, /breaker on/));
		await hand.tap(button(page, 'The breaker is on'));
		await idle(page);
		for (let i = 0; i < 20; i++) {
			const check = button(page, /^As predicted/);
			await page.waitForTimeout(150);
			if (!(await check.isVisible())) break;
			await sent(page, () => hand.tap(check));
			await idle(page);
		}
		await page.screenshot({ path: '/tmp/effort.png' });
		await hand.tap(link(page, /Hand it over/));
		await hand.tap(page.getByLabel('handed over by'));
		await hand.type('AR');
		await hand.tap(page.getByLabel('to', { exact: true }));
		await hand.type('JD');
		await hand.tap(button(page, 'Hand it over'));
		await link(page, /Next call/).waitFor();
		waits.push(...hand.waits);
		figures['The whole job'] = { ...hand.mark(), log: hand.log };
	} finally {
		await server.remove();
	}
});

/** A run of outlets in a row, by the server's own interface; the call is opened on its screen. */
async function runOf(server: Server, names: string[]): Promise<number> {
	const send = async (method: string, path: string, body: unknown) => {
		const answer = await fetch(`${server.url}/api/v1${path}`, { method, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) });
		if (!answer.ok) throw new Error(`${method} ${path}: ${await answer.text()}`);
		return (await answer.json()) as { id: number; stops: { box: string; label: string }[] };
	};
	const { id } = await send('POST', '/calls', { title: 'Aviary', complaint: '' });
	await send('POST', `/calls/${id}/cautions`, {});
	let after = 'panel';
	for (const label of names) {
		const now = await send('POST', `/calls/${id}/stops`, { after, label, ground: true });
		after = now.stops.find((s) => s.label === label)?.box ?? after;
	}
	await send('PUT', '/lamps', { lamps: ['neutralGround', 'hotGround', 'hotNeutral'] });
	return id;
}

const tenNames = ['Seeds', 'Finches', 'Incubator', 'Perch', 'Bath', 'Nest', 'Scales', 'Lamp', 'Door', 'Yard'];

test('ten halves on the pad, two of them odd', async ({ page }) => {
	const server = new Server('serve');
	await server.start();
	try {
		const id = await runOf(server, tenNames.slice(0, 5));
		const hand = new Hand(page);
		await page.goto(`${server.url}/calls/${id}`);
		await readAll(hand, { Bath: /^Enter: open ground/ });
		figures['Ten halves read'] = hand.mark();
		waits.push(...hand.waits);
	} finally {
		await server.remove();
	}
});

test('a sweep of ten sound outlets', async ({ page }) => {
	const server = new Server('serve');
	await server.start();
	try {
		const id = await runOf(server, tenNames);
		const hand = new Hand(page);
		await page.goto(`${server.url}/calls/${id}/sweep`);
		for (const name of tenNames) {
			await page.getByRole('heading', { name, level: 2 }).waitFor();
			await sent(page, () => hand.tap(button(page, /^As it should be/)));
		}
		await page.getByRole('heading', { name: 'Every outlet is read' }).waitFor();
		figures['A sweep of ten sound outlets'] = hand.mark();
		waits.push(...hand.waits);
	} finally {
		await server.remove();
	}
});

test('a dead proof, the source proven on before that day', async ({ page }) => {
	const server = new Server('demo');
	await server.start();
	try {
		const before = new Hand(page);
		await page.goto(`${server.url}/calls/2/dead?box=B3`);
		await proveDead(before);
		const hand = new Hand(page);
		await page.goto(`${server.url}/calls/3/dead?box=B2`);
		await proveDead(hand);
		figures['A dead proof, after the first of the day'] = hand.mark();
		waits.push(...hand.waits);
	} finally {
		await server.remove();
	}
});

const added: number[] = [];

test('outlets more on a run of 26', async ({ page }) => {
	const server = new Server('serve');
	await server.start();
	try {
		const id = await runOf(server, Array.from({ length: 26 }, (_, i) => `Outlet ${i + 1}`));
		await page.goto(`${server.url}/calls/${id}`);
		await page.getByRole('heading', { name: 'Aviary', level: 1 }).waitFor();
		await page.keyboard.press('r');
		const name = page.getByLabel('next outlet');
		for (const more of ['Loom', 'Kiln', 'Press', 'Saw', 'Vat']) {
			await name.fill(more);
			// From the key to the frame in which the stop is drawn.
			await page.evaluate((label) => {
				const kept = window as unknown as { drawn?: Promise<number> };
				kept.drawn = new Promise((done) => {
					const pressed = (e: KeyboardEvent) => {
						const look = () => {
							if (document.querySelector(`[aria-label^="${label}"]`)) done(performance.now() - e.timeStamp);
							else requestAnimationFrame(look);
						};
						look();
					};
					window.addEventListener('keydown', pressed, { capture: true, once: true });
				});
			}, more);
			await name.press('Enter');
			added.push(Math.round((await page.evaluate(() => (window as unknown as { drawn?: Promise<number> }).drawn)) ?? 0));
			await page.waitForTimeout(1500); // a hand takes as long to the next one
		}
	} finally {
		await server.remove();
	}
});

/** What the figures are held against: issue-wide promises of the product, kept in docs/effort.md. */
const promised: Record<string, Partial<Spent>> = {
	'The whole job': { taps: 60, keys: 60, scrolls: 0 },
	'Ten halves read': { taps: 12, scrolls: 0 },
	'A dead proof, after the first of the day': { taps: 8, keys: 0 },
	'A sweep of ten sound outlets': { taps: 10 },
};

test.afterAll(() => {
	const rows = Object.entries(figures).map(([what, n]) => {
		const p = promised[what];
		const of = (k: 'taps' | 'keys' | 'scrolls') => `${n[k]}${p?.[k] === undefined ? '' : ` (${p[k]})`}`;
		return `| ${what} | ${of('taps')} | ${of('keys')} | ${of('scrolls')} |`;
	});
	if (rows.length < 5) return; // some did not end: what is written stays
	waits.sort((a, b) => a - b);
	const at = (share: number) => waits[Math.floor(share * (waits.length - 1))];
	const log = figures['The whole job']?.log ?? [];
	writeFileSync(
		join(folder, 'effort.md'),
		`# What a job costs the hand

Written by \`make effort\` (\`e2e/effort\`), which does each job in the real browser on a phone's screen
(390 x 844, by touch) and counts taps, keys typed, and scrolls by hand to reach what is tapped. A choice from a
list counts two taps. What is promised stands in brackets.

| job | taps | keys | scrolls |
|---|---|---|---|
${rows.join('\n')}

The whole job: a new call on an empty database, five outlets with a branch and a GFCI drawn, ten halves read (at the
GFCI hot and neutral exchanged, so that its ground pin is excluded by the sensor first), breaker off, proven dead at the
slots and at the wires, what it was, the box of three cables made up with its new GFCI, proven by ten readings, handed
over.

From a tap to the frame that shows what follows, in the browser: p50 ${at(0.5)} ms, p95 ${at(0.95)} ms,
${waits.length} taps. An outlet more on a run of 26, from Enter to the frame that shows it on the run: ${added.sort((a, b) => a - b).join(', ')} ms (300).

## Every tap of the whole job

${log.map((l, i) => `${i + 1}. ${l.replace(/, hot to neutral.*|: hot to neutral.*/, '')}`).join('\n')}
`,
	);
});

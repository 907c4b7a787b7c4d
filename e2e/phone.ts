import { expect, type Page } from '@playwright/test';

/** Waits until the application lies on the phone, and with it what it needs to go on without a signal. */
export async function synced(page: Page): Promise<void> {
	await page.evaluate(() => navigator.serviceWorker.ready.then(() => true));
	await expect
		.poll(
			() =>
				page.evaluate(
					() =>
						new Promise((done) => {
							const asked = indexedDB.open('elvat-phone');
							asked.onerror = () => done(undefined);
							asked.onsuccess = () => {
								const db = asked.result;
								if (!db.objectStoreNames.contains('rest')) return done(undefined);
								const one = db.transaction('rest').objectStore('rest').get('synced');
								one.onsuccess = () => {
									db.close();
									done(one.result);
								};
							};
						}),
				),
			{ timeout: 60_000 },
		)
		.toBeTruthy();
}

/** Leads the page there without loading it anew. */
export const lead = (page: Page, path: string) =>
	page.evaluate((to) => {
		history.pushState({}, '', to);
		dispatchEvent(new PopStateEvent('popstate', { state: {} }));
	}, path);

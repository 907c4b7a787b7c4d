/// <reference lib="webworker" />
import { ExpirationPlugin } from 'workbox-expiration';
import { cleanupOutdatedCaches, createHandlerBoundToURL, precacheAndRoute } from 'workbox-precaching';
import { NavigationRoute, registerRoute } from 'workbox-routing';
import { NetworkFirst } from 'workbox-strategies';
import { open, type Picture } from './phone/shelf';

declare const self: ServiceWorkerGlobalScope;

// The application itself, so that it starts without a signal; what it shows is the phone's own.
precacheAndRoute(self.__WB_MANIFEST);
cleanupOutdatedCaches();
registerRoute(new NavigationRoute(createHandlerBoundToURL('/index.html'), { denylist: [/^\/api\//, /^\/trust/] }));

// Pictures of a call: those taken here are here until the shop has them; others as they were last seen.
const seen = new NetworkFirst({
	cacheName: 'elvat-pictures',
	networkTimeoutSeconds: 5,
	plugins: [new ExpirationPlugin({ maxEntries: 80, maxAgeSeconds: 14 * 24 * 3600, purgeOnQuotaError: true })],
});

async function shown(event: ExtendableEvent, request: Request, find: () => Promise<Picture | undefined>) {
	const own = await find().catch(() => undefined);
	const answer = () => new Response(own?.bytes, { headers: { 'Content-Type': own?.bytes.type || 'image/jpeg' } });
	if (own && !own.sent) return answer();
	try {
		return await seen.handle({ event, request });
	} catch (error) {
		if (own) return answer(); // a small one
		throw error;
	}
}

registerRoute(
	({ url }) => /^\/api\/v1\/calls\/-?\d+\/pictures\/[^/]+$/.test(url.pathname),
	({ event, request, url }) =>
		shown(event, request, async () => (await open()).get('pictures', url.pathname.split('/').at(-1) ?? '')),
);
registerRoute(
	({ url }) => /^\/api\/v1\/calls\/-?\d+\/boxes\/[^/]+\/photograph$/.test(url.pathname),
	({ event, request, url }) =>
		shown(event, request, async () => {
			const [, , , , call, , box] = url.pathname.split('/');
			const all = await (await open()).getAll('pictures');
			const here = all.filter(
				(p) => p.call === Number(call) && p.box === decodeURIComponent(box ?? '') && p.phase === 'pulled',
			);
			return here.sort((a, b) => a.madeAt.localeCompare(b.madeAt)).at(-1);
		}),
);

// What only the shop makes, such as papers, opened without a signal: why it does not come, and not the browser's error.
const why =
	'<!doctype html><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Elvat</title><body style="font:1.2rem sans-serif;margin:2rem"><p>There is no signal, and this is made by the shop. Nothing is lost: go back, and open it again when there is one.</p>';
registerRoute(
	({ request, url }) => request.mode === 'navigate' && url.pathname.startsWith('/api/'),
	({ request }) =>
		fetch(request).catch(
			() => new Response(why, { status: 503, headers: { 'Content-Type': 'text/html; charset=utf-8' } }),
		),
);

// A new version waits until somebody takes it: between calls, never in the middle of one.
self.addEventListener('message', (e) => {
	if (e.data?.type === 'SKIP_WAITING') void self.skipWaiting();
});

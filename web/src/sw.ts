/// <reference lib="webworker" />
import { cleanupOutdatedCaches, createHandlerBoundToURL, precacheAndRoute } from 'workbox-precaching';
import { NavigationRoute, registerRoute } from 'workbox-routing';

declare const self: ServiceWorkerGlobalScope;

// The application itself, so that it starts without a signal; what it shows is the phone's own.
precacheAndRoute(self.__WB_MANIFEST);
cleanupOutdatedCaches();
registerRoute(new NavigationRoute(createHandlerBoundToURL('/index.html'), { denylist: [/^\/api\//] }));

// A new version waits until somebody takes it: between calls, never in the middle of one.
self.addEventListener('message', (e) => {
	if (e.data?.type === 'SKIP_WAITING') void self.skipWaiting();
});

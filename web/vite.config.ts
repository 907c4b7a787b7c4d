import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, constants } from 'node:zlib';
import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig, type Plugin } from 'vite';
import { VitePWA } from 'vite-plugin-pwa';

/** The phone's module is sent packed: a sixth of its size. */
function packed(): Plugin {
	return {
		name: 'packed-module',
		apply: 'build',
		writeBundle(options, bundle) {
			for (const name of Object.keys(bundle)) {
				if (!name.endsWith('.wasm') || !options.dir) continue;
				const file = join(options.dir, name);
				// The last step of quality costs half a minute for a fiftieth of the size: it is for releases.
				const quality = Number(process.env.BROTLI ?? 9);
				writeFileSync(
					`${file}.br`,
					brotliCompressSync(readFileSync(file), {
						params: { [constants.BROTLI_PARAM_QUALITY]: quality, [constants.BROTLI_PARAM_LGWIN]: 24 },
					}),
				);
			}
		},
	};
}

export default defineConfig({
	plugins: [
		react(),
		tailwindcss(),
		packed(),
		VitePWA({
			strategies: 'injectManifest',
			srcDir: 'src',
			filename: 'sw.ts',
			registerType: 'prompt',
			injectRegister: null,
			manifest: {
				name: 'Elvat',
				short_name: 'Elvat',
				description: 'Service calls: find the box, make it up, prove it. Works without a signal.',
				display: 'standalone',
				start_url: '/',
				background_color: '#f5f2ea',
				theme_color: '#f5f2ea',
				icons: [
					{ src: '/icons/icon-192.png', sizes: '192x192', type: 'image/png' },
					{ src: '/icons/icon-512.png', sizes: '512x512', type: 'image/png' },
					{ src: '/icons/mask-512.png', sizes: '512x512', type: 'image/png', purpose: 'maskable' },
				],
			},
			injectManifest: { globPatterns: ['**/*.{js,css,html,svg,png,woff2,ttf,wasm}'], maximumFileSizeToCacheInBytes: 20e6 },
		}),
	],
	worker: { format: 'es' },
	build: { outDir: 'dist', emptyOutDir: false, assetsInlineLimit: 0 },
	server: { proxy: { '/api': 'http://127.0.0.1:8181' } },
});

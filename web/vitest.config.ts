import { defineConfig } from 'vitest/config';

export default defineConfig({
	test: { setupFiles: ['src/test/network.ts'], environment: 'jsdom', environmentOptions: { jsdom: { url: 'http://localhost/' } } },
});

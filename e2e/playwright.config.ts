import { existsSync } from 'node:fs';
import { defineConfig } from '@playwright/test';

// Debian's Chromium without a window takes two thirds of the time of the one with.
const shell = '/usr/bin/chromium-headless-shell';

/** Kept from talking to anything but the server under test. */
const launchOptions = {
	executablePath: existsSync(shell) ? shell : '/usr/bin/chromium',
	args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
};

// A trace of every test takes a fifth of the time: TRACE=1 asks for those of failures.
export default defineConfig({
	outputDir: 'test-results',
	reporter: [['list']],
	timeout: 120_000,
	expect: { timeout: 30_000 },
	workers: 3,
	fullyParallel: true,
	// A machine may stall once; what holds only at the second try is listed as flaky, and is to be looked into.
	retries: 1,
	forbidOnly: true,
	// The application from the server, not from a phone's store: what is without a signal says so itself.
	use: { launchOptions, serviceWorkers: 'block', viewport: { width: 1280, height: 800 }, trace: process.env.TRACE ? 'retain-on-failure' : 'off' },
	projects: [
		{ name: 'tests', testDir: 'tests' },
		{ name: 'shots', testDir: 'shots', fullyParallel: false, use: { serviceWorkers: 'allow' } },
		{ name: 'latency', testDir: 'latency', fullyParallel: false },
		{ name: 'effort', testDir: 'effort', fullyParallel: false },
	],
});

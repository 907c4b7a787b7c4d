// Times the first diagnosis of a run of nine outlets that was just drawn, from nothing, by the module of the phone.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

const folder = join(import.meta.dirname, '..', '..', 'web', 'src', 'phone');
await import(join(folder, 'wasm_exec.js'));
const code = readFileSync(join(folder, 'phone.wasm'));

const suspects = [];
const whole = [];
const tap = [];
for (let round = 0; round < 7; round++) {
	const go = new Go();
	const { instance } = await WebAssembly.instantiate(code, go.importObject);
	go.run(instance);
	elvat('begin', JSON.stringify({ device: 'bench-phone', person: '', role: '' }));
	elvat('share', JSON.stringify({ shop: '', settings: {}, stock: [] }));
	let n = 0;
	const ask = (method, path, body) => {
		const command = `bench-${round}-${String(++n).padStart(6, '0')}`;
		const request = { method, path: `/api/v1/${path}`, command, body: body && Buffer.from(JSON.stringify(body)).toString('base64') };
		const start = performance.now();
		const text = elvat('ask', JSON.stringify(request));
		return { took: performance.now() - start, body: JSON.parse(text.slice(text.indexOf('\n') + 1)) };
	};
	const call = `calls/${ask('POST', 'calls', { title: 'Glass house', complaint: 'dead' }).body.id}`;
	let after = 'panel';
	let outlet = '';
	for (let i = 0; i < 9; i++) {
		const stop = ask('POST', `${call}/stops`, { after, label: `Bench ${i}`, ground: true }).body.stops.find((s) => s.label === `Bench ${i}`);
		after = stop.box;
		outlet = stop.devices[0].id;
	}
	const first = ask('GET', call);
	const second = ask('GET', call);
	if (!first.body.pending || second.body.pending) throw new Error('not answered in two halves');
	suspects.push(first.took);
	whole.push(first.took + second.took);
	const lamps = { hotNeutral: 'dark', hotGround: 'dark', neutralGround: 'dark' };
	tap.push(ask('POST', `${call}/readings`, { id: `bench-reading-${round}`, reading: { at: outlet, half: 'top', tool: 'plug', lamps } }).took);
}
const figures = (what, took) => {
	const sorted = [...took].sort((a, b) => a - b);
	console.log(`nine stops from nothing, ${what}: p50 ${sorted[sorted.length >> 1].toFixed(0)} ms, most ${sorted.at(-1).toFixed(0)} ms`);
};
figures('suspects', suspects);
figures('with the next move', whole);
figures('one reading more', tap);
process.exit(0);

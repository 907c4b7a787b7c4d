import { describe, expect, test } from 'vitest';
import { filled, rendered } from './language';
import { minutes, numberIn, percent, percentParts } from './words';

describe('figures in words', () => {
	test.each([
		[1, '>99 %'],
		[0.995, '>99 %'],
		[0.5, '50 %'],
		[0.004, '<1 %'],
	])('a probability of %f is %s: never certain', (p, words) => {
		expect(percent(p)).toBe(words);
		expect(percentParts(p).join(' ')).toBe(words);
	});

	test.each([
		[0.4, 'under a minute'],
		[1.1, 'about 1 minute'],
		[2.3, 'about 2.5 minutes'],
	])('%f minutes are %s', (m, words) => expect(minutes(m)).toBe(words));

	test.each([
		['12,5', 12.5],
		[' 7 ', 7],
		['', Number.NaN],
		['a', Number.NaN],
	])('%j typed is %f', (typed, value) => expect(numberIn(typed)).toBe(value));
});

describe('sentences with values', () => {
	test.each([
		['%[1]s of %[2]s', [2, 5], '2 of 5'],
		['%[2]s before %[1]s', ['a', 'b'], 'b before a'],
		['no value', [1], 'no value'],
		['%[1]s', [], ''],
	])('%j with %j', (text, values, want) => expect(filled(text, values)).toBe(want));

	const spanish = { land: '%[1]s en %[2]s', green: 'el verde', 'list.and': '%[1]s y %[2]s' };
	const list = (...all: string[]) => ({ code: 'list.and', values: all.map((text) => ({ text })) });
	test.each([
		[{ text: 'W2' }, 'W2'],
		[{}, ''],
		[{ code: 'land', values: [{ text: 'W1' }, { code: 'green' }] }, 'W1 en el verde'],
		[{ code: 'land', values: [list('W1', 'W2', 'W3'), list('a')] }, 'W1, W2 y W3 en a'],
		[list(), ''],
		[{ code: 'unknown' }, 'unknown'],
	])('%j is said', (said, want) => expect(rendered(spanish, said)).toBe(want));
});

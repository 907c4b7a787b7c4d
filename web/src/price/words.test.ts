import { describe, expect, it } from 'vitest';
import { centsIn, money, percentOf } from './words';

describe('money', () => {
	it.each([
		['85', 8500],
		['85.5', 8550],
		['85,50', 8550],
		['1,234.50', 123450],
		['0', 0],
		['', Number.NaN],
		['-5', Number.NaN],
		['1.234', Number.NaN],
		['ten', Number.NaN],
	])('%s typed', (typed, cents) => expect(centsIn(typed)).toBe(cents));
	it('is written', () => {
		expect(money(123450)).toBe('$1,234.50');
		expect(money(-99)).toBe('-$0.99');
		expect(percentOf(825)).toBe('8.25 %');
	});
});

import { expect, test } from 'vitest';
import { isFinal } from './final';

// What a status means: RFC 9110, 15.5 and 15.6; 425 RFC 8470, 429 RFC 6585.
test.each([
	[200, false],
	[400, true],
	[401, false], // signed in again, the same is taken
	[403, true],
	[404, true],
	[408, false],
	[409, true],
	[421, false], // it was asked of a machine that does not serve this shop
	[422, true],
	[425, false],
	[429, false],
	[500, false],
	[503, false], // a shop that is closed for a while
])('%d is for good: %s', (status, final) => {
	expect(isFinal(status)).toBe(final);
});

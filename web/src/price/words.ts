/** Money as it is written: cents as 1,234.50. */
export function money(cents: number, currency = 'USD'): string {
	return new Intl.NumberFormat('en-US', { style: 'currency', currency }).format(cents / 100);
}

/** Hundredths of a percent as people write them. */
export const percentOf = (basis: number) => `${basis / 100} %`;

/** What was typed in units of the currency, in cents; NaN where it is no amount. */
export function centsIn(typed: string): number {
	const text = typed
		.trim()
		.replace(/,(?=\d{3}\b)/g, '')
		.replace(',', '.');
	if (!/^\d+(\.\d{0,2})?$/.test(text)) return Number.NaN;
	return Math.round(Number(text) * 100);
}

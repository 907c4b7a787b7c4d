/** A name no other reading has; it lets a reading be sent again without being entered twice. */
export function newID(): string {
	return Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, '0')).join('');
}

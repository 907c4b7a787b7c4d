import { vi } from 'vitest';

/** Stands in for the network: what each request is answered with is the test's to say. */
export const network = vi.fn<(request: Request) => Response | Promise<Response>>();

// The client takes hold of fetch when it is made, and a browser resolves paths against
// the page's address, which Node does not.
globalThis.fetch = async (input) => network(input as Request);
const Plain = globalThis.Request;
globalThis.Request = class extends Plain {
	constructor(input: RequestInfo | URL, init?: RequestInit) {
		super(typeof input === 'string' ? new URL(input, 'http://localhost/') : input, init);
	}
};

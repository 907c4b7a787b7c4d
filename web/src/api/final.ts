/**
 * Whether a refusal is for good: to send it again would bring the same. Otherwise it is worth another try: 421 says that
 * the machine is another shop's, as while one is being moved.
 */
export const isFinal = (status: number): boolean =>
	status >= 400 && status < 500 && ![401, 408, 421, 425, 429].includes(status);

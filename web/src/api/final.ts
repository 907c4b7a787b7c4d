/** Whether a refusal is for good: to send it again would bring the same. Otherwise it is worth another try. */
export const isFinal = (status: number): boolean =>
	status >= 400 && status < 500 && ![401, 408, 425, 429].includes(status);

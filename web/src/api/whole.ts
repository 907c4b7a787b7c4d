/**
 * The answer once all of its body is here. One that was cut off, or that says well done with nothing behind it, is as if
 * the shop had not answered: what was asked is asked again under its id.
 */
export async function whole(answer: Response): Promise<Response> {
	if (!answer.ok || answer.status === 204) return answer;
	const body = await answer.clone().arrayBuffer();
	if (body.byteLength === 0) throw new TypeError('The answer was cut off.');
	return answer;
}

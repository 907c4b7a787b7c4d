// Whether the browser gives this connection what it gives a trusted one: a worker of the page.
// A warning that somebody clicked away is not enough for that, which is the point.
const verdict = document.getElementById('verdict');
const say = (so) => {
	const { yes, no, open, why } = verdict.dataset;
	verdict.replaceChildren();
	const words = document.createElement('b');
	words.textContent = so ? yes : no;
	verdict.append(words, ' ');
	if (so) {
		const link = document.createElement('a');
		link.href = '/';
		link.textContent = open;
		verdict.append(link);
	} else verdict.append(why);
	verdict.dataset.trusted = so ? 'yes' : 'no';
};
if (!('serviceWorker' in navigator)) say(false);
else
	navigator.serviceWorker
		.register('/trust/check.js', { scope: '/trust/check/' })
		.then((it) => it.unregister())
		.then(
			() => say(true),
			() => say(false),
		);

import { type ReactNode, useEffect, useState, useSyncExternalStore } from 'react';
import { Button } from '../ui/Button';
import { Part } from '../ui/Page';
import { dayOf, timeOf } from '../ui/words';
import { installed } from './Install';
import { able, now, sync, unsent, watch } from './phone';

/** Why this browser cannot go on without a signal; nothing where it can. */
function whyNot(unkept?: boolean): ReactNode {
	if (!isSecureContext || unkept)
		return (
			<>
				The browser does not trust the connection: over plain http on a network name, or with a certificate that this
				phone does not know, it keeps no application. <a href="/trust">Make this phone trust the shop</a>, where the
				shop has an authority of its own (<code>elvat tls</code>).
			</>
		);
	if (!able()) return 'This browser has no store or no WebAssembly, or keeps nothing in a private window.';
	return undefined;
}

/** What lies on this phone, and whether it stays there. */
export function ThisPhone() {
	const lying = useSyncExternalStore(watch, now);
	const [room, setRoom] = useState<{ used: number; stays: boolean } | null>(null);
	const [asked, setAsked] = useState(false);
	const why = whyNot(lying.unkept);
	const can = !why;
	useEffect(() => {
		if (!can || !navigator.storage?.estimate) return;
		void Promise.all([navigator.storage.estimate(), navigator.storage.persisted()]).then(([{ usage }, stays]) =>
			setRoom({ used: usage ?? 0, stays }),
		);
	}, [can]);
	return (
		<Part title="This phone">
			<p className="m-0 text-lg">
				{why ? (
					<b>Works with a signal only.</b>
				) : lying.synced ? (
					<>
						Goes on without a signal. All was with the shop{' '}
						<b>
							{dayOf(lying.synced)}, {timeOf(lying.synced)}
						</b>
					</>
				) : (
					'Gets the calls in hand from the shop, to go on without a signal.'
				)}
			</p>
			{why && <p className="m-0 text-soft">{why}</p>}
			{!why && (
				<>
					<p className="m-0 text-soft">
						{unsent(lying) === 0 ? 'Nothing waits.' : `${unsent(lying)} not sent yet.`}
						{room && ` ${(room.used / 1e6).toFixed(0)} MB used here.`}{' '}
						{room?.stays
							? 'The browser keeps it until you remove it.'
							: asked
								? 'The browser may clear it when room is short: it did not agree to keep it. It does so sooner once Elvat is installed on the home screen.'
								: 'The browser may clear it when room is short.'}
					</p>
					{!installed() && (
						<p className="m-0 text-soft">
							On the home screen it starts like any application: in the browser’s menu, “Install” or “Add to home
							screen”.
						</p>
					)}
					<div className="flex flex-wrap gap-2">
						<Button onClick={() => void sync()}>Hold against the shop now</Button>
						{room && !room.stays && (
							<Button
								onClick={() =>
									void navigator.storage.persist().then((stays) => {
										setAsked(true);
										setRoom({ ...room, stays });
									})
								}
							>
								Ask the browser to keep it
							</Button>
						)}
					</div>
				</>
			)}
		</Part>
	);
}

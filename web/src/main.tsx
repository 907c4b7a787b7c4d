import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { lazy, StrictMode, Suspense } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Route, Routes } from 'react-router';
import { Refused } from './api/client';
import { BookScreen } from './book/BookScreen';
import { RunScreen } from './book/RunScreen';
import { SiteScreen } from './book/SiteScreen';
import { BoxScreen } from './box/BoxScreen';
import { CallScreen } from './calls/CallScreen';
import { Day } from './calls/Day';
import { WaitingBar } from './outbox/WaitingBar';
import { keepOffer } from './phone/Install';
import { PhoneBar } from './phone/PhoneBar';
import { PracticeScreen } from './practice/PracticeScreen';
import { InvoicesScreen } from './price/Invoices';
import { PriceScreen } from './price/PriceScreen';
import { GuardScreen, ResultScreen } from './result/ResultScreen';
import { ShopScreen } from './shop/ShopScreen';
import { MeScreen, SignedIn } from './shop/SignIn';
import { VansScreen } from './shop/VansScreen';
import { SumsScreen } from './sums/SumsScreen';
import { SweepScreen } from './sweep/SweepScreen';
import './styles.css';
import { CircuitScreen } from './circuit/CircuitScreen';
import { DaySheet } from './day/DaySheet';
import { DeadScreen } from './dead/DeadScreen';
import { PassphraseAgain } from './door/PassphraseAgain';
import { DrillsScreen } from './drill/DrillsScreen';
import { PeopleScreen } from './drill/PeopleScreen';
import { SchoolScreen } from './drill/SchoolScreen';
import { ScoreScreen } from './drill/ScoreScreen';
import { Arrived, FocusKeeper, SkipLink } from './ui/Arrived';
import { Keys } from './ui/Keys';
import { followTheme } from './ui/theme';
import { Working } from './ui/Working';
import { VisitScreen } from './visit/VisitScreen';
import { HandOverScreen } from './work/HandOverScreen';
import { ProveScreen } from './work/ProveScreen';

followTheme();
keepOffer();

// Read seldom, and with pictures: fetched when it is opened.
const GuideScreen = lazy(() => import('./guide/GuideScreen'));

// Whether there is a network is found out by trying: what is entered without one has to reach the outbox.
const queries = new QueryClient({
	defaultOptions: {
		queries: {
			refetchOnWindowFocus: true,
			staleTime: 2000,
			networkMode: 'always',
			retry: (tries, error) => !(error instanceof Refused && error.status < 500) && tries < 3,
		},
		mutations: { networkMode: 'always' },
	},
});

const root = document.getElementById('root');
if (root) {
	createRoot(root).render(
		<StrictMode>
			<QueryClientProvider client={queries}>
				<Working />
				<BrowserRouter>
					<SkipLink />
					<Arrived />
					<FocusKeeper />
					<Keys />
					<PassphraseAgain />
					<SignedIn>
						<WaitingBar />
						<PhoneBar />
						<Routes>
							<Route path="/visit/:token" element={<VisitScreen />} />
							<Route path="/result/:token" element={<ResultScreen />} />
							<Route path="/gfci/:token" element={<GuardScreen />} />
							<Route path="/book" element={<BookScreen />} />
							<Route path="/book/sites/:site" element={<SiteScreen />} />
							<Route path="/book/runs/:run" element={<RunScreen />} />
							<Route path="/vans" element={<VansScreen />} />
							<Route path="/shop" element={<ShopScreen />} />
							<Route path="/me" element={<MeScreen />} />
							<Route path="/calls/:call" element={<CallScreen />} />
							<Route path="/calls/:call/dead" element={<DeadScreen />} />
							<Route path="/calls/:call/prove" element={<ProveScreen />} />
							<Route path="/calls/:call/hand-over" element={<HandOverScreen />} />
							<Route path="/calls/:call/sweep" element={<SweepScreen />} />
							<Route path="/calls/:call/boxes/:box" element={<BoxScreen />} />
							<Route path="/days/:date?" element={<DaySheet />} />
							<Route path="/drills" element={<DrillsScreen />} />
							<Route path="/drills/people" element={<PeopleScreen />} />
							<Route path="/school" element={<SchoolScreen />} />
							<Route path="/calls/:call/drill" element={<ScoreScreen />} />
							<Route path="/invoices" element={<InvoicesScreen />} />
							<Route path="/calls/:call/price" element={<PriceScreen />} />
							<Route path="/calls/:call/circuit/:run" element={<CircuitScreen />} />
							<Route path="/sums/:sum?" element={<SumsScreen />} />
							<Route
								path="/guide/:page?"
								element={
									<Suspense fallback={<main className="p-6">Opening the guide</main>}>
										<GuideScreen />
									</Suspense>
								}
							/>
							<Route path="/practice/:part?" element={<PracticeScreen />} />
							<Route path="*" element={<Day />} />
						</Routes>
					</SignedIn>
				</BrowserRouter>
			</QueryClientProvider>
		</StrictMode>,
	);
}

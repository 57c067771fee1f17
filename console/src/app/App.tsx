import { QueryClientProvider } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useSyncExternalStore } from 'react';
import { Route, Switch, useLocation } from 'wouter';
import { keys } from '@/api/keys';
import { leave, stayAt } from '@/api/presence';
import { queries } from '@/api/queryClient';
import { asked, token } from '@/api/token';
import { startFeed, watchWhileAway } from '@/features/calls';
import { ServicePage, ServicesPage } from '@/features/services';
import { notify } from '@/ui/Notices';
import { FaultBoundary } from './FaultBoundary';
import { LogIn } from './LogIn';
import { NoPage } from './NoPage';
import { Shell } from './Shell';

// pages that are not the first one of most visits are fetched when they are opened
const ActivityPage = lazy(() =>
  import('@/features/activity/ActivityPage').then((m) => ({ default: m.ActivityPage })),
);
const ApiPage = lazy(() => import('@/features/docs/ApiPage').then((m) => ({ default: m.ApiPage })));
const CallsPage = lazy(() => import('@/features/calls/CallsPage').then((m) => ({ default: m.CallsPage })));
const DocsPage = lazy(() => import('@/features/docs/DocsPage').then((m) => ({ default: m.DocsPage })));
const LanesPage = lazy(() => import('@/features/lanes/LanesPage').then((m) => ({ default: m.LanesPage })));
const MappingPages = lazy(() =>
  import('@/features/mappings/MappingPage').then((m) => ({ default: m.MappingPages })),
);
const RetriesPage = lazy(() =>
  import('@/features/retries/RetriesPage').then((m) => ({ default: m.RetriesPage })),
);
const ScenariosPage = lazy(() =>
  import('@/features/scenarios/ScenariosPage').then((m) => ({ default: m.ScenariosPage })),
);
const TokensPage = lazy(() =>
  import('@/features/tokens/TokensPage').then((m) => ({ default: m.TokensPage })),
);
const WalkPage = lazy(() => import('@/features/walks/WalkPage').then((m) => ({ default: m.WalkPage })));
const VariablesPage = lazy(() =>
  import('@/features/variables/VariablesPage').then((m) => ({ default: m.VariablesPage })),
);

/** What failed and nobody waited for is told, instead of standing in the browser's console alone. */
function tellUnhandled() {
  const tell = ({ reason }: PromiseRejectionEvent) =>
    notify(`That failed: ${reason instanceof Error ? reason.message : reason}`);
  addEventListener('unhandledrejection', tell);
  return () => removeEventListener('unhandledrejection', tell);
}

/** A part of an address as it was before it was escaped. */
const plain = decodeURIComponent;

export function App({ refused }: { refused: string }) {
  const wanted = useSyncExternalStore(asked.subscribe, asked.get);
  const secret = useSyncExternalStore(token.subscribe, token.get);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another token sees other calls
  useEffect(() => {
    if (wanted) return;
    return startFeed(() => {
      void queries.invalidateQueries({ queryKey: keys.activity() });
      void queries.invalidateQueries({ queryKey: keys.callDetails() }); // they tell what was changed since
    });
  }, [wanted, secret]);
  useEffect(tellUnhandled, []);
  useEffect(watchWhileAway, []);
  const [page] = useLocation();
  useEffect(() => (wanted ? undefined : stayAt(page)), [wanted, page]);
  useEffect(() => {
    addEventListener('pagehide', leave);
    return () => removeEventListener('pagehide', leave);
  }, []);
  if (wanted)
    return (
      <QueryClientProvider client={queries}>
        <LogIn refused={refused} />
      </QueryClientProvider>
    );
  return (
    <QueryClientProvider client={queries}>
      <Shell>
        <FaultBoundary page={page}>
          <Suspense fallback={<p className="p-5 text-dim">Opening the page …</p>}>
            <Switch>
              <Route path="/" component={ServicesPage} />
              <Route path="/services/:service/docs/:operation?">
                {({ service, operation }) => (
                  <DocsPage service={plain(service)} operation={operation && plain(operation)} />
                )}
              </Route>
              <Route path="/services/:service/mappings">
                {({ service }) => <MappingPages service={plain(service)} />}
              </Route>
              <Route path="/services/:service/mappings/:id">
                {({ service, id }) => <MappingPages service={plain(service)} id={plain(id)} />}
              </Route>
              <Route path="/services/:service/:room?">
                {({ service, room }) => <ServicePage key={service} name={plain(service)} room={room} />}
              </Route>
              <Route path="/calls">{() => <CallsPage />}</Route>
              <Route path="/scenarios" component={ScenariosPage} />
              <Route path="/walks/:walk">{({ walk }) => <WalkPage key={walk} name={plain(walk)} />}</Route>
              <Route path="/lanes" component={LanesPage} />
              <Route path="/variables" component={VariablesPage} />
              <Route path="/tokens" component={TokensPage} />
              <Route path="/activity" component={ActivityPage} />
              <Route path="/retries" component={RetriesPage} />
              <Route path="/reference/:operation?">
                {({ operation }) => <ApiPage operation={operation && plain(operation)} />}
              </Route>
              <Route component={NoPage} />
            </Switch>
          </Suspense>
        </FaultBoundary>
      </Shell>
    </QueryClientProvider>
  );
}

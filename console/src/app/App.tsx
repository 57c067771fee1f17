import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { useEffect } from 'react';
import { Route, Switch, useLocation } from 'wouter';
import { CallsPage, startFeed } from '@/features/calls';
import { DocsPage } from '@/features/docs';
import { LanesPage } from '@/features/lanes';
import { MappingPage, NewMappingPage } from '@/features/mappings';
import { RetriesPage } from '@/features/retries';
import { ScenariosPage } from '@/features/scenarios';
import { ServicePage, ServicesPage } from '@/features/services';
import { notify } from '@/ui/Notices';
import { FaultBoundary } from './FaultBoundary';
import { NoPage } from './NoPage';
import { Shell } from './Shell';

const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 1_000 } } });

/** What failed and nobody waited for is told, instead of standing in the browser's console alone. */
function tellUnhandled() {
  const tell = ({ reason }: PromiseRejectionEvent) =>
    notify(`That failed: ${reason instanceof Error ? reason.message : reason}`);
  addEventListener('unhandledrejection', tell);
  return () => removeEventListener('unhandledrejection', tell);
}

export function App() {
  useEffect(startFeed, []);
  useEffect(tellUnhandled, []);
  const [page] = useLocation();
  return (
    <QueryClientProvider client={queries}>
      <Shell>
        <FaultBoundary page={page}>
          <Switch>
            <Route path="/" component={ServicesPage} />
            <Route path="/services/:service">
              {({ service }) => <ServicePage key={service} name={service} />}
            </Route>
            <Route path="/services/:service/docs/:operation?">
              {({ service, operation }) => (
                <DocsPage
                  service={decodeURIComponent(service)}
                  operation={operation && decodeURIComponent(operation)}
                />
              )}
            </Route>
            <Route path="/services/:service/mappings">
              {({ service }) => <NewMappingPage service={service} />}
            </Route>
            <Route path="/services/:service/mappings/:id">
              {({ service, id }) => <MappingPage key={id} service={service} id={id} />}
            </Route>
            <Route path="/calls" component={CallsPage} />
            <Route path="/scenarios" component={ScenariosPage} />
            <Route path="/lanes" component={LanesPage} />
            <Route path="/retries" component={RetriesPage} />
            <Route component={NoPage} />
          </Switch>
        </FaultBoundary>
      </Shell>
    </QueryClientProvider>
  );
}

import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { useEffect } from 'react';
import { Route, Switch } from 'wouter';
import { CallsPage, startFeed } from '@/features/calls';
import { DocsPage } from '@/features/docs';
import { LanesPage } from '@/features/lanes';
import { MappingPage, NewMappingPage } from '@/features/mappings';
import { RetriesPage } from '@/features/retries';
import { ScenariosPage } from '@/features/scenarios';
import { ServicePage, ServicesPage } from '@/features/services';
import { NoPage } from './NoPage';
import { Shell } from './Shell';

const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 1_000 } } });

export function App() {
  useEffect(startFeed, []);
  return (
    <QueryClientProvider client={queries}>
      <Shell>
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
      </Shell>
    </QueryClientProvider>
  );
}

import { useQuery } from '@tanstack/react-query';
import { Awaited } from '@/ui/Awaited';
import { DropContract } from './DropContract';
import { FirstSteps } from './FirstSteps';
import { ImportControl } from './ImportControl';
import { NewService } from './NewService';
import { serviceList } from './queries';
import { ServiceTable } from './ServiceTable';
import { useImport } from './useImport';

/** All services; a contract can be dropped anywhere on the page. */
export function ServicesPage() {
  const query = useQuery(serviceList());
  const importing = useImport();
  return (
    <DropContract onFile={importing.take} words="Drop the contract to make a service of it">
      <div className="min-h-0 flex-1 overflow-y-auto">
        <div className="flex items-center justify-between gap-3 px-5 pt-4 pb-3">
          <h1 className="font-semibold text-lg">Services</h1>
          {query.data && query.data.items.length > 0 && (
            <div className="flex gap-2">
              <NewService />
              <ImportControl onPress={() => importing.take()} />
            </div>
          )}
        </div>
        <Awaited query={query} what="the services">
          {({ items }) =>
            items.length === 0 ? (
              <FirstSteps onImport={() => importing.take()} />
            ) : (
              <ServiceTable services={items} />
            )
          }
        </Awaited>
      </div>
      {importing.dialog}
    </DropContract>
  );
}

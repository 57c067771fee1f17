import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'wouter';
import { variablesQuery } from '@/api/variables';
import { serviceList } from '@/features/services';
import { word } from '@/lib/shell';
import { Awaited } from '@/ui/Awaited';
import { CommandLine } from '@/ui/CommandLine';
import { Select } from '@/ui/Select';
import { AddVariable } from './AddVariable';
import { ownVariables, useSetChange } from './queries';
import { SeenVariables } from './SeenVariables';
import { VariableMatrix } from './VariableMatrix';
import { setsOf } from './variableTable';

/** Values that expressions, upstreams and headers use by their names, and which set is in use. */
export function VariablesPage() {
  const [search, setSearch] = useSearchParams();
  const service = search.get('service') ?? '';
  const query = useQuery(variablesQuery);
  const services = useQuery(serviceList());
  const owner = useQuery({ ...ownVariables(service), enabled: service !== '' });
  return (
    <div className="h-full overflow-y-auto">
      <div className="space-y-2 px-5 pt-4 pb-3">
        <h1 className="font-semibold text-lg">Variables</h1>
        <p className="max-w-[820px] text-[13px] text-dim">
          Values that mappings, upstreams and headers use as <code>{'${vars.NAME}'}</code>. While a set is in
          use, its values come before the others. Those of a service come before those of the environment, and
          a scenario or a lane can have its own above both. Secrets are kept encrypted and shown to nobody.
        </p>
        <CommandLine command={`rapidmimic variables${service && ` ${word(service)}`}`} />
      </div>
      <Awaited query={query} what="the variables">
        {(variables) => (
          <>
            <div className="flex flex-wrap items-end gap-4 px-5 pb-3">
              <Select
                label="Variables of"
                value={service}
                onChange={(name) => setSearch(name ? { service: name } : {}, { replace: true })}
                options={[
                  ['', 'the environment'],
                  ...(services.data?.items ?? []).map(({ name }): [string, string] => [name, name]),
                ]}
              />
              <InUse sets={variables.sets} inUse={variables.variableSet ?? ''} />
            </div>
            {service === '' ? (
              <Sets service="" table={variables} sets={variables.sets} inUse={variables.variableSet ?? ''} />
            ) : (
              <Awaited query={owner} what="the variables of the service">
                {(table) => (
                  <>
                    <Sets
                      service={service}
                      table={table}
                      sets={variables.sets}
                      inUse={variables.variableSet ?? ''}
                    />
                    <SeenVariables service={service} />
                  </>
                )}
              </Awaited>
            )}
          </>
        )}
      </Awaited>
    </div>
  );
}

function Sets(props: {
  service: string;
  table: Parameters<typeof setsOf>[0];
  sets: string[];
  inUse: string;
}) {
  const { service, table, inUse } = props;
  const sets = setsOf(table, props.sets);
  return (
    <>
      <VariableMatrix service={service} table={table} sets={sets} inUse={inUse} />
      <AddVariable service={service} table={table} sets={sets} />
    </>
  );
}

/** Which set is in use, everywhere. */
function InUse({ sets, inUse }: { sets: string[]; inUse: string }) {
  const use = useSetChange();
  return (
    <div className="flex items-end gap-3">
      <Select
        label="Set in use, for all services"
        value={inUse}
        onChange={(set) => use.mutate(set)}
        options={[
          ['', sets.length ? 'none' : 'none; there is no set yet'],
          ...[...new Set([...sets, ...(inUse ? [inUse] : [])])].map((set): [string, string] => [set, set]),
        ]}
      />
      {use.isError && (
        <p role="alert" className="mb-1.5 max-w-[560px] text-[13px] text-bad">
          {use.error.message}
        </p>
      )}
    </div>
  );
}

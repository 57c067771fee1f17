import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { Variable, Variables } from '@/api/types';
import { writeExact } from '@/lib/exactJson';
import { notifyChange } from '@/ui/Notices';
import { patchOf, type Said, type Table } from './variableTable';

/** What a service sets itself. */
export function ownVariables(service: string) {
  return queryOptions({
    queryKey: keys.ownVariables(service),
    queryFn: () => send<Table>(`/services/${part(service)}`, { exact: true }),
    refetchInterval: 5_000,
  });
}

/** The variables as the calls of a service see them, and who sets each. */
export function seenVariables(service: string) {
  return queryOptions({
    queryKey: keys.seenVariables(service),
    queryFn: () => send<{ items: Variable[] }>(`/services/${part(service)}/variables`, { exact: true }),
    refetchInterval: 5_000,
  });
}

/** Puts a set in use everywhere; '' for none. */
function putInUse(variableSet: string) {
  return send<Variables>('/variables', { method: 'PATCH', body: JSON.stringify({ variableSet }) });
}

/** One variable of the environment, or of a service, in a set or with '' in none. */
export interface Place {
  service: string;
  set: string;
  name: string;
}

/** The environment's variables, or with a name those of a service, as an address of the API. */
const owner = (service: string) => (service ? `/services/${part(service)}` : '/variables');

function change(table: Table, { service, set, name }: Place, said: Said) {
  return send<Table>(owner(service), {
    method: 'PATCH',
    body: writeExact(patchOf(table, set, name, said)),
    jsonPatch: true,
    exact: true,
  });
}

/** Sets a variable, or with undefined takes it away. */
export function useVariableChange(table: Table) {
  const refresh = useVariableRefresh();
  return useMutation({
    mutationFn: ({ said, ...place }: Place & { said: Said }) => change(table, place, said),
    onSuccess: (_, { said, name }) => {
      notifyChange(said === undefined ? `${name} is removed` : `${name} is set, live on the next call`);
      return refresh();
    },
  });
}

/** Puts a set in use instead of the one that is. */
export function useSetChange() {
  const refresh = useVariableRefresh();
  return useMutation({
    mutationFn: putInUse,
    onSuccess: (_, set) => {
      notifyChange(set ? `${set} is in use, live on the next call` : 'No set is in use');
      return refresh();
    },
  });
}

function useVariableRefresh() {
  const queries = useQueryClient();
  return () =>
    Promise.all(
      [keys.variables(), keys.services(), keys.status()].map((queryKey) =>
        queries.invalidateQueries({ queryKey }),
      ),
    );
}

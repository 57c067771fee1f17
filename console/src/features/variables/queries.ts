import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { Variable, Variables } from '@/api/types';
import { writeExact } from '@/lib/exactJson';
import { notify } from '@/ui/Notices';
import { patchOf, type Said, saidOf, type Table } from './variableTable';

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

/** Sets a variable, or with undefined takes it away; what was no secret can be brought back. */
export function useVariableChange(table: Table) {
  const refresh = useVariableRefresh();
  return useMutation({
    mutationFn: ({ said, ...place }: Place & { said: Said }) => change(table, place, said),
    onSuccess: async (changed, { said, ...place }) => {
      await refresh();
      const before = saidOf(table, place.set, place.name);
      const wasSecret = typeof before === 'object' && before !== null && 'secret' in before;
      const undo = () => change(changed, place, before).then(refresh);
      notify(
        said === undefined ? `${place.name} is removed` : `${place.name} is set, live on the next call`,
        wasSecret ? undefined : undo,
      );
    },
  });
}

/** Puts a set in use instead of the one that is. */
export function useSetChange(before: string) {
  const refresh = useVariableRefresh();
  return useMutation({
    mutationFn: putInUse,
    onSuccess: async (_, set) => {
      await refresh();
      notify(set ? `${set} is in use, live on the next call` : 'No set is in use', () =>
        putInUse(before).then(refresh),
      );
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

import { queryOptions } from '@tanstack/react-query';
import { send } from './http';
import { keys } from './keys';
import type { Variables } from './types';

/** The variables of the environment. */
export const variablesQuery = queryOptions({
  queryKey: keys.variables(),
  queryFn: () => send<Variables>('/variables', { exact: true }),
  refetchInterval: 5_000,
});

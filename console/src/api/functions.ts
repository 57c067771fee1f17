import { queryOptions } from '@tanstack/react-query';
import { send } from './http';
import { keys } from './keys';

/** What expressions can call, with an example. */
export interface ExpressionFunction {
  name: string;
  /** How it is written: list.sortBy(x, x.depth). */
  call: string;
  says: string;
  example: string;
  /** What the example gives, as JSON. */
  gives: string;
}

/** All functions of expressions: they are those of the service that answers. */
export const functionsQuery = queryOptions({
  queryKey: keys.functions(),
  queryFn: async () => (await send<{ items: ExpressionFunction[] }>('/functions')).items,
  staleTime: Number.POSITIVE_INFINITY,
});

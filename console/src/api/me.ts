import { queryOptions } from '@tanstack/react-query';
import { send } from './http';
import { keys } from './keys';
import type { Me } from './types';

/** Who sits here, as far as the environment knows. */
export function meQuery() {
  return queryOptions({ queryKey: keys.me(), queryFn: () => send<Me>('/me'), staleTime: 60_000 });
}

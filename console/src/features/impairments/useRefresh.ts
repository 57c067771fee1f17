import { useQueryClient } from '@tanstack/react-query';
import { keys } from '@/api/keys';

/** Reads anew what is impaired, after it was changed. */
export function useRefresh() {
  const queries = useQueryClient();
  return () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: keys.impairments() }),
      queries.invalidateQueries({ queryKey: keys.status() }),
    ]);
}

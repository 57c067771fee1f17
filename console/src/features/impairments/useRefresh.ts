import { useQueryClient } from '@tanstack/react-query';

/** Reads anew what is impaired, after it was changed. */
export function useRefresh() {
  const queries = useQueryClient();
  return () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ['impairments'] }),
      queries.invalidateQueries({ queryKey: ['status'] }),
    ]);
}

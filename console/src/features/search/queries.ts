import { queryOptions } from '@tanstack/react-query';
import { part, send } from '@/api/http';
import { keys } from '@/api/keys';
import type { SearchResult } from '@/api/types';

/** Definitions with all words of a text in what is told of them. */
export function searchFor(text: string) {
  return queryOptions({
    queryKey: keys.search(text),
    queryFn: () => send<SearchResult>(`/search?limit=30&text=${part(text)}`),
    enabled: text.trim() !== '',
    staleTime: 5_000,
    placeholderData: (before) => before,
  });
}

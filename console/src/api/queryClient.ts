import { QueryClient } from '@tanstack/react-query';

/** What the pages have read. */
export const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 1_000 } } });

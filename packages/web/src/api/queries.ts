import { QueryClient } from '@tanstack/react-query';
import { mayPass } from './request.ts';

/** What was fetched, for the whole page. What may pass is asked for twice more. */
export function createQueries(): QueryClient {
  return new QueryClient({
    defaultOptions: {
      queries: {
        retry: (failures, error) => failures < 2 && mayPass(error),
        retryDelay: 500,
        refetchOnWindowFocus: true,
      },
    },
  });
}

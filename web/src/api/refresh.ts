import type { QueryClient, QueryKey } from "@tanstack/react-query";

/**
 * Ask again for what lies under a key, after it was changed.
 *
 * An answer that is still on its way was asked for before the change. A query that has no data
 * yet would take it for the new one (`invalidateQueries` cancels only where there is data), so it
 * is dropped first.
 */
export async function refresh(queries: QueryClient, queryKey: QueryKey): Promise<void> {
  await queries.cancelQueries({ queryKey });
  await queries.invalidateQueries({ queryKey });
}

import { QueryClient, useInfiniteQuery, useQuery, type QueryKey } from '@tanstack/vue-query'
import { computed, toValue, type MaybeRefOrGetter } from 'vue'
import { answer } from '../api/client'
import { useSession } from '../pages/session'

/** What the server was asked; shared by all that show it. */
export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: false,
      networkMode: 'always',
      refetchOnWindowFocus: false,
      refetchOnReconnect: false,
      // An answer is shown as it came; nobody changes it in place.
      structuralSharing: false,
    },
  },
})

/** Nobody is shown what somebody else was answered. */
function useKey(key: MaybeRefOrGetter<QueryKey>) {
  const session = useSession()
  return computed(() => [session.name, ...toValue(key)])
}

interface Options<T> {
  /** Nothing is asked while this is false. */
  enabled?: MaybeRefOrGetter<boolean>
  /** After how many ms it is asked again; false or nothing for never. */
  every?: (data: T | undefined) => number | false
  /** For what never changes under its key. */
  fixed?: boolean
}

/**
 * Something that the server knows: asked for when it is first shown and whenever its key changes.
 *
 * `data` is undefined until it is there, `trouble` says why it is not; `read` asks again, `put` takes over an
 * answer to a change.
 */
export function useServer<T>(
  key: MaybeRefOrGetter<QueryKey>,
  ask: (signal: AbortSignal) => Promise<{ data?: T }>,
  { enabled = true, every, fixed }: Options<T> = {},
) {
  const queryKey = useKey(key)
  const query = useQuery<T>(
    {
      queryKey,
      queryFn: ({ signal }) => answer(ask(signal)),
      enabled: computed(() => toValue(enabled)),
      refetchInterval: every && ((q) => every(q.state.data)),
      staleTime: fixed ? Infinity : 0,
    },
    queries,
  )
  return {
    data: query.data,
    trouble: computed(() => query.error.value?.message ?? ''),
    busy: query.isFetching,
    read: () => query.refetch(),
    put: (data: T) => void queries.setQueryData(queryKey.value, data),
  }
}

/** Rows that the server gives in pages, the newest first; `ask` gets the id of the last row there is. */
export function useServerPages<T extends { id: number }>(
  key: MaybeRefOrGetter<QueryKey>,
  ask: (before: number | undefined) => Promise<{ data?: T[] }>,
  { size, enabled = true }: { size: number; enabled?: MaybeRefOrGetter<boolean> },
) {
  const query = useInfiniteQuery(
    {
      queryKey: useKey(key),
      queryFn: ({ pageParam }) => answer(ask(pageParam)),
      enabled: computed(() => toValue(enabled)),
      initialPageParam: undefined as number | undefined,
      getNextPageParam: (page: T[]) => (page.length === size ? page[page.length - 1]!.id : undefined),
      placeholderData: (before) => before,
    },
    queries,
  )
  return {
    rows: computed(() => query.data.value?.pages.flat() ?? []),
    read: query.isSuccess,
    more: query.hasNextPage,
    trouble: computed(() => query.error.value?.message ?? ''),
    older: () => query.fetchNextPage(),
    again: () => query.refetch(),
  }
}

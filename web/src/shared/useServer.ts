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
  /** For what is large: it is let go when nothing shows it any more. */
  large?: boolean
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
  { enabled = true, every, fixed, large }: Options<T> = {},
) {
  const queryKey = useKey(key)
  const query = useQuery<T>(
    {
      queryKey,
      queryFn: ({ signal }) => answer(ask(signal)),
      enabled: computed(() => toValue(enabled)),
      refetchInterval: every && ((q) => every(q.state.data)),
      staleTime: fixed ? Infinity : 0,
      gcTime: large ? 0 : undefined,
    },
    queries,
  )
  return {
    data: query.data,
    trouble: computed(() => query.error.value?.message ?? ''),
    error: query.error,
    busy: query.isFetching,
    read: () => query.refetch(),
    /** What was asked for before the change is not waited for: it would be shown in its place. */
    put: (data: T) => {
      void queries.cancelQueries({ queryKey: queryKey.value })
      queries.setQueryData(queryKey.value, data)
    },
  }
}

interface PagesOptions<Page> {
  /** What the page after these is asked for by, if there is one. */
  next: (pages: Page[]) => number | undefined
  enabled?: MaybeRefOrGetter<boolean>
}

/** Rows by their ids, the newest first, go on before the last one while pages of so many are full. */
export const rowsBefore =
  (size: number) =>
  (pages: { id: number }[][]): number | undefined => {
    const last = pages[pages.length - 1]!
    return last.length === size ? last[size - 1]!.id : undefined
  }

/** What the server gives in pages; `ask` gets what `next` says of those there are, for the first nothing. */
export function useServerPages<Page>(
  key: MaybeRefOrGetter<QueryKey>,
  ask: (from: number | undefined) => Promise<{ data?: Page }>,
  { next, enabled = true }: PagesOptions<Page>,
) {
  const query = useInfiniteQuery(
    {
      queryKey: useKey(key),
      queryFn: ({ pageParam }) => answer(ask(pageParam)),
      enabled: computed(() => toValue(enabled)),
      initialPageParam: undefined as number | undefined,
      getNextPageParam: (_, pages: Page[]) => next(pages),
      placeholderData: (before) => before,
    },
    queries,
  )
  return {
    pages: computed(() => query.data.value?.pages ?? []),
    read: query.isSuccess,
    more: query.hasNextPage,
    trouble: computed(() => query.error.value?.message ?? ''),
    onwards: () => query.fetchNextPage(),
    again: () => query.refetch(),
  }
}

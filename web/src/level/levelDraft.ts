import { useLocalStorage } from '@vueuse/core'
import { computed, type WritableComputedRef } from 'vue'

/** What is tried of the open level and not kept, null for nothing; it outlives a reload. */
export function useLevelDraft<T>(key: string, slug: () => string): WritableComputedRef<T | null> {
  const drafts = useLocalStorage<Record<string, T>>(key, {})
  return computed({
    get: () => drafts.value[slug()] ?? null,
    set: (next) => {
      const others = Object.entries(drafts.value).filter(([level]) => level !== slug())
      drafts.value = Object.fromEntries(next ? [...others, [slug(), next]] : others)
    },
  })
}

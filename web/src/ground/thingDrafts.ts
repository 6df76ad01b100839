import { useDebounceFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, type Changed } from '../api/client'
import { useLevelDraft } from '../level/levelDraft'
import { useLevel } from '../level/level'
import { useAttempt } from '../shared/useAttempt'
import { bytesOf, placesOf, type Places } from '../stage/payload'

/** Stands for the id of a thing that was begun and not kept yet. */
export const NEW = 0
const WAIT_MS = 250

/**
 * Things on the ground, shapes or placed meshes, that are tried and not kept: they outlive another choice and
 * a reload.
 *
 * Parameters: key, where they are kept; known, those of the level, which are tried again when these change;
 * ask, has one tried on the server; store, has some stored and some removed, and gives back the stored.
 */
export function useThingDrafts<T extends { id?: number | null }, K extends { id: number }>(
  key: string,
  known: () => K[],
  ask: (draft: T) => Promise<{ data?: Changed }>,
  store: (put: T[], remove: number[]) => Promise<K[]>,
) {
  const level = useLevel()
  const kept = useLevelDraft<Record<number, T>>(key, () => level.slug)
  const chosen = ref<number | null>(null)
  const { trouble, attempt: guarded } = useAttempt()
  const drafts = computed(() => kept.value ?? {})
  /** The chosen thing as it is tried, if it is. */
  const draft = computed(() => (chosen.value === null ? null : (drafts.value[chosen.value] ?? null)))
  function setDraft(id: number, next: T | null): void {
    const others = Object.entries(drafts.value).filter(([other]) => Number(other) !== id)
    const all = next ? [...others, [id, next]] : others
    kept.value = all.length ? (Object.fromEntries(all) as Record<number, T>) : null
  }

  /** What the chosen draft would do; null while that is not known. */
  const tried = shallowRef<Changed | null>(null)
  /** The plants that it would bring and take. */
  const places = shallowRef<Places | null>(null)
  let round = 0
  const look = useDebounceFn(async () => {
    const mine = ++round
    if (!draft.value) return
    try {
      const found = await answer(ask(draft.value))
      if (mine !== round || !draft.value) return
      tried.value = found
      places.value = found.tried?.places ? placesOf(bytesOf(found.tried.places)) : null
    } catch (error) {
      if (mine === round) trouble.value = (error as Error).message
    }
  }, WAIT_MS)
  watch([draft, known], () => {
    tried.value = null
    if (!draft.value) places.value = null
    void look()
  })

  /** Store one; what was changed meanwhile stays a draft. */
  const keep = (next: T) =>
    guarded(async () => {
      const id = next.id ?? NEW
      const sent = drafts.value[id]
      const made = await store([next], [])
      if (drafts.value[id] === sent) setDraft(id, null)
      if (made.length) chosen.value = made[made.length - 1]!.id
    })
  const remove = (id: number) =>
    guarded(async () => {
      await store([], [id])
      setDraft(id, null)
      if (chosen.value === id) chosen.value = null
    })
  /** Drop the draft of the chosen one; one that was begun is chosen no more. */
  function dropDraft(): void {
    if (chosen.value === null) return
    setDraft(chosen.value, null)
    if (chosen.value === NEW) chosen.value = null
  }

  return { chosen, drafts, draft, setDraft, tried, places, trouble, guarded, keep, remove, dropDraft }
}

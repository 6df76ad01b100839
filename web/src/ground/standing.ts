import { useDebounceFn } from '@vueuse/core'
import { shallowRef, watch, type Ref } from 'vue'
import { answer, api, type SurfaceIn } from '../api/client'
import { useLevel } from '../level/level'

/** Where working plants out takes longer than this, it is done when a mesh rests, not while it is dragged. */
const QUICK_MS = 100
const REST_MS = 250

/**
 * The plants that would stand on a placed mesh as it is tried, by stand: worked out again as it rests, or in
 * steps while it moves where that is quick.
 */
export function useStanding(draft: Ref<SurfaceIn | null>, along: Ref<boolean>) {
  const level = useLevel()
  const found = shallowRef<{ id: number; lies: SurfaceIn; plants: { stand: number; plants: string }[] }>()
  let took = Infinity
  let busy = false
  let waits = false

  async function work() {
    const tried = draft.value
    if (busy) return void (waits = true)
    if (!tried?.id || !along.value) return
    busy = true
    const began = performance.now()
    try {
      const { tried: given } = await answer(
        api.POST('/api/levels/{slug}/surfaces', {
          ...level.here(),
          body: { key: crypto.randomUUID(), what: '', put: [tried], remove: [], view: null },
          headers: { 'X-Try': 'own,standing' },
        }),
      )
      found.value = { id: tried.id, lies: tried, plants: given?.standing ?? [] }
    } catch {
      // The plants stay as they were; the trial of the mesh shows what is wrong.
    } finally {
      took = performance.now() - began
      busy = false
      if (waits) next()
      waits = false
    }
  }
  const rest = useDebounceFn(work, REST_MS)
  const next = () => void (took < QUICK_MS ? work() : rest())
  watch([draft, along], next)
  return found
}

import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { answer, api, ApiError, type Atmosphere } from '../api/client'
import { useLevel } from '../level/level'
import { useLevelDraft } from '../level/levelDraft'

type Part = {
  [K in keyof Atmosphere]?: Atmosphere[K] extends unknown[] ? Atmosphere[K] : Partial<Atmosphere[K]>
}

/** Sun, sky, fog and water levels: tried on the stage at once, saved with the level on request. */
export const useAtmosphere = defineStore('atmosphere', () => {
  const level = useLevel()
  const draft = useLevelDraft<Atmosphere>('kt-atmosphere', () => level.slug)
  const now = computed<Atmosphere | null>(() => draft.value ?? level.level?.atmosphere ?? null)
  const trouble = ref('')
  const fields = ref<string[]>([])

  function put(next: Atmosphere | null): void {
    draft.value = next
    trouble.value = ''
    fields.value = []
  }
  function change(part: Part): void {
    const a = now.value!
    put({
      sun: { ...a.sun, ...part.sun },
      sky: { ...a.sky, ...part.sky },
      fog: { ...a.fog, ...part.fog },
      waters: part.waters ?? a.waters,
    })
  }
  const drop = () => put(null)
  async function keep(): Promise<boolean> {
    const atmosphere = draft.value
    if (!atmosphere) return true
    try {
      const changed = await answer(
        api.PUT('/api/levels/{slug}/atmosphere', {
          params: { path: { slug: level.slug } },
          body: { key: crypto.randomUUID(), atmosphere },
        }),
      )
      level.take(changed)
      drop()
      return true
    } catch (error) {
      trouble.value = (error as Error).message
      fields.value = error instanceof ApiError ? error.fields : []
      return false
    }
  }
  return { draft, now, trouble, fields, change, drop, keep }
})

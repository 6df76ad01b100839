import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api, type RebalanceKind, type RebalanceState } from '../api/client'
import { useLongWork } from '../composables/useLongWork'
import { useDrawing } from './drawing'
import { useLevel } from './level'

/** The cheapest way under the marks of the tier that is looked through. */
export const useRebalance = defineStore('rebalance', () => {
  const level = useLevel()
  const drawing = useDrawing()
  const views = ref(true)
  const worst = ref(true)
  /** The walks whose dearest moments count. */
  const walks = ref<string[]>([])
  const kinds = ref<RebalanceKind[]>(['distances', 'steps', 'shadows', 'tufts'])
  /** The stands that may not change, beside those that are locked. */
  const spared = ref<number[]>([])
  /** The share of its distances that a stand keeps at least. */
  const least = ref(0.4)
  const state = shallowRef<RebalanceState | null>(null)
  const trouble = ref('')
  const result = computed(() => state.value?.result ?? null)
  const free = computed(() => level.stands.filter((s) => !s.locked && !spared.value.includes(s.id)))

  const { look, forget } = useLongWork(
    (begin) => {
      if (!level.level || !level.mayPlant || !drawing.marks) return null
      return answer(
        api.POST('/api/levels/{slug}/rebalance', {
          params: { path: { slug: level.slug } },
          body: {
            drawing: drawing.now,
            device: drawing.device,
            marks: drawing.marks,
            views: views.value,
            worst: worst.value,
            walks: walks.value,
            may: Object.fromEntries(free.value.map((s) => [s.id, kinds.value])),
            least: least.value,
            begin,
          },
        }),
      )
    },
    (told) => {
      state.value = told
      trouble.value = told.trouble
    },
    (error) => (trouble.value = error.message),
  )
  async function stop(): Promise<void> {
    await answer(
      api.DELETE('/api/levels/{slug}/rebalance', { params: { path: { slug: level.slug } } }),
    ).catch((error: Error) => (trouble.value = error.message))
    await look(false)
  }
  // What is asked for otherwise has another answer, and so has another level.
  watch(
    [views, worst, walks, kinds, spared, least, () => drawing.now, () => drawing.device, () => drawing.marks],
    () => drop(),
  )
  watch(
    () => level.slug,
    () => {
      walks.value = []
      drop()
    },
  )
  // The answer is of the level as it was.
  watch(
    () => level.difference,
    () => result.value && void look(false),
  )
  function drop(): void {
    forget()
    state.value = null
    trouble.value = ''
  }
  return { views, worst, walks, kinds, spared, least, state, trouble, result, free, look, stop, drop }
})

import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api, type RebalanceKind, type RebalanceState } from '../api/client'
import { useLongWork } from '../shared/useLongWork'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from '../level/level'

/** The cheapest way under the marks of the tier that is looked through. */
export const useRebalance = defineStore('rebalance', () => {
  const level = useLevel()
  const drawing = useDrawing()
  const views = ref(true)
  const worst = ref(true)
  /** The walks whose dearest moments count. */
  const walks = ref<string[]>([])
  const kinds = ref<RebalanceKind[]>(['distances', 'steps', 'fades', 'shadows', 'tufts'])
  /** The stands that may not change, beside those that are locked. */
  const spared = ref<number[]>([])
  /** The share of its distances that a stand keeps at least. */
  const least = ref(0.4)
  /** The plot whose plants alone are to meet its shares; empty for the whole frame and the tier's marks. */
  const plot = ref('')
  const sharesOf = (name: string) => level.level?.plots.plots?.[name]?.shares?.[drawing.tier]
  /** The plots that have shares in this tier. */
  const plots = computed(() =>
    Object.keys(level.level?.plots.plots ?? {}).filter((name) => Object.keys(sharesOf(name) ?? {}).length),
  )
  const marks = computed(() => (plot.value ? (sharesOf(plot.value) ?? null) : drawing.marks))
  const state = shallowRef<RebalanceState | null>(null)
  const trouble = ref('')
  const result = computed(() => state.value?.result ?? null)
  const free = computed(() => level.stands.filter((s) => !s.locked && !spared.value.includes(s.id)))

  const { look, forget } = useLongWork(
    (begin) => {
      if (!level.level || !level.mayPlant || !marks.value) return null
      return answer(
        api.POST('/api/levels/{slug}/rebalance', {
          params: { path: { slug: level.slug } },
          body: {
            drawing: drawing.now,
            device: drawing.device,
            marks: marks.value,
            plot: plot.value,
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
    (reply) => {
      state.value = reply
      trouble.value = reply.trouble
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
    [views, worst, walks, kinds, spared, least, plot, () => drawing.now, () => drawing.device, marks],
    () => drop(),
  )
  watch(
    () => level.slug,
    () => {
      walks.value = []
      plot.value = ''
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
  watch(plots, (names) => names.includes(plot.value) || (plot.value = ''))
  return {
    plot,
    plots,
    marks,
    views,
    worst,
    walks,
    kinds,
    spared,
    least,
    state,
    trouble,
    result,
    free,
    look,
    stop,
    drop,
  }
})

import { watchDebounced } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api, type SeenCells, type SurveyLine, type SurveyState, type View } from '../api/client'
import { useLongWork } from '../shared/useLongWork'
import { surveySheet } from './surveyMap'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from '../level/level'

/** m of the eye above the ground. */
export const EYE = 1.7

/** What frames cost all over the level, through the tier that is looked through. */
export const useSurvey = defineStore('survey', () => {
  const level = useLevel()
  const drawing = useDrawing()
  const line = ref<SurveyLine>('ms')
  /** The stand whose part is shown: its id, 0 for the ground, null for the whole frame. */
  const stand = ref<number | null>(null)
  /** The plot whose part is shown in place of that. */
  const plot = ref<string | null>(null)
  const step = ref(16)
  /** Whether the map shows what is left to the mark, where there is one. */
  const left = ref(false)
  /** Whether the map is laid over the ground. */
  const shown = ref(false)
  const state = shallowRef<SurveyState | null>(null)
  const trouble = ref('')
  const map = computed(() => state.value?.map ?? null)
  /** The tier's mark for the line, or a plot's share of it; a stand has none of its own. */
  const mark = computed(() => {
    if (plot.value !== null)
      return level.level?.plots.plots?.[plot.value]?.shares?.[drawing.tier]?.[line.value] ?? null
    return stand.value === null ? (drawing.marks?.[line.value] ?? null) : null
  })
  const sheet = computed(() => {
    const l = level.level
    if (!shown.value || !map.value || !l) return null
    return surveySheet(map.value, l.columns * l.cell, l.rows * l.cell, mark.value, left.value)
  })

  /** The squares that a view spends its time on, drawn on the plan; null when nobody asked. */
  const seen = shallowRef<SeenCells | null>(null)
  /** What a view sees, by where its milliseconds go. */
  async function see(view: View): Promise<void> {
    try {
      const path = { slug: level.slug }
      const body = { ...view, drawing: drawing.now, device: drawing.device }
      seen.value = await answer(api.POST('/api/levels/{slug}/seen', { params: { path }, body }))
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  const { look } = useLongWork(
    (begin) => {
      if (!level.level || !level.mayPlant) return null
      const asked = { drawing: drawing.now, device: drawing.device, step: step.value, eye: EYE }
      return answer(
        api.POST('/api/levels/{slug}/survey', {
          params: { path: { slug: level.slug } },
          body: { ...asked, line: line.value, stand: stand.value, plot: plot.value, begin },
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
    try {
      await answer(api.DELETE('/api/levels/{slug}/survey', { params: { path: { slug: level.slug } } }))
    } catch (error) {
      trouble.value = (error as Error).message
    }
    await look(false)
  }
  watchDebounced(
    [() => drawing.now, () => drawing.device, line, stand, plot, step],
    () => shown.value && void look(false),
    { debounce: 300 },
  )
  // After an action only what it reaches is counted again, so a map that is looked at follows by itself.
  watchDebounced(
    () => level.difference,
    () => shown.value && void look(!!map.value && !state.value?.running),
    { debounce: 600 },
  )
  watch(
    () => level.slug,
    () => {
      state.value = seen.value = null
      stand.value = plot.value = null
    },
  )
  return { line, stand, plot, step, left, shown, state, trouble, map, mark, sheet, seen, see, look, stop }
})

import { useTimeoutFn, watchDebounced } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api, type SurveyLine, type SurveyState } from '../api/client'
import { surveySheet } from '../surveyMap'
import { useDrawing } from './drawing'
import { useLevel } from './level'

const POLL_MS = 700
/** m of the eye above the ground. */
export const EYE = 1.7

/** What frames cost all over the level, through the tier that is looked through. */
export const useSurvey = defineStore('survey', () => {
  const level = useLevel()
  const drawing = useDrawing()
  const line = ref<SurveyLine>('ms')
  /** The stand whose part is shown: its id, 0 for the ground, null for the whole frame. */
  const stand = ref<number | null>(null)
  const step = ref(16)
  /** Whether the map is laid over the ground. */
  const shown = ref(false)
  const state = shallowRef<SurveyState | null>(null)
  const trouble = ref('')
  const map = computed(() => state.value?.map ?? null)
  /** The tier's mark for the line; a stand has none of its own. */
  const mark = computed(() => (stand.value === null ? (drawing.marks?.[line.value] ?? null) : null))
  const sheet = computed(() => {
    const l = level.level
    if (!shown.value || !map.value || !l) return null
    return surveySheet(map.value, l.columns * l.cell, l.rows * l.cell, mark.value)
  })

  let round = 0
  const again = useTimeoutFn(() => void look(false), POLL_MS, { immediate: false })
  /** Ask how far the survey is; `begin` has it begun when it is not known yet. */
  async function look(begin: boolean): Promise<void> {
    const mine = ++round
    again.stop()
    if (!level.level || !level.mayPlant) return
    try {
      const told = await answer(
        api.POST('/api/levels/{slug}/survey', {
          params: { path: { slug: level.slug } },
          body: {
            drawing: drawing.now,
            device: drawing.device,
            step: step.value,
            eye: EYE,
            line: line.value,
            stand: stand.value,
            begin,
          },
        }),
      )
      // Somebody asked again before it was known that it is begun: that answer may be from before.
      if (mine !== round) return void (begin && look(false))
      state.value = told
      trouble.value = told.trouble
      if (told.running) again.start()
    } catch (error) {
      if (mine !== round) return
      trouble.value = (error as Error).message
    }
  }
  async function stop(): Promise<void> {
    try {
      await answer(api.DELETE('/api/levels/{slug}/survey', { params: { path: { slug: level.slug } } }))
    } catch (error) {
      trouble.value = (error as Error).message
    }
    await look(false)
  }
  watchDebounced(
    [() => drawing.now, () => drawing.device, line, stand, step, () => level.difference],
    () => shown.value && void look(false),
    { debounce: 300 },
  )
  watch(
    () => level.slug,
    () => {
      state.value = null
      stand.value = null
    },
  )
  return { line, stand, step, shown, state, trouble, map, mark, sheet, look, stop }
})

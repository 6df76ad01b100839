import { useLocalStorage } from '@vueuse/core'
import { defineStore, storeToRefs } from 'pinia'
import { computed, ref } from 'vue'
import { answer, api, type GroundStroke } from '../api/client'
import { useLevel } from '../level/level'
import { useBrush } from '../planting/brush'
import { useTool } from '../planting/tool'
import { useAttempt } from '../shared/useAttempt'

export type GroundVerb = GroundStroke['verb']

/** The ground brush in hand; its radius, soft edge, strength and tip are those of the brush for plants. */
export const useTouchUp = defineStore('touch-up', () => {
  const level = useLevel()
  const brush = useBrush()
  const { ground: verb } = storeToRefs(useTool())
  /** How far Raise and Lower go in one pass, in m. */
  const amount = useLocalStorage('kt-raise-by', 1)
  const { trouble, busy, attempt } = useAttempt()
  const chosen = ref('')
  /** The layer that Cover lays. */
  const layer = computed({
    get: () => {
      const names = level.level?.layers.map((l) => l.name) ?? []
      return names.includes(chosen.value) ? chosen.value : (names[0] ?? '')
    },
    set: (name: string) => void (chosen.value = name),
  })
  const take = (v: GroundVerb) => void (verb.value = verb.value === v ? null : v)

  /** Keep a stroke along a path; a pen's pressure goes along with it. */
  const keep = (path: [number, number][], pressure: number[] | null) =>
    attempt(async () => {
      const view = level.seen
      const stroke: GroundStroke = {
        key: crypto.randomUUID(),
        verb: verb.value!,
        path,
        pressure,
        radius: brush.radius,
        soft: brush.soft,
        strength: brush.strength,
        amount: amount.value,
        toward: null,
        layer: verb.value === 'cover' ? layer.value : '',
        tip: brush.tip,
        turn: brush.turn,
        view,
      }
      await level.arrange(
        answer(api.POST('/api/levels/{slug}/ground/strokes', { ...level.here(), body: stroke })),
      )
    })

  return { verb, amount, layer, trouble, busy, take, keep }
})

import { useLocalStorage } from '@vueuse/core'
import { defineStore, storeToRefs } from 'pinia'
import { computed, ref, watch } from 'vue'
import { answer, api, type GroundStroke } from '../api/client'
import { useLevel } from '../level/level'
import { everywhere, useBrush } from '../planting/brush'
import { useTool } from '../planting/tool'
import { useAttempt } from '../shared/useAttempt'

export type GroundVerb = GroundStroke['verb']

const OPPOSITE: Partial<Record<GroundVerb, GroundVerb>> = {
  raise: 'lower',
  lower: 'raise',
  whiten: 'blacken',
  blacken: 'whiten',
}

/**
 * The brush for the ground and for mask images in hand; its radius, soft edge, strength and tip are those of
 * the brush for plants.
 */
export const useTouchUp = defineStore('touch-up', () => {
  const level = useLevel()
  const brush = useBrush()
  const { ground: verb } = storeToRefs(useTool())
  /** How far Raise and Lower go in one pass, in m. */
  const amount = useLocalStorage('kt-raise-by', 1)
  /** The altitude that Flatten works toward, in m; null for that where the stroke begins. */
  const toward = ref<number | null>(null)
  /** The mask image that is painted; empty for the ground itself. */
  const mask = ref('')
  /** The grey that Even works toward, 0 to 1. */
  const grey = useLocalStorage('kt-grey', 0.5)
  const limits = ref(everywhere())
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
  /** Take up a verb for the ground, or for a mask image; once more puts it down. */
  function take(v: GroundVerb, onMask = ''): void {
    const same = verb.value === v && mask.value === onMask
    mask.value = onMask
    verb.value = same ? null : v
  }
  watch(
    () => level.masks.map((m) => m.name),
    (names) => {
      if (!mask.value || names.includes(mask.value)) return
      mask.value = ''
      verb.value = null
    },
  )

  /**
   * Keep a stroke along a path; a pen's pressure goes along with it. `opposite` lowers in place of raising.
   */
  const keep = (path: [number, number][], pressure: number[] | null, opposite: boolean) =>
    attempt(async () => {
      const view = level.seen
      const v = verb.value!
      const stroke: GroundStroke = {
        key: crypto.randomUUID(),
        verb: (opposite && OPPOSITE[v]) || v,
        path,
        pressure,
        radius: brush.radius,
        soft: brush.soft,
        strength: brush.strength,
        amount: amount.value,
        toward: toward.value,
        mask: mask.value,
        grey: grey.value,
        limits: limits.value,
        layer: verb.value === 'cover' ? layer.value : '',
        tip: brush.tip,
        turn: brush.turn,
        view,
      }
      await level.arrange(
        answer(api.POST('/api/levels/{slug}/ground/strokes', { ...level.here(), body: stroke })),
      )
    })

  return {
    verb,
    amount,
    toward,
    mask,
    grey,
    limits,
    layer,
    trouble,
    busy,
    take,
    keep,
  }
})

<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Condition } from '../api/client'
import NumberField from '../shared/NumberField.vue'
import { ConditionSettingsBounds } from '../api/bounds'

/**
 * The bearings the ground faces, drawn as a rose, with the wedge of those that suit: drag it to turn, its
 * edge to widen.
 */
const props = defineProps<{
  condition: Condition
  histogram: { counts: number[]; edges: number[] } | null
  wrong?: boolean
  disabled?: boolean
}>()
const emit = defineEmits<{ change: [condition: Condition] }>()
const svg = ref<SVGSVGElement>()
const held = ref<'centre' | 'edge' | 'soft' | null>(null)
const R = 62

const point = (bearing: number, r: number) => {
  const angle = (bearing * Math.PI) / 180
  return `${(r * Math.sin(angle)).toFixed(2)} ${(-r * Math.cos(angle)).toFixed(2)}`
}
const wedge = (a: number, b: number, r: number) =>
  b - a >= 359.9
    ? `M0 ${-r}A${r} ${r} 0 1 1 -0.01 ${-r}Z`
    : `M0 0L${point(a, r)}A${r} ${r} 0 ${b - a > 180 ? 1 : 0} 1 ${point(b, r)}Z`
const petals = computed(() => {
  if (!props.histogram) return []
  const { counts, edges } = props.histogram
  const most = Math.sqrt(Math.max(...counts, 1))
  return counts.map((c, k) => wedge(edges[k]!, edges[k + 1]!, (Math.sqrt(c) / most) * (R - 2)))
})
const c = computed(() => props.condition)
const inner = computed(() =>
  wedge(c.value.centre - Math.min(c.value.hi, 180), c.value.centre + Math.min(c.value.hi, 180), R),
)
const outer = computed(() => {
  const half = Math.min(c.value.hi + c.value.soft_hi, 180)
  return wedge(c.value.centre - half, c.value.centre + half, R)
})
const grips = computed(() => [
  { what: 'centre' as const, at: point(c.value.centre, R * 0.72).split(' ') },
  { what: 'edge' as const, at: point(c.value.centre + Math.min(c.value.hi, 180), R).split(' ') },
  {
    what: 'soft' as const,
    at: point(c.value.centre + Math.min(c.value.hi + c.value.soft_hi, 180), R * 0.5).split(' '),
  },
])
function move(event: PointerEvent) {
  if (!held.value || !svg.value) return
  const b = svg.value.getBoundingClientRect()
  const bearing =
    (Math.atan2(event.clientX - b.left - b.width / 2, b.top + b.height / 2 - event.clientY) * 180) / Math.PI
  const away = Math.abs(((bearing - c.value.centre + 540) % 360) - 180)
  if (held.value === 'centre') emit('change', { ...c.value, centre: Math.round((bearing + 360) % 360) })
  else if (held.value === 'edge') emit('change', { ...c.value, hi: Math.round(away) })
  else emit('change', { ...c.value, soft_hi: Math.max(Math.round(away - c.value.hi), 0) })
}
function grab(what: typeof held.value, event: PointerEvent) {
  if (props.disabled) return
  held.value = what
  svg.value?.setPointerCapture(event.pointerId)
}
const HALF_TURN = { min: 0, max: 180, step: 5, unit: '°' }
</script>

<template>
  <div class="facing">
    <svg
      ref="svg"
      viewBox="-76 -76 152 152"
      data-test="rose"
      @pointermove="move"
      @pointerup="held = null"
      @pointercancel="held = null"
    >
      <circle :r="R" class="rim" />
      <path v-for="(p, k) in petals" :key="k" class="petal" :d="p" />
      <path class="soft" :d="outer" />
      <path class="wedge" :d="inner" />
      <text
        v-for="(n, k) in ['N', 'E', 'S', 'W']"
        :key="n"
        :x="69 * [0, 1, 0, -1][k]!"
        :y="69 * [-1, 0, 1, 0][k]! + 4"
        text-anchor="middle"
      >
        {{ n }}
      </text>
      <circle
        v-for="g in grips"
        :key="g.what"
        class="grip"
        :class="g.what"
        :cx="g.at[0]"
        :cy="g.at[1]"
        r="4.5"
        @pointerdown="grab(g.what, $event)"
      />
    </svg>
    <div>
      <NumberField
        label="Centre"
        :value="condition.centre!"
        :bounds="ConditionSettingsBounds.centre"
        :digits="0"
        :wrong="wrong"
        :disabled="disabled"
        test="facing-centre"
        @change="$event >= 0 && $event <= 360 && emit('change', { ...c, centre: $event })"
      />
      <NumberField
        label="Spread, ±"
        :value="condition.hi"
        :bounds="HALF_TURN"
        :digits="0"
        :wrong="wrong"
        :disabled="disabled"
        test="facing-hi"
        @change="emit('change', { ...c, hi: $event })"
      />
      <NumberField
        label="Soft beyond"
        :value="condition.soft_hi!"
        :bounds="HALF_TURN"
        :digits="0"
        :wrong="wrong"
        :disabled="disabled"
        test="facing-soft-hi"
        @change="emit('change', { ...c, soft_hi: $event })"
      />
    </div>
  </div>
</template>

<style scoped>
.facing {
  --field-width: 84px;
  display: grid;
  grid-template-columns: 128px 1fr;
  gap: 10px;
  align-items: center;
}
svg {
  width: 128px;
  touch-action: none;
}
text {
  font-size: 12px;
  fill: var(--faint);
}
.rim {
  fill: none;
  stroke: var(--line);
}
.petal {
  fill: color-mix(in srgb, var(--slate) 42%, transparent);
}
.soft {
  fill: color-mix(in srgb, var(--green) 12%, transparent);
}
.wedge {
  fill: color-mix(in srgb, var(--green) 22%, transparent);
  stroke: var(--green);
}
.grip {
  fill: var(--sheet);
  stroke: var(--green);
  stroke-width: 1.6;
  cursor: grab;
}
.grip.soft {
  fill: var(--green);
}
</style>

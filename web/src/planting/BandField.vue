<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Condition } from '../api/client'
import { KINDS } from '../api/kinds'
import { ENDLESS, measureOf } from './conditions'
import ActionButton from '../shared/ActionButton.vue'
import NumberField from '../shared/NumberField.vue'
import { ConditionSettingsBounds } from '../api/bounds'

const props = defineProps<{
  condition: Condition
  histogram: { counts: number[]; edges: number[] } | null
  wrong?: boolean
  disabled?: boolean
}>()
const emit = defineEmits<{ change: [condition: Condition] }>()
const svg = ref<SVGSVGElement>()
const WIDE = 290
const TALL = 70
const FOOT = 66

const kind = computed(() => props.condition.kind)
const look = computed(() =>
  measureOf(props.condition) === 'metres'
    ? KINDS[kind.value]
    : { ...KINDS[kind.value], unit: '', step: 0.05, digits: 2 },
)
const endless = computed(() => KINDS[kind.value].distance && measureOf(props.condition) === 'metres')
const range = computed(() => {
  const e = props.histogram?.edges ?? [0, 1]
  const room = (e[e.length - 1]! - e[0]!) * 0.03
  return [e[0]! - room, e[e.length - 1]! + room]
})
const toX = (v: number) => ((v - range.value[0]!) / (range.value[1]! - range.value[0]!)) * WIDE
const clampX = (v: number) => Math.min(Math.max(toX(v), 0), WIDE)
const bars = computed(() => {
  if (!props.histogram) return []
  const { counts, edges } = props.histogram
  const most = Math.sqrt(Math.max(...counts, 1))
  return counts.map((c, k) => {
    const h = (Math.sqrt(c) / most) * (FOOT - 8)
    return { x: toX(edges[k]!), w: Math.max(toX(edges[k + 1]!) - toX(edges[k]!) - 0.6, 0.5), y: FOOT - h, h }
  })
})
const shape = computed(() => {
  const c = props.condition
  const smooth = (t: number) => t * t * (3 - 2 * t)
  const points: string[] = []
  for (let k = 0; k <= 8; k++)
    points.push(`${clampX(c.lo - c.soft_lo + (c.soft_lo * k) / 8)},${FOOT - smooth(k / 8) * (FOOT - 8)}`)
  for (let k = 8; k >= 0; k--)
    points.push(`${clampX(c.hi + c.soft_hi - (c.soft_hi * k) / 8)},${FOOT - smooth(k / 8) * (FOOT - 8)}`)
  const [first, last] = [points[0]!, points[points.length - 1]!].map((p) => p.split(',')[0])
  return `M${first} ${FOOT} L${points.join(' L')} L${last} ${FOOT} Z`
})

const HANDLES = ['soft_lo', 'lo', 'hi', 'soft_hi'] as const
type Handle = (typeof HANDLES)[number]
const valueOf = (h: Handle) => {
  const c = props.condition
  return h === 'soft_lo' ? c.lo - c.soft_lo : h === 'soft_hi' ? c.hi + c.soft_hi : c[h]
}
const at = (h: Handle) => clampX(valueOf(h))
const round = (v: number) => +v.toFixed(look.value.digits)
function put(h: Handle, v: number) {
  const c = { ...props.condition }
  if (h === 'lo') c.lo = round(Math.min(v, c.hi))
  else if (h === 'hi') c.hi = round(Math.max(v, c.lo))
  else if (h === 'soft_lo') c.soft_lo = round(Math.max(c.lo - v, 0))
  else c.soft_hi = round(Math.max(v - c.hi, 0))
  emit('change', c)
}
const held = ref<Handle | null>(null)
function move(event: PointerEvent) {
  if (!held.value || !svg.value) return
  const box = svg.value.getBoundingClientRect()
  const t = Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1)
  if (endless.value && t > 0.995 && held.value === 'hi')
    return emit('change', { ...props.condition, hi: ENDLESS, soft_hi: 0 })
  put(held.value, range.value[0]! + t * (range.value[1]! - range.value[0]!))
}
function grab(h: Handle, event: PointerEvent) {
  if (props.disabled) return
  held.value = h
  svg.value?.setPointerCapture(event.pointerId)
}
function key(h: Handle, event: KeyboardEvent) {
  const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (!way || props.disabled) return
  event.preventDefault()
  put(
    h,
    Math.min(Math.max(valueOf(h), range.value[0]!), range.value[1]!) +
      way * look.value.step * (event.shiftKey ? 10 : 1),
  )
}
const set = (name: Handle, v: number) => emit('change', { ...props.condition, [name]: v })
const name = (h: string) => `${kind.value}-${h.replace('_', '-')}`
</script>

<template>
  <div>
    <svg
      ref="svg"
      :viewBox="`0 0 ${WIDE} ${TALL}`"
      @pointermove="move"
      @pointerup="held = null"
      @pointercancel="held = null"
    >
      <rect v-for="(b, k) in bars" :key="k" class="bar" :x="b.x" :y="b.y" :width="b.w" :height="b.h" />
      <path class="shape" :d="shape" />
      <line class="foot" x1="0" :x2="WIDE" :y1="FOOT" :y2="FOOT" />
      <g
        v-for="h in HANDLES"
        :key="h"
        class="handle"
        :class="h"
        tabindex="0"
        role="slider"
        data-keys
        :aria-label="`${look.label} ${h.replace('_', ' edge, ')}`"
        :aria-valuenow="+valueOf(h).toFixed(2)"
        :data-test="`band-${kind}-handle-${h}`"
        @pointerdown="grab(h, $event)"
        @keydown="key(h, $event)"
      >
        <rect :x="at(h) - 6" y="2" width="12" :height="FOOT" fill="transparent" />
        <line :x1="at(h)" :x2="at(h)" :y1="h.startsWith('soft') ? FOOT - 14 : 6" :y2="FOOT" />
        <circle :cx="at(h)" :cy="h.startsWith('soft') ? FOOT - 16 : 6" r="3.4" />
      </g>
    </svg>
    <div class="cells">
      <NumberField
        bare
        :label="`${look.label} soft below`"
        :value="condition.soft_lo!"
        :step="look.step"
        :bounds="ConditionSettingsBounds.soft_lo"
        :wrong="wrong"
        :disabled="disabled"
        :test="name('soft_lo')"
        @change="set('soft_lo', $event)"
      />
      <NumberField
        v-if="condition.lo > -ENDLESS"
        bare
        :label="`${look.label} from`"
        :value="condition.lo"
        :step="look.step"
        :wrong="wrong"
        :disabled="disabled"
        :test="name('lo')"
        @change="set('lo', $event)"
      />
      <ActionButton
        v-else
        tip="No lower limit; press to give it one"
        :disabled="disabled"
        @click="set('lo', 0)"
        >no start</ActionButton
      >
      <NumberField
        v-if="condition.hi < ENDLESS"
        bare
        :label="`${look.label} to`"
        :value="condition.hi"
        :step="look.step"
        :wrong="wrong"
        :disabled="disabled"
        :test="name('hi')"
        @change="set('hi', $event)"
      />
      <ActionButton
        v-else
        tip="No upper limit; press to give it one"
        :disabled="disabled"
        :data-test="`${kind}-endless`"
        @click="set('hi', Math.max(condition.lo + 10, 10))"
        >no end</ActionButton
      >
      <NumberField
        bare
        :label="`${look.label} soft above`"
        :value="condition.soft_hi!"
        :step="look.step"
        :bounds="ConditionSettingsBounds.soft_hi"
        :wrong="wrong"
        :disabled="disabled"
        :test="name('soft_hi')"
        @change="set('soft_hi', $event)"
      />
    </div>
    <div class="cells caps faint">
      <span>soft below</span><span>from</span><span>to</span
      ><span>soft above{{ look.unit ? `, ${look.unit}` : '' }}</span>
    </div>
  </div>
</template>

<style scoped>
svg {
  width: 100%;
  display: block;
  touch-action: none;
}
.bar {
  fill: color-mix(in srgb, var(--slate) 42%, transparent);
}
.shape {
  fill: color-mix(in srgb, var(--green) 22%, transparent);
  stroke: var(--green);
  stroke-width: 1.2;
}
.foot {
  stroke: var(--ink);
}
.handle {
  cursor: ew-resize;
}
.handle line {
  stroke: var(--green);
  stroke-dasharray: 2 2;
}
.handle circle {
  fill: var(--sheet);
  stroke: var(--green);
  stroke-width: 1.6;
}
.handle.soft_lo circle,
.handle.soft_hi circle {
  fill: var(--green);
}
.cells {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 4px;
  margin-top: 3px;
}
.caps {
  font-size: 11.5px;
  margin-top: 0;
}
</style>

<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Condition } from '../api/client'
import NumberField from './NumberField.vue'

const props = defineProps<{ condition: Condition; histogram: { counts: number[]; edges: number[] }; unit: string; wrong?: boolean; disabled?: boolean }>()
const emit = defineEmits<{ change: [condition: Condition] }>()
const svg = ref<SVGSVGElement>()
const WIDE = 290
const TALL = 74
const FOOT = 70

const range = computed(() => {
  const e = props.histogram.edges
  const room = (e[e.length - 1] - e[0]) * 0.03
  return [e[0] - room, e[e.length - 1] + room]
})
const toX = (v: number) => ((v - range.value[0]) / (range.value[1] - range.value[0])) * WIDE
const clampX = (v: number) => Math.min(Math.max(toX(v), 0), WIDE)
const bars = computed(() => {
  const { counts, edges } = props.histogram
  const most = Math.sqrt(Math.max(...counts))
  return counts.map((c, k) => {
    const h = (Math.sqrt(c) / most) * (FOOT - 8)
    return { x: toX(edges[k]), w: Math.max(toX(edges[k + 1]) - toX(edges[k]) - 0.6, 0.5), y: FOOT - h, h }
  })
})
const shape = computed(() => {
  const c = props.condition
  const smooth = (t: number) => t * t * (3 - 2 * t)
  const points: string[] = []
  for (let k = 0; k <= 8; k++) points.push(`${toX(c.lo - c.soft_lo + (c.soft_lo * k) / 8)},${FOOT - smooth(k / 8) * (FOOT - 8)}`)
  for (let k = 8; k >= 0; k--) points.push(`${toX(c.hi + c.soft_hi - (c.soft_hi * k) / 8)},${FOOT - smooth(k / 8) * (FOOT - 8)}`)
  return `M${points[0].split(',')[0]} ${FOOT} L${points.join(' L')} L${points[points.length - 1].split(',')[0]} ${FOOT} Z`
})
const share = computed(() => {
  const { counts, edges } = props.histogram
  let inside = 0
  counts.forEach((n, k) => {
    const mid = (edges[k] + edges[k + 1]) / 2
    if (mid >= props.condition.lo && mid <= props.condition.hi) inside += n
  })
  return inside / counts.reduce((a, b) => a + b, 0)
})

const HANDLES = ['soft_lo', 'lo', 'hi', 'soft_hi'] as const
type Handle = (typeof HANDLES)[number]
const at = (h: Handle) => {
  const c = props.condition
  return clampX(h === 'soft_lo' ? c.lo - c.soft_lo : h === 'soft_hi' ? c.hi + c.soft_hi : c[h])
}
const round = (v: number) => Math.round(v * 10) / 10
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
  put(held.value, range.value[0] + t * (range.value[1] - range.value[0]))
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
  const c = props.condition
  const now = h === 'soft_lo' ? c.lo - c.soft_lo : h === 'soft_hi' ? c.hi + c.soft_hi : c[h]
  put(h, now + way * (event.shiftKey ? 5 : 0.5))
}
const set = (name: Handle, v: number) => emit('change', { ...props.condition, [name]: v })
</script>

<template>
  <div class="band" :class="{ off: !condition.on }" :data-test="`band-${condition.kind}`">
    <header>
      <label><input type="checkbox" :checked="condition.on" :disabled="disabled" :aria-label="`Use ${condition.kind}`" @change="emit('change', { ...condition, on: ($event.target as HTMLInputElement).checked })" /> <span class="name">{{ condition.kind === 'altitude' ? 'Altitude' : 'Slope' }}</span></label>
      <span class="faint number">{{ Math.round(share * 100) }} % of the ground</span>
    </header>
    <svg ref="svg" :viewBox="`0 0 ${WIDE} ${TALL}`" @pointermove="move" @pointerup="held = null" @pointercancel="held = null">
      <rect v-for="(b, k) in bars" :key="k" class="bar" :x="b.x" :y="b.y" :width="b.w" :height="b.h" />
      <path class="shape" :d="shape" />
      <line class="foot" x1="0" :x2="WIDE" :y1="FOOT" :y2="FOOT" />
      <g v-for="h in HANDLES" :key="h" class="handle" :class="h" tabindex="0" role="slider" data-keys :aria-label="`${condition.kind} ${h.replace('_', ' edge, ')}`" :aria-valuenow="Math.round(at(h))" :data-test="`band-${condition.kind}-handle-${h}`" @pointerdown="grab(h, $event)" @keydown="key(h, $event)">
        <rect :x="at(h) - 6" y="2" width="12" :height="FOOT" fill="transparent" />
        <line :x1="at(h)" :x2="at(h)" :y1="h.startsWith('soft') ? FOOT - 14 : 6" :y2="FOOT" />
        <circle :cx="at(h)" :cy="h.startsWith('soft') ? FOOT - 16 : 6" r="3.4" />
      </g>
    </svg>
    <div class="cells">
      <NumberField bare :label="`${condition.kind} soft below`" :value="condition.soft_lo" :step="0.5" :min="0" :wrong="wrong" :disabled="disabled" :test="`${condition.kind}-soft-lo`" @change="set('soft_lo', $event)" />
      <NumberField bare :label="`${condition.kind} from`" :value="condition.lo" :step="0.5" :wrong="wrong" :disabled="disabled" :test="`${condition.kind}-lo`" @change="set('lo', $event)" />
      <NumberField bare :label="`${condition.kind} to`" :value="condition.hi" :step="0.5" :wrong="wrong" :disabled="disabled" :test="`${condition.kind}-hi`" @change="set('hi', $event)" />
      <NumberField bare :label="`${condition.kind} soft above`" :value="condition.soft_hi" :step="0.5" :min="0" :wrong="wrong" :disabled="disabled" :test="`${condition.kind}-soft-hi`" @change="set('soft_hi', $event)" />
    </div>
    <div class="cells caps faint">
      <span>soft below</span><span>from</span><span>to</span><span>soft above, {{ unit }}</span>
    </div>
  </div>
</template>

<style scoped>
.band {
  margin: 4px 0 12px;
}
.band.off svg,
.band.off .cells {
  opacity: 0.45;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
.name {
  font-size: 16px;
}
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

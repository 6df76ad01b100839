<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Stand, WalkResult } from '../api/client'
import { inkOf } from '../budget/budget'

/** Pops, and ms by line, along a walk. Press to go there. */
const props = defineProps<{
  result: WalkResult
  before: WalkResult | null
  time: number
  stands: Stand[]
}>()
const emit = defineEmits<{ seek: [time: number] }>()
const svg = ref<SVGSVGElement>()
const { width } = useElementSize(svg)
const wide = computed(() => Math.max(width.value, 200))
const TALL = 92
const HALF = 44

const toX = (t: number) => (t / props.result.seconds) * wide.value
const most = computed(() => Math.max(1, ...props.result.curve, ...(props.before?.curve ?? [])))
const dear = computed(() => Math.max(0.1, ...props.result.ms, ...(props.before?.ms ?? [])))
function curve(r: WalkResult): string {
  const step = r.seconds / r.curve.length
  const tops = r.curve.map((v, k) => {
    const y = HALF - Math.sqrt(v / most.value) * (HALF - 4)
    return `L${toX(k * step).toFixed(1)},${y.toFixed(1)}`
  })
  return `M0,${HALF} ${tops.join(' ')} L${wide.value},${HALF} Z`
}
function line(r: WalkResult): string {
  const points = r.times.map((t, k) => [toX(t), toY(r.ms[k])])
  return `M${points.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(' L')}`
}
const toY = (ms: number) => TALL - (ms / dear.value) * 40
/** The ground's ms and each stand's, one over the other, in the stands' inks. */
const lines = computed(() => {
  const { times, lines } = props.result
  const foot = times.map(() => 0)
  return Object.entries(lines).map(([stand, ms]) => {
    const low = foot.map((v, k) => `${toX(times[k]).toFixed(1)},${toY(v).toFixed(1)}`).reverse()
    ms.forEach((v, k) => (foot[k] += v))
    const high = foot.map((v, k) => `${toX(times[k]).toFixed(1)},${toY(v).toFixed(1)}`)
    const of = props.stands.find((s) => s.id === Number(stand))
    return {
      stand,
      name: of?.name ?? 'Ground',
      ink: of ? inkOf(of) : '',
      d: `M${high.join(' L')} L${low.join(' L')} Z`,
    }
  })
})
/** The three dearest lines of the frame that is looked at. */
const dearest = computed(() => {
  const { times, lines: each } = props.result
  const at = times.reduce(
    (best, t, k) => (Math.abs(t - props.time) < Math.abs(times[best] - props.time) ? k : best),
    0,
  )
  return lines.value
    .map(({ stand, name }) => ({ name, ms: each[stand][at] }))
    .sort((a, b) => b.ms - a.ms)
    .slice(0, 3)
})
function seek(event: PointerEvent) {
  if (!svg.value || !(event.buttons & 1)) return
  const box = svg.value.getBoundingClientRect()
  const share = Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1)
  emit('seek', share * props.result.seconds)
}
</script>

<template>
  <svg
    ref="svg"
    class="walk"
    :viewBox="`0 0 ${wide} ${TALL + 4}`"
    :height="TALL + 4"
    role="img"
    aria-label="Pops and milliseconds along the walk"
    data-test="walk-chart"
    @pointerdown="seek"
    @pointermove="seek"
  >
    <path v-if="before" class="before" :d="curve(before)" />
    <path class="pops" :d="curve(result)" />
    <line class="base" x1="0" :x2="wide" :y1="HALF" :y2="HALF" />
    <path v-for="l in lines" :key="l.stand" class="part" :d="l.d" :style="l.ink && { fill: l.ink }" />
    <path v-if="before" class="ms old" :d="line(before)" />
    <path class="ms" :d="line(result)" />
    <line class="now" :x1="toX(time)" :x2="toX(time)" y1="0" :y2="TALL" />
    <text :x="wide - 2" y="11" text-anchor="end">pops</text>
    <text :x="wide - 2" :y="TALL" text-anchor="end">
      {{ Math.max(...result.ms).toFixed(2) }} ms at the most
    </text>
  </svg>
  <p class="faint number lines" data-test="walk-lines">
    Dearest here: {{ dearest.map((l) => `${l.name} ${l.ms.toFixed(2)} ms`).join(', ') }}.
  </p>
</template>

<style scoped>
.walk {
  width: 100%;
  display: block;
  cursor: pointer;
  border-top: 1px solid var(--line);
  border-bottom: 1px solid var(--line);
  touch-action: none;
}
text {
  font-size: 11px;
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
  pointer-events: none;
}
.pops {
  fill: var(--oxblood);
  fill-opacity: 0.55;
}
.before {
  fill: none;
  stroke: var(--faint);
  stroke-dasharray: 2 2;
}
.base {
  stroke: var(--line);
}
.lines {
  margin: 4px 0;
  white-space: normal;
}
.part {
  fill: var(--faint);
  fill-opacity: 0.4;
}
.ms {
  fill: none;
  stroke: var(--green);
  stroke-width: 1.6;
}
.ms.old {
  stroke: var(--faint);
  stroke-dasharray: 2 2;
}
.now {
  stroke: var(--ink);
}
</style>

<script setup lang="ts">
import { computed, ref } from 'vue'
import { nearestPoint, withPoint, withoutPoint, type Curve } from './curve'

/**
 * A curve from values 0–1 to shares 0–1 along straight lines between its points: a point is dragged, a click
 * beside the line adds one, and Delete or a double click takes one away.
 */
const props = defineProps<{ curve: Curve; label: string; disabled?: boolean; counts?: number[] }>()
const emit = defineEmits<{ change: [curve: Curve] }>()
const WIDE = 280
const TALL = 110
const EDGE = 9
const svg = ref<SVGSVGElement>()
const held = ref(-1)
const toX = (v: number) => EDGE + v * (WIDE - 2 * EDGE)
const toY = (v: number) => TALL - EDGE - v * (TALL - 2 * EDGE)
const line = computed(() => {
  const [first, last] = [props.curve[0]!, props.curve[props.curve.length - 1]!]
  const whole: [number, number][] = [[0, first[1]], ...props.curve, [1, last[1]]]
  return `M${whole.map(([x, y]) => `${toX(x)},${toY(y)}`).join(' L')}`
})
const bars = computed(() => {
  const most = Math.sqrt(Math.max(1, ...(props.counts ?? [])))
  return (props.counts ?? []).map((n, k, all) => ({
    x: toX(k / all.length),
    w: (WIDE - 2 * EDGE) / all.length,
    h: (Math.sqrt(n) / most) * (TALL - 2 * EDGE),
  }))
})
function at(event: PointerEvent | MouseEvent): [number, number] {
  const box = svg.value!.getBoundingClientRect()
  const x = ((event.clientX - box.left) / box.width) * WIDE
  const y = ((event.clientY - box.top) / box.height) * TALL
  return [(x - EDGE) / (WIDE - 2 * EDGE), (TALL - EDGE - y) / (TALL - 2 * EDGE)]
}
function press(event: PointerEvent) {
  if (props.disabled) return
  const point = at(event)
  const near = nearestPoint(props.curve, point, 0.06)
  if (near < 0) {
    const next = withPoint(props.curve, props.curve.length, point)
    emit('change', next)
    held.value = nearestPoint(next, point, 1)
  } else held.value = near
  svg.value!.setPointerCapture(event.pointerId)
}
function move(event: PointerEvent) {
  if (held.value >= 0) emit('change', withPoint(props.curve, held.value, at(event)))
}
function key(k: number, event: KeyboardEvent) {
  const [dx, dy] =
    { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key] ?? []
  if (props.disabled) return
  if (event.key === 'Delete' || event.key === 'Backspace') emit('change', withoutPoint(props.curve, k))
  else if (dx !== undefined) {
    const step = event.shiftKey ? 0.1 : 0.01
    const [x, y] = props.curve[k]!
    emit('change', withPoint(props.curve, k, [x + dx * step, y + dy! * step]))
  } else return
  event.preventDefault()
}
const percent = (v: number) => `${Math.round(v * 100)} %`
</script>

<template>
  <svg
    ref="svg"
    class="curve"
    :class="{ disabled }"
    :viewBox="`0 0 ${WIDE} ${TALL}`"
    role="group"
    :aria-label="label"
    data-test="curve"
    @pointerdown="press"
    @pointermove="move"
    @pointerup="held = -1"
    @pointercancel="held = -1"
  >
    <rect class="frame" :x="EDGE" :y="EDGE" :width="WIDE - 2 * EDGE" :height="TALL - 2 * EDGE" />
    <rect
      v-for="(b, k) in bars"
      :key="`b${k}`"
      class="bar"
      :x="b.x"
      :y="TALL - EDGE - b.h"
      :width="b.w"
      :height="b.h"
    />
    <path :d="line" />
    <circle
      v-for="([x, y], k) in curve"
      :key="k"
      :cx="toX(x)"
      :cy="toY(y)"
      r="5"
      tabindex="0"
      role="slider"
      data-keys
      :aria-label="`Point ${k + 1}`"
      :aria-valuenow="Math.round(y * 100)"
      :aria-valuetext="`${percent(x)} becomes ${percent(y)}`"
      :data-test="`curve-${k}`"
      @dblclick="disabled || emit('change', withoutPoint(curve, k))"
      @keydown="key(k, $event)"
    >
      <title>{{ percent(x) }} becomes {{ percent(y) }}</title>
    </circle>
  </svg>
</template>

<style scoped>
.curve {
  width: 100%;
  display: block;
  touch-action: none;
  cursor: crosshair;
}
.disabled {
  pointer-events: none;
  opacity: 0.5;
}
.frame {
  fill: none;
  stroke: var(--line);
}
.bar {
  fill: var(--slate);
  opacity: 0.35;
}
path {
  fill: none;
  stroke: var(--green);
  stroke-width: 1.8;
}
circle {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.6;
  cursor: grab;
}
</style>

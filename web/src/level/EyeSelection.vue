<script setup lang="ts">
import { computed, ref } from 'vue'
import { useSelection } from '../planting/selection'
import type { Stage } from '../stage/stage'

/**
 * Handles of the selected plants in the eye view: each moves them along one axis, or turns them about one.
 */
const props = defineProps<{
  stage: Stage
  ticks: number
  /** Ring the plants as they would stand, so many m east and south. */
  ring: (east: number, south: number) => void
}>()
type Axis = 'east' | 'south' | 'up'
type Handle = { axis: Axis; turns: boolean }
const WAYS: Record<Axis, [number, number, number]> = { east: [1, 0, 0], south: [0, 0, 1], up: [0, 1, 0] }
const AXES = Object.keys(WAYS) as Axis[]
/** Each handle lies so many pixels from the middle. */
const REACH = 84
const LETTER: Record<Axis, string> = { east: 'E', south: 'S', up: '↑' }
const TIPS = {
  east: ['Drag to move them east or west', 'Drag round to tilt them about the way east'],
  south: ['Drag to move them south or north', 'Drag round to tilt them about the way south'],
  up: ['Drag to raise or lower them', 'Drag round to turn them; several turn about their middle'],
} as const
const selection = useSelection()
const rad = (degrees: number) => (degrees * Math.PI) / 180
const middle = computed<[number, number, number] | null>(() => {
  const all = selection.plants
  if (!selection.movable) return null
  const mean = (name: 'x' | 'y' | 'z') => all.reduce((sum, p) => sum + p[name], 0) / all.length
  return [mean('x'), mean('y'), mean('z')]
})
/** A place along an axis from the middle, `far` m on. */
const along = ([x, y, z]: [number, number, number], axis: Axis, far: number): [number, number, number] => {
  const [a, b, c] = WAYS[axis]
  return [x + a * far, y + b * far, z + c * far]
}
const shown = computed(() => {
  void props.ticks
  const at = middle.value
  const { eye } = props.stage
  const origin = at && eye.to(...at)
  if (!at || !origin) return null
  const { x, y, z, fov } = eye.view
  const far = Math.hypot(at[0] - x, at[1] - y, at[2] - z)
  const metre = eye.height / (2 * far * Math.tan(rad(fov) / 2))
  const reach = REACH / metre
  const handles = AXES.flatMap((axis) =>
    [false, true].flatMap((turns) => {
      // Those that turn lie beyond the middle, but that of the upright above its arrow.
      const on = eye.to(...along(at, axis, turns ? (axis === 'up' ? 1.5 : -1) * reach : reach))
      return on ? [{ axis, turns, on }] : []
    }),
  )
  return { at, origin, reach, handles }
})

interface Held extends Handle {
  start: [number, number]
  origin: [number, number]
  /** How far, in pixels, a metre along the axis goes on the screen. */
  metre: [number, number]
  /** Whether turning clockwise on the screen turns against the axis. */
  against: boolean
}
let held: Held | null = null
const by = ref<(Handle & { amount: number }) | null>(null)
function pointer(event: PointerEvent): [number, number] {
  const box = (event.currentTarget as SVGElement).closest('svg')!.getBoundingClientRect()
  return [event.clientX - box.left, event.clientY - box.top]
}
function grab(handle: Handle, event: PointerEvent) {
  const s = shown.value
  const end = s && props.stage.eye.to(...along(s.at, handle.axis, s.reach))
  if (!s || !end || event.button !== 0 || selection.busy) return
  event.stopPropagation()
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  const eye = props.stage.eye.view
  const toward = [eye.x - s.at[0], eye.y - s.at[1], eye.z - s.at[2]] as const
  const way = WAYS[handle.axis]
  held = {
    axis: handle.axis,
    turns: handle.turns,
    start: pointer(event),
    origin: s.origin,
    metre: [(end[0] - s.origin[0]) / s.reach, (end[1] - s.origin[1]) / s.reach],
    against: toward[0] * way[0] + toward[1] * way[1] + toward[2] * way[2] > 0,
  }
  by.value = { ...handle, amount: 0 }
}
function amountAt(h: Held, [px, py]: [number, number]): number {
  if (!h.turns) {
    const [mx, my] = h.metre
    return ((px - h.start[0]) * mx + (py - h.start[1]) * my) / Math.max(mx * mx + my * my, 1e-6)
  }
  const angle = ([x, y]: [number, number]) => Math.atan2(y - h.origin[1], x - h.origin[0])
  const clockwise = ((((angle([px, py]) - angle(h.start)) * 180) / Math.PI + 540) % 360) - 180
  return h.against ? -clockwise : clockwise
}
function drag(event: PointerEvent) {
  if (!held) return
  const amount = +amountAt(held, pointer(event)).toFixed(held.turns ? 1 : 2)
  by.value = { axis: held.axis, turns: held.turns, amount }
  if (!held.turns && held.axis !== 'up')
    props.ring(held.axis === 'east' ? amount : 0, held.axis === 'south' ? amount : 0)
}
async function drop() {
  const done = by.value
  const at = middle.value
  held = null
  by.value = null
  if (!done?.amount || !at) return
  const { axis, turns, amount } = done
  // Compass degrees go clockwise seen from above, against the upright.
  const turned = axis === 'up' ? { turn_by: -amount } : { [`roll_${axis}`]: amount }
  const about =
    selection.plants.length > 1 && axis === 'up' ? { about: [at[0], at[2]] as [number, number] } : {}
  const moved = axis === 'up' ? { rise: amount } : { [axis]: amount }
  if (!(await selection.act(turns ? { ...turned, ...about } : moved))) props.ring(0, 0)
}
function cancel() {
  held = null
  by.value = null
  props.ring(0, 0)
}
const says = computed(() => {
  if (!by.value) return ''
  const { axis, turns, amount } = by.value
  if (turns) return `${Math.abs(amount).toFixed(0)}°`
  const ways = { east: ['east', 'west'], south: ['south', 'north'], up: ['up', 'down'] }[axis]
  return `${Math.abs(amount).toFixed(2)} m ${ways[amount < 0 ? 1 : 0]}`
})
</script>

<template>
  <svg class="handles" data-test="eye-selection">
    <template v-if="shown">
      <line
        v-for="h in shown.handles"
        :key="`${h.axis}${h.turns}`"
        :class="{ turns: h.turns }"
        :x1="shown.origin[0]"
        :y1="shown.origin[1]"
        :x2="h.on[0]"
        :y2="h.on[1]"
      />
      <g
        v-for="h in shown.handles"
        :key="`${h.axis}${h.turns}-handle`"
        :transform="`translate(${h.on[0].toFixed(1)} ${h.on[1].toFixed(1)})`"
        :data-test="`selection-${h.turns ? 'turn' : 'move'}-${h.axis}`"
        @pointerdown="grab(h, $event)"
        @pointermove="drag"
        @pointerup="drop"
        @pointercancel="cancel"
      >
        <title>{{ TIPS[h.axis][h.turns ? 1 : 0] }}</title>
        <circle r="10" />
        <path v-if="h.turns" d="M-4.5 -1.5 A4.8 4.8 0 1 1 -1.5 4.6 M-4.5 -1.5 l-2 2.6 M-4.5 -1.5 l2.8 1.4" />
        <text v-else>{{ LETTER[h.axis] }}</text>
      </g>
      <text v-if="says" class="says" :x="shown.origin[0]" :y="shown.origin[1] + 26" data-test="selection-by">
        {{ says }}
      </text>
    </template>
  </svg>
</template>

<style scoped>
.handles {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  overflow: hidden;
  pointer-events: none;
}
line {
  stroke: #7b2d26;
  stroke-width: 1.6;
}
line.turns {
  stroke-dasharray: 3 4;
  stroke-width: 1.1;
}
g {
  pointer-events: all;
  cursor: grab;
}
g:active {
  cursor: grabbing;
}
circle {
  fill: #f4eee0;
  stroke: #7b2d26;
  stroke-width: 1.4;
}
g:hover circle {
  fill: #fffaf0;
  stroke-width: 2.2;
}
path {
  fill: none;
  stroke: #7b2d26;
  stroke-width: 1.6;
}
text {
  fill: #7b2d26;
  font-size: 11px;
  font-weight: 600;
  text-anchor: middle;
  dominant-baseline: central;
}
.says {
  font-size: 14px;
  paint-order: stroke;
  stroke: #f4eee0;
  stroke-width: 4px;
}
</style>

<script setup lang="ts">
import { computed } from 'vue'
import type { Stage } from '../stage/stage'
import { outlineOf, useSurfaces } from '../ground/surfaces'

/** The outlines of placed meshes on the plan; on the Ground bench one is chosen by a press and dragged. */
const props = defineProps<{ stage: Stage; ticks: number; edits: boolean }>()
const surfaces = useSurfaces()
const drawn = computed(() => {
  void props.ticks
  return surfaces.shown
    .filter((s) => !s.hidden)
    .map((s) => {
      const at = outlineOf(s).map(([x, z]) => props.stage.plan.to(x, z))
      const d = at.map(([x, y], k) => `${k ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')
      return {
        s,
        d: `${d}Z`,
        low: Math.max(...at.map((p) => p[1])),
        wide: Math.max(...at.map((p) => p[0])) - Math.min(...at.map((p) => p[0])),
        middle: props.stage.plan.to(s.at[0], s.at[2]),
      }
    })
})
/** Names that have room: the chosen one's, then those of the widest outlines, none over another. */
const labels = computed(() => {
  const taken: number[][] = []
  const first = (d: (typeof drawn.value)[number]) => (d.s.id === surfaces.chosen ? Infinity : d.wide)
  return [...drawn.value]
    .sort((a, b) => first(b) - first(a))
    .filter(({ s, wide, low, middle }) => {
      const half = s.name.length * 3.4
      const mine = [middle[0] - half, low + 2, middle[0] + half, low + 19]
      const over = taken.some(
        (t) => mine[0]! < t[2]! && mine[2]! > t[0]! && mine[1]! < t[3]! && mine[3]! > t[1]!,
      )
      if (s.id !== surfaces.chosen && (over || wide < 14)) return false
      taken.push(mine)
      return true
    })
})
let from: { x: number; z: number; at: [number, number, number] } | null = null
function place(event: PointerEvent): [number, number] {
  const box = (event.currentTarget as SVGElement).closest('svg')!.getBoundingClientRect()
  return props.stage.plan.at(event.clientX - box.left, event.clientY - box.top)
}
function grab(id: number, event: PointerEvent) {
  if (event.button !== 0) return
  event.stopPropagation()
  const fresh = surfaces.chosen !== id
  surfaces.chosen = id
  const s = surfaces.shown.find((x) => x.id === id)!
  if (fresh || s.locked) return
  const [x, z] = place(event)
  from = { x, z, at: s.at }
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent) {
  if (!from) return
  const [x, z] = place(event)
  const [ax, y, az] = from.at
  surfaces.attempt({ at: [+(ax + x - from.x).toFixed(2), y, +(az + z - from.z).toFixed(2)] })
}
</script>

<template>
  <svg class="placed" :class="{ edits }" data-test="plan-surfaces">
    <g v-for="{ s, d } in drawn" :key="s.id" :class="{ chosen: edits && s.id === surfaces.chosen }">
      <path
        :d="d"
        :data-test="`plan-surface-${s.id}`"
        @pointerdown="grab(s.id, $event)"
        @pointermove="drag"
        @pointerup="from = null"
        @pointercancel="from = null"
      />
    </g>
    <template v-if="edits">
      <text
        v-for="{ s, low, middle } in labels"
        :key="`t${s.id}`"
        :x="middle[0]"
        :y="low + 15"
        text-anchor="middle"
      >
        {{ s.name }}
      </text>
    </template>
  </svg>
</template>

<style scoped>
.placed {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
path {
  fill: #6b625022;
  stroke: #34302a;
  stroke-width: 1.3;
  stroke-dasharray: 6 2;
}
.edits path {
  pointer-events: all;
  cursor: pointer;
}
.chosen path {
  cursor: move;
  stroke: #7b2d26;
  stroke-width: 2;
}
text {
  font-family: var(--serif);
  font-style: italic;
  font-size: 14px;
  fill: #34302a;
  paint-order: stroke;
  stroke: #f4eee0cc;
  stroke-width: 3px;
}
</style>

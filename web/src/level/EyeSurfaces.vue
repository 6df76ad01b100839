<script setup lang="ts">
import { computed } from 'vue'
import type { Surface } from '../api/client'
import { useSurfaces } from '../ground/surfaces'
import { useLevel } from './level'
import type { Stage } from '../stage/stage'

/**
 * Handles of the chosen placed mesh in the eye view: moved over the ground, raised, turned and sized by
 * dragging.
 */
const props = defineProps<{ stage: Stage; ticks: number }>()
const store = useLevel()
const surfaces = useSurfaces()
type Handle = 'move' | 'raise' | 'turn' | 'size'
const TIPS: Record<Handle, string> = {
  move: 'Drag to move it over the ground',
  raise: 'Drag up or down to raise or lower it',
  turn: 'Drag round to turn it',
  size: 'Drag outward to make it larger',
}
const chosen = computed(() => {
  const s = surfaces.shown.find((x) => x.id === surfaces.chosen)
  return s && store.mayPlant && !s.locked && !s.hidden ? s : null
})
const rad = (degrees: number) => (degrees * Math.PI) / 180
const farOf = ([x, y, z]: [number, number, number], eye = props.stage.eye.view) =>
  Math.hypot(x - eye.x, y - eye.y, z - eye.z)
/** How far the handles lie from its own origin, in m: as far as it reaches, or as there is room for them. */
function reachOf(s: Surface): number {
  const own = Math.max(0.5, ...s.hull.map((p) => Math.hypot(...p))) * (s.scale ?? 1)
  const { fov, aspect } = props.stage.eye.view
  return Math.min(own, 0.55 * farOf(s.at) * Math.tan(rad(fov) / 2) * Math.min(aspect, 1))
}

const shown = computed(() => {
  void props.ticks
  const s = chosen.value
  if (!s) return null
  const [x, y, z] = s.at
  const eye = props.stage.eye
  const reach = reachOf(s)
  const round = Array.from({ length: 49 }, (_, k) =>
    eye.to(x + Math.sin((k * Math.PI) / 24) * reach, y, z - Math.cos((k * Math.PI) / 24) * reach),
  )
  const front = rad(s.turn ?? 0)
  const at: Record<Handle, [number, number] | null> = {
    move: eye.to(x, y, z),
    raise: eye.to(x, y + reach, z),
    turn: eye.to(x + Math.sin(front) * reach, y, z - Math.cos(front) * reach),
    size: eye.to(x - Math.sin(front) * reach, y, z + Math.cos(front) * reach),
  }
  if (!at.move) return null
  const line = round.flatMap((p, k) =>
    p ? [`${k && round[k - 1] ? 'L' : 'M'}${p[0].toFixed(1)} ${p[1].toFixed(1)}`] : [],
  )
  return { s, at, ring: line.join('') }
})
const handles = computed(() =>
  (['size', 'turn', 'raise', 'move'] as Handle[]).flatMap((kind) => {
    const at = shown.value?.at[kind]
    return at ? [{ kind, at }] : []
  }),
)

let held: { kind: Handle; from: Surface; start: [number, number]; grip: [number, number] } | null = null
function pointer(event: PointerEvent): [number, number] {
  const box = (event.currentTarget as SVGElement).closest('svg')!.getBoundingClientRect()
  return [event.clientX - box.left, event.clientY - box.top]
}
const groundAt = (x: number, z: number) => props.stage.ground.heightAt(x, z)

function grab(kind: Handle, event: PointerEvent) {
  const s = chosen.value
  if (!s || event.button !== 0) return
  event.stopPropagation()
  const start = pointer(event)
  const grip = props.stage.eye.onPlane(...start, s.at[1]) ?? [s.at[0], s.at[2]]
  held = { kind, from: { ...s }, start, grip }
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent) {
  if (!held) return
  const { kind, from, start, grip } = held
  const [x, y, z] = from.at
  const now = pointer(event)
  const eye = props.stage.eye
  if (kind === 'raise') {
    const perPixel = (2 * farOf(from.at) * Math.tan(rad(eye.view.fov) / 2)) / eye.height
    return surfaces.attempt({ at: [x, +(y - (now[1] - start[1]) * perPixel).toFixed(2), z] })
  }
  const at = eye.onPlane(...now, y)
  if (!at) return
  if (kind === 'move') {
    const [east, south] = [x + at[0] - grip[0], z + at[1] - grip[1]]
    if (!props.stage.ground.inside(east, south)) return
    // It keeps its height above the ground.
    const high = y - groundAt(x, z) + groundAt(east, south)
    surfaces.attempt({ at: [+east.toFixed(2), +high.toFixed(2), +south.toFixed(2)] })
  } else if (kind === 'turn') {
    const way = (p: [number, number]) => (Math.atan2(p[0] - x, z - p[1]) * 180) / Math.PI
    const turn = (from.turn ?? 0) + way(at) - way(grip)
    surfaces.attempt({ turn: +((((turn % 360) + 540) % 360) - 180).toFixed(1) })
  } else {
    const far = (p: [number, number]) => Math.hypot(p[0] - x, p[1] - z)
    const scale = ((from.scale ?? 1) * far(at)) / Math.max(far(grip), 0.05)
    surfaces.attempt({ scale: +Math.min(Math.max(scale, 0.01), 100).toFixed(3) })
  }
}
const drop = () => (held = null)
</script>

<template>
  <svg class="handles" data-test="eye-surfaces">
    <template v-if="shown">
      <path class="ring" :d="shown.ring" />
      <line
        v-if="shown.at.raise && shown.at.move"
        :x1="shown.at.move[0]"
        :y1="shown.at.move[1]"
        :x2="shown.at.raise[0]"
        :y2="shown.at.raise[1]"
      />
      <g
        v-for="h in handles"
        :key="h.kind"
        :class="h.kind"
        :transform="`translate(${h.at[0].toFixed(1)} ${h.at[1].toFixed(1)})`"
        :data-test="`handle-${h.kind}`"
        @pointerdown="grab(h.kind, $event)"
        @pointermove="drag"
        @pointerup="drop"
        @pointercancel="drop"
      >
        <title>{{ TIPS[h.kind] }}</title>
        <circle class="reach" r="15" />
        <circle v-if="h.kind === 'move'" r="8" />
        <path v-else-if="h.kind === 'raise'" d="M0 -10 L8 4 L-8 4 Z" />
        <path
          v-else-if="h.kind === 'turn'"
          d="M-8 -3 A8.5 8.5 0 1 1 -3 8 M-8 -3 l-3 5 M-8 -3 l5 2"
          class="open"
        />
        <rect v-else x="-7" y="-7" width="14" height="14" />
      </g>
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
.handles > * {
  fill: none;
  stroke: #7b2d26;
  stroke-width: 1.4;
}
.ring {
  stroke-dasharray: 5 3;
}
g {
  pointer-events: all;
  cursor: grab;
}
g:active {
  cursor: grabbing;
}
g > * {
  fill: #f4eee0;
}
g > .open {
  fill: none;
  stroke-width: 2.2;
}
g > .reach {
  fill: #f4eee0aa;
  stroke: none;
}
g:hover > .reach {
  fill: #f4eee0;
}
</style>

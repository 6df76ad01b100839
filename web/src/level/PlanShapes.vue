<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Shape, ShapeIn } from '../api/client'
import type { Stage } from '../stage/stage'
import { useLevel } from './level'
import { cornersOf, movedBy, useShapes } from '../ground/shapes'

const props = defineProps<{ stage: Stage; ticks: number; edits: boolean; pointer: [number, number] | null }>()
const store = useLevel()
const shapes = useShapes()
const held = ref<{ corner: number; x: number; z: number; from: ShapeIn } | null>(null)

const to = (x: number, z: number) => props.stage.plan.to(x, z)
const line = (points: [number, number][], closed: boolean) =>
  points
    .map(
      ([x, z], k) =>
        `${k ? 'L' : 'M'}${to(x, z)
          .map((v) => v.toFixed(1))
          .join(' ')}`,
    )
    .join('') + (closed ? 'Z' : '')
const drawn = computed(() => {
  void props.ticks
  return shapes.shown
    .filter((s) => !s.hidden)
    .map((s) => ({
      s,
      d: line(s.points, s.kind !== 'path'),
      wide: s.width / props.stage.plan.pixel,
      at: to(...labelAt(s)),
    }))
})
function labelAt(s: Shape): [number, number] {
  const p = s.points
  if (s.kind === 'path') return p[Math.floor(p.length / 2)]!
  return [p.reduce((n, q) => n + q[0], 0) / p.length, p.reduce((n, q) => n + q[1], 0) / p.length]
}
/** Names that have room: none over another or over a bookmark's, none on a shape too small to carry it. */
const labels = computed(() => {
  const taken = props.stage.level.bookmarks.map((b) => {
    const [x, y] = to(b.x, b.z)
    return [x - 4, y - 9, x + 12 + b.name.length * 7, y + 8]
  })
  return drawn.value.filter(({ s, wide, at }) => {
    const box = s.points.map((p) => to(...p))
    const across = Math.max(...box.map((p) => p[0])) - Math.min(...box.map((p) => p[0]))
    const half = s.name.length * 3.4
    const mine = [at[0] - half, at[1] - 19, at[0] + half, at[1] - 2]
    if (s.id !== shapes.chosen) {
      if (across < 26 && wide < 6) return false
      if (taken.some((t) => mine[0]! < t[2]! && mine[2]! > t[0]! && mine[1]! < t[3]! && mine[3]! > t[1]!))
        return false
    }
    taken.push(mine)
    return true
  })
})
const sketch = computed(() => {
  void props.ticks
  const points = [...shapes.drawing, ...(props.pointer && shapes.drawing.length ? [props.pointer] : [])] as [
    number,
    number,
  ][]
  const [first] = points
  if (!first) return null
  if (shapes.tool === 'circle' || shapes.tool === 'box') {
    const [[x, z], b] = [first, points[1] ?? first]
    const reach = Math.max(Math.hypot(b[0] - x, b[1] - z), 0.5)
    const heading = (Math.atan2(b[0] - x, z - b[1]) * 180) / Math.PI
    const made = {
      form: shapes.tool,
      round: { x, z, radius: reach },
      box: { x, z, width: reach * 1.2, length: reach * 2, heading },
    } as ShapeIn
    return line(cornersOf(made), true)
  }
  return line(points, shapes.tool !== 'path' && points.length > 2)
})
const handles = computed(() => {
  void props.ticks
  const s = shapes.shown.find((x) => x.id === shapes.chosen)
  if (!props.edits || !s || s.hidden || s.locked || !store.mayPlant) return []
  if (s.form === 'circle') return [{ k: 0, at: to(s.round!.x + s.round!.radius, s.round!.z) }]
  if (s.form === 'box') {
    const c = cornersOf(s)
    return [
      { k: 0, at: to((c[0]![0] + c[1]![0]) / 2, (c[0]![1] + c[1]![1]) / 2) },
      { k: 1, at: to((c[0]![0] + c[3]![0]) / 2, (c[0]![1] + c[3]![1]) / 2) },
    ]
  }
  return s.points.map((p, k) => ({ k, at: to(...p) }))
})
const middles = computed(() => {
  void props.ticks
  const s = shapes.shown.find((x) => x.id === shapes.chosen)
  if (!handles.value.length || !s || (s.form !== 'line' && s.form !== 'polygon')) return []
  const p = s.points
  return p.slice(0, s.kind === 'path' ? -1 : undefined).map((a, k) => {
    const b = p[(k + 1) % p.length]!
    return { k, at: to((a[0] + b[0]) / 2, (a[1] + b[1]) / 2) }
  })
})

function place(event: PointerEvent): [number, number] {
  const box = (event.currentTarget as SVGElement).closest('svg')!.getBoundingClientRect()
  return props.stage.plan.at(event.clientX - box.left, event.clientY - box.top)
}
function grab(s: Shape, corner: number, event: PointerEvent) {
  if (!props.edits || shapes.tool || event.button !== 0) return
  event.stopPropagation()
  const fresh = shapes.chosen !== s.id
  shapes.chosen = s.id
  if (s.locked || !store.mayPlant || (fresh && corner < 0)) return
  const [x, z] = place(event)
  held.value = { corner, x, z, from: s }
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
}
function split(s: Shape, k: number, event: PointerEvent) {
  const points = s.points.slice()
  points.splice(k + 1, 0, place(event))
  shapes.attempt({ ...s, points })
  grab(s, k + 1, event)
  if (held.value) held.value.from = { ...s, points }
}
function dragged(event: PointerEvent) {
  const h = held.value
  if (!h) return
  const [x, z] = place(event)
  const s = h.from
  if (h.corner < 0) shapes.attempt(movedBy(s, x - h.x, z - h.z))
  else if (s.form === 'circle')
    shapes.attempt({
      ...s,
      round: { ...s.round!, radius: Math.max(Math.hypot(x - s.round!.x, z - s.round!.z), 0.25) },
    })
  else if (s.form === 'box') {
    const b = s.box!
    const far = Math.max(Math.hypot(x - b.x, z - b.z), 0.25)
    const heading = ((Math.atan2(x - b.x, b.z - z) * 180) / Math.PI + 360 - (h.corner ? 90 : 0)) % 360
    shapes.attempt({ ...s, box: { ...b, heading, ...(h.corner ? { width: far * 2 } : { length: far * 2 }) } })
  } else
    shapes.attempt({
      ...s,
      points: s.points.map((p, k) => (k === h.corner ? [x, z] : p)),
    })
}
const released = () => (held.value = null)
function without(s: Shape, k: number) {
  const least = s.kind === 'path' ? 2 : 3
  const points = s.points
  if ((s.form === 'line' || s.form === 'polygon') && points.length > least)
    shapes.attempt({ ...s, points: points.filter((_, i) => i !== k) })
}
const current = computed(() => shapes.shown.find((s) => s.id === shapes.chosen)!)
</script>

<template>
  <svg class="shapes" data-test="plan-shapes">
    <defs>
      <pattern
        id="hatch-slant"
        width="7"
        height="7"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <line x1="0" x2="0" y1="0" y2="7" />
      </pattern>
      <pattern id="hatch-upright" width="6" height="6" patternUnits="userSpaceOnUse">
        <line x1="3" x2="3" y1="0" y2="6" />
      </pattern>
      <pattern
        id="hatch-cross"
        width="7"
        height="7"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0V7M0 0H7" />
      </pattern>
      <pattern id="hatch-dots" width="6" height="6" patternUnits="userSpaceOnUse">
        <circle cx="2" cy="2" r="0.9" />
      </pattern>
    </defs>
    <g
      v-for="{ s, d, wide } in drawn"
      :key="s.id"
      :class="{ chosen: edits && s.id === shapes.chosen, edits: edits && !shapes.tool }"
      :data-test="`shape-${s.id}`"
    >
      <template v-if="s.kind === 'path'">
        <path class="verge" :d="d" :stroke-width="Math.max(wide, 2) + 2" />
        <path class="bed" :d="d" :stroke-width="Math.max(wide, 1)" />
        <path v-if="s.clear !== null && wide > 3" class="middle" :d="d" />
      </template>
      <path
        v-else
        class="outline"
        :d="d"
        :fill="s.hatch === 'blank' ? 'transparent' : `url(#hatch-${s.hatch})`"
      />
      <path
        class="grip"
        :d="d"
        :class="{ open: s.kind !== 'obstacle' }"
        :stroke-width="s.kind === 'path' ? Math.max(wide, 10) : 8"
        @pointerdown="grab(s, -1, $event)"
        @pointermove="dragged"
        @pointerup="released"
      />
    </g>
    <text v-for="{ s, at } in labels" :key="`t${s.id}`" :x="at[0]" :y="at[1] - 6" text-anchor="middle">
      {{ s.name }}
    </text>
    <path v-if="sketch" class="sketch" :d="sketch" />
    <circle
      v-for="(p, k) in shapes.drawing"
      :key="`d${k}`"
      class="corner"
      :cx="to(...p)[0]"
      :cy="to(...p)[1]"
      r="3.4"
    />
    <circle
      v-for="m in middles"
      :key="`m${m.k}`"
      class="half"
      :cx="m.at[0]"
      :cy="m.at[1]"
      r="3.2"
      @pointerdown="split(current, m.k, $event)"
      @pointermove="dragged"
      @pointerup="released"
    />
    <circle
      v-for="h in handles"
      :key="h.k"
      class="corner"
      :data-test="`corner-${h.k}`"
      :cx="h.at[0]"
      :cy="h.at[1]"
      r="5"
      @pointerdown="grab(current, h.k, $event)"
      @pointermove="dragged"
      @pointerup="released"
      @dblclick.stop="without(current, h.k)"
    />
  </svg>
</template>

<style scoped>
.shapes {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
pattern line,
pattern path {
  stroke: #34302a;
  stroke-width: 1;
  stroke-opacity: 0.45;
  fill: none;
}
pattern circle {
  fill: #34302a;
  fill-opacity: 0.5;
}
.outline {
  stroke: #34302a;
  stroke-width: 1.3;
}
.verge {
  fill: none;
  stroke: #34302a;
  stroke-opacity: 0.65;
}
.bed {
  fill: none;
  stroke: #efe5cd;
  stroke-opacity: 0.8;
}
.middle {
  fill: none;
  stroke: #34302a;
  stroke-opacity: 0.5;
  stroke-dasharray: 5 4;
}
.grip {
  fill: none;
  stroke: transparent;
}
.edits .grip {
  pointer-events: stroke;
  cursor: pointer;
}
.edits .grip:not(.open) {
  pointer-events: all;
}
.chosen .grip {
  cursor: move;
}
.chosen .outline,
.chosen .verge,
.sketch {
  stroke: #7b2d26;
  stroke-width: 2;
  stroke-opacity: 1;
}
.chosen .verge {
  stroke-width: revert-layer;
}
.sketch {
  fill: #7b2d2618;
  stroke-dasharray: 5 3;
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
.corner,
.half {
  fill: #faf6ec;
  stroke: #7b2d26;
  stroke-width: 1.6;
  pointer-events: all;
  cursor: grab;
}
.half {
  fill-opacity: 0.6;
  stroke-opacity: 0.55;
}
</style>

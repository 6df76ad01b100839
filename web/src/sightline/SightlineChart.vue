<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Distances, Stand } from '../api/client'
import { inkOf } from '../budget/budget'
import { at, castingEnd, rounded, type Chain, type Edge } from './distances'

const props = defineProps<{
  stands: Stand[]
  distances: (s: Stand) => Distances
  chain: (s: Stand) => Chain
  /** Plants of the present view by stand, in even steps of distance out to `reach` m. */
  crowd: Record<number, number[]>
  reach: number
  /** How much of a thing is left in the fog at a distance in m, 0–1. */
  seen: (metres: number) => number
  /** The distance in m beyond which nothing is drawn, since the fog hides it. */
  clear: number
  selected: number[]
  locked: boolean
}>()
const emit = defineEmits<{ grab: [stand: Stand]; edge: [stand: Stand, edge: Edge, metres: number] }>()
const svg = ref<SVGSVGElement>()
const { width } = useElementSize(svg)
/** The drawing is as wide as it is shown, so that its letters keep their size. */
const wide = computed(() => Math.max(width.value, 240))
const LEFT = 4
const LANE = 74
const HEAD = 22

const farthest = computed(
  () =>
    Math.max(60, ...props.stands.map((s) => Math.max(props.distances(s).gone, s.settings.distances.gone))) *
    1.08,
)
const toX = (m: number) => LEFT + Math.sqrt(m / farthest.value) * (wide.value - LEFT - 8)
const toM = (x: number) => ((x - LEFT) / (wide.value - LEFT - 8)) ** 2 * farthest.value
const ticks = computed(() =>
  [0, 10, 50, 100, 200, 400, 800, 1600, 3200].filter((m) => m < farthest.value && (m === 0 || toX(m) > 24)),
)
const tall = computed(() => HEAD + LANE * props.stands.length + 4)

const named = (edge: Edge) =>
  ({
    step: () => `mesh ${'index' in edge ? edge.index + 2 : ''} from`,
    billboard: () => 'billboard from',
    gone: () => 'gone',
    shadow: () => 'shadow reach',
    fade: () => 'fade',
  })[edge.part]()
const lanes = computed(() =>
  props.stands.map((stand, k) => {
    const d = props.distances(stand)
    const c = props.chain(stand)
    const edges: Edge[] = [
      ...d.steps.slice(0, c.lods - 1).map((_, index): Edge => ({ part: 'step', index })),
      ...(c.billboard ? [{ part: 'billboard' } as Edge] : []),
    ]
    const starts = [0, ...edges.map((e) => at(d, c, e)!)]
    const blocks = starts.map((from, i) => ({
      from,
      to: starts[i + 1] ?? d.gone,
      name: c.billboard && i === starts.length - 1 ? 'billboard' : i === 0 ? 'full mesh' : `mesh ${i + 1}`,
      depth: 1 - i / Math.max(starts.length, 2),
    }))
    const fades = starts.slice(1).map((from) => [Math.max(from - d.fade / 2, 0), from + d.fade / 2])
    fades.push([Math.max(d.gone - d.fade, 0), d.gone])
    const moves = [...edges, { part: 'gone' } as Edge].map((edge) => ({
      edge,
      name: named(edge),
      at: at(d, c, edge)!,
    }))
    const edge: Edge = { part: 'shadow' }
    const reach = at(d, c, edge)!
    const shadow = { edge, name: 'shadow reach', at: reach, whole: reach > 0 && reach >= castingEnd(d, c) }
    const crowd = crowdOf(stand)
    return { stand, y: HEAD + k * LANE, blocks, moves, fades, shadow, ink: inkOf(stand), crowd }
  }),
)
/** How many of a stand's plants the view has at each distance, as an outline over its lane; '' for none. */
function crowdOf(stand: Stand): string {
  const counts = props.crowd[stand.id] ?? []
  const most = Math.max(...counts, 0)
  if (!most) return ''
  const step = props.reach / counts.length
  const tops = counts.map((n, k) => {
    const y = -18 * Math.sqrt(n / most)
    return `L${toX(k * step)},${y} L${toX((k + 1) * step)},${y}`
  })
  return `M${toX(0)},0 ${tops.join(' ')} L${toX(props.reach)},0 Z`
}
/** How high a share that is left is drawn: all at the foot, nothing at the head. */
const toY = (share: number) => HEAD + (tall.value - HEAD) * share
const fogPath = computed(() => {
  const points = []
  for (let k = 0; k <= 60; k++) {
    const m = (k / 60) ** 2 * farthest.value
    points.push(`${toX(m).toFixed(1)},${toY(props.seen(m)).toFixed(1)}`)
  }
  return `M${points.join(' L')}`
})

/** The distance that the pointer reads, with what is left there. */
const read = ref<number | null>(null)
const reading = computed(() => {
  if (read.value === null) return null
  const share = props.seen(read.value)
  const x = toX(read.value)
  return {
    x,
    y: toY(share),
    left: x > wide.value - 110,
    text: `${rounded(read.value)} m: ${Math.round(share * 100)} % left`,
  }
})

const held = ref<{ stand: Stand; edge: Edge } | null>(null)
function grab(stand: Stand, edge: Edge, event: PointerEvent) {
  if (props.locked) return
  held.value = { stand, edge }
  emit('grab', stand)
  svg.value?.setPointerCapture(event.pointerId)
}
function move(event: PointerEvent) {
  if (!svg.value) return
  const box = svg.value.getBoundingClientRect()
  const x = ((event.clientX - box.left) / box.width) * wide.value
  const metres = Math.max(toM(Math.max(x, LEFT)), 0)
  read.value = metres
  if (held.value) emit('edge', held.value.stand, held.value.edge, rounded(metres))
}
function key(stand: Stand, move: { edge: Edge; at: number }, event: KeyboardEvent) {
  const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (!way || props.locked) return
  event.preventDefault()
  emit('grab', stand)
  emit('edge', stand, move.edge, rounded(Math.max(move.at + way * (event.shiftKey ? 10 : 1), 0)))
}
</script>

<template>
  <svg
    ref="svg"
    class="chart"
    :viewBox="`0 0 ${wide} ${tall}`"
    :height="tall"
    data-test="sightline-chart"
    @pointermove="move"
    @pointerup="held = null"
    @pointercancel="held = null"
    @pointerleave="read = null"
  >
    <g class="ticks">
      <template v-for="m in ticks" :key="m">
        <line :x1="toX(m)" :x2="toX(m)" :y1="HEAD - 6" :y2="tall" />
        <text :x="toX(m)" y="11" :text-anchor="m ? 'middle' : 'start'">
          {{ m }}{{ m === ticks[ticks.length - 1] ? ' m' : '' }}
        </text>
      </template>
    </g>
    <g
      v-for="l in lanes"
      :key="l.stand.id"
      :style="{ color: l.ink }"
      :class="{ lit: selected.includes(l.stand.id) }"
    >
      <path v-if="l.crowd" class="crowd" :d="l.crowd" :transform="`translate(0 ${l.y + 20})`" />
      <text class="title" :x="LEFT" :y="l.y + 14">{{ l.stand.name }}</text>
      <g v-for="b in l.blocks" :key="b.name">
        <rect
          class="block"
          :x="toX(b.from)"
          :y="l.y + 20"
          :width="Math.max(toX(b.to) - toX(b.from), 0)"
          height="22"
          :fill-opacity="0.18 + 0.5 * b.depth"
        />
        <text
          v-if="toX(b.to) - toX(b.from) > 52"
          class="small"
          :x="(toX(b.from) + toX(b.to)) / 2"
          :y="l.y + 35"
          text-anchor="middle"
        >
          {{ b.name }}
        </text>
      </g>
      <rect
        v-for="(f, k) in l.fades"
        :key="`f${k}`"
        class="fade"
        :x="toX(f[0]!)"
        :y="l.y + 20"
        :width="toX(f[1]!) - toX(f[0]!)"
        height="22"
      />
      <line class="shadow" :x1="LEFT" :x2="toX(l.shadow.at)" :y1="l.y + 51" :y2="l.y + 51" />
      <text class="small faint" :x="toX(l.shadow.at) + 9" :y="l.y + 55">
        {{ l.shadow.whole ? 'shadow, as far as any is cast' : l.shadow.at > 0 ? 'shadow' : 'no shadow' }}
      </text>
      <g
        v-for="e in l.moves"
        :key="e.name"
        class="edge"
        tabindex="0"
        role="slider"
        data-keys
        :aria-label="`${l.stand.name}: ${e.name}`"
        :aria-valuenow="e.at"
        :data-test="`edge-${l.stand.slug}-${e.name.replaceAll(' ', '-')}`"
        @pointerdown="grab(l.stand, e.edge, $event)"
        @keydown="key(l.stand, e, $event)"
      >
        <rect :x="toX(e.at) - 6" :y="l.y + 16" width="12" height="30" fill="transparent" />
        <line :x1="toX(e.at)" :x2="toX(e.at)" :y1="l.y + 17" :y2="l.y + 45" />
        <title>{{ l.stand.name }}: {{ e.name }} {{ e.at }} m</title>
      </g>
      <g
        class="edge"
        tabindex="0"
        role="slider"
        data-keys
        :aria-label="`${l.stand.name}: shadow reach`"
        :aria-valuenow="l.shadow.at"
        :data-test="`edge-${l.stand.slug}-shadow`"
        @pointerdown="grab(l.stand, l.shadow.edge, $event)"
        @keydown="key(l.stand, l.shadow, $event)"
      >
        <circle :cx="toX(l.shadow.at)" :cy="l.y + 51" r="4" />
        <title>{{ l.stand.name }}: shadow reach {{ l.shadow.at }} m</title>
      </g>
    </g>
    <g v-if="clear < farthest" class="cut" data-test="fog-cut">
      <rect :x="toX(clear)" :y="HEAD" :width="Math.max(wide - toX(clear), 0)" :height="tall - HEAD" />
      <line :x1="toX(clear)" :x2="toX(clear)" :y1="HEAD" :y2="tall" />
      <text
        class="small"
        :x="toX(clear) + (toX(clear) > wide - 150 ? -5 : 5)"
        :y="HEAD + 10"
        :text-anchor="toX(clear) > wide - 150 ? 'end' : 'start'"
      >
        from {{ rounded(clear) }} m the fog hides all
      </text>
    </g>
    <path class="fog" :d="fogPath" data-test="fog-curve" />
    <text class="small faint" :x="wide - 6" :y="tall - 7" text-anchor="end">left in the fog</text>
    <g v-if="reading" class="reading" data-test="fog-reading">
      <line :x1="reading.x" :x2="reading.x" :y1="HEAD" :y2="tall" />
      <circle :cx="reading.x" :cy="reading.y" r="3" />
      <text
        class="small number"
        :x="reading.x + (reading.left ? -7 : 7)"
        :y="Math.min(Math.max(reading.y - 6, HEAD + 12), tall - 18)"
        :text-anchor="reading.left ? 'end' : 'start'"
      >
        {{ reading.text }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
.chart {
  width: 100%;
  display: block;
  touch-action: none;
  border-top: 1px solid var(--line);
  border-bottom: 1px solid var(--line);
}
.chart text {
  pointer-events: none;
}
.ticks line {
  stroke: var(--line);
  stroke-dasharray: 1 3;
}
.ticks text {
  font-size: 11px;
  fill: var(--faint);
}
.title {
  font-family: var(--serif);
  font-size: 15px;
}
.lit .title {
  font-weight: 700;
}
.small {
  font-size: 11px;
}
.faint {
  fill: var(--faint);
}
.block {
  fill: currentColor;
  stroke: currentColor;
  stroke-width: 0.6;
}
.fade {
  fill: var(--sheet);
  fill-opacity: 0.55;
}
.shadow {
  stroke: var(--ink);
  stroke-width: 3;
  stroke-opacity: 0.45;
}
.edge {
  cursor: ew-resize;
}
.edge line {
  stroke: var(--ink);
  stroke-width: 1.8;
}
.edge circle {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.crowd {
  fill: currentColor;
  fill-opacity: 0.22;
  pointer-events: none;
}
.reading {
  pointer-events: none;
}
.reading line {
  stroke: var(--oxblood);
  stroke-width: 0.6;
}
.reading circle {
  fill: var(--oxblood);
}
.reading text {
  fill: var(--oxblood);
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.cut {
  pointer-events: none;
}
.cut rect {
  fill: var(--sheet);
  fill-opacity: 0.62;
}
.cut line {
  stroke: var(--oxblood);
  stroke-width: 0.8;
  stroke-dasharray: 5 3;
}
.cut text {
  fill: var(--oxblood);
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.fog {
  fill: none;
  stroke: var(--oxblood);
  stroke-width: 1;
  stroke-dasharray: 4 3;
  pointer-events: none;
  opacity: 0.7;
}
</style>

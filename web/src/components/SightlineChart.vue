<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Distances, Stand, StandSettings } from '../api/client'
import { inkOf } from '../budget'

const props = defineProps<{
  stands: Stand[]
  settings: (s: Stand) => StandSettings
  chain: (s: Stand) => { lods: number; billboard: boolean }
  fog: number
  selected: number[]
  locked: boolean
}>()
const emit = defineEmits<{ edge: [stand: Stand, part: Partial<Distances>] }>()
const svg = ref<SVGSVGElement>()
const { width } = useElementSize(svg)
/** The drawing is as wide as it is shown, so that its letters keep their size. */
const wide = computed(() => Math.max(width.value, 240))
const LEFT = 4
const LANE = 74
const HEAD = 22

const farthest = computed(
  () =>
    Math.max(
      60,
      ...props.stands.map((s) => Math.max(props.settings(s).distances.gone, s.settings.distances.gone)),
    ) * 1.08,
)
const toX = (m: number) => LEFT + Math.sqrt(m / farthest.value) * (wide.value - LEFT - 8)
const toM = (x: number) => ((x - LEFT) / (wide.value - LEFT - 8)) ** 2 * farthest.value
const ticks = computed(() =>
  [0, 10, 50, 100, 200, 400, 800, 1600, 3200].filter((m) => m < farthest.value && (m === 0 || toX(m) > 24)),
)
const tall = computed(() => HEAD + LANE * props.stands.length + 4)

type Edge = { name: string; at: number; set: (m: number) => Partial<Distances> }
const lanes = computed(() =>
  props.stands.map((stand, k) => {
    const d = props.settings(stand).distances
    const c = props.chain(stand)
    const steps = d.steps.slice(0, c.lods - 1)
    const starts = [0, ...steps, ...(c.billboard ? [d.billboard] : [])]
    const blocks = starts.map((from, i) => {
      const to = starts[i + 1] ?? d.gone
      const last = i === starts.length - 1
      return {
        from,
        to,
        name: c.billboard && last ? 'billboard' : i === 0 ? 'full mesh' : `mesh ${i + 1}`,
        depth: 1 - i / Math.max(starts.length, 2),
      }
    })
    const edges: Edge[] = steps.map((at, i) => ({
      name: `mesh ${i + 2} from`,
      at,
      set: (m) => {
        const next = d.steps.map((s, j) =>
          j === i
            ? Math.min(
                Math.max(m, j ? d.steps[j - 1] : 0),
                d.steps[j + 1] ?? (c.billboard ? d.billboard : d.gone),
              )
            : s,
        )
        return c.billboard ? { steps: next } : { steps: next, billboard: Math.max(...next) }
      },
    }))
    if (c.billboard)
      edges.push({
        name: 'billboard from',
        at: d.billboard,
        set: (m) => ({ billboard: Math.min(Math.max(m, steps[steps.length - 1] ?? 0), d.gone) }),
      })
    edges.push({ name: 'gone', at: d.gone, set: (m) => ({ gone: Math.max(m, d.billboard, 1) }) })
    const fades = [...steps, ...(c.billboard ? [d.billboard] : [])].map((at) => [
      Math.max(at - d.fade / 2, 0),
      at + d.fade / 2,
    ])
    fades.push([Math.max(d.gone - d.fade, 0), d.gone])
    const shadow: Edge = { name: 'shadow reach', at: d.shadow, set: (m) => ({ shadow: m < 1 ? 0 : m }) }
    return { stand, y: HEAD + k * LANE, blocks, edges, fades, shadow, ink: inkOf(stand) }
  }),
)
const fogPath = computed(() => {
  const points = []
  for (let k = 0; k <= 60; k++) {
    const m = (k / 60) ** 2 * farthest.value
    points.push(`${toX(m).toFixed(1)},${(HEAD + (tall.value - HEAD) * Math.exp(-m * props.fog)).toFixed(1)}`)
  }
  return `M${points.join(' L')}`
})

const held = ref<{ stand: Stand; edge: Edge } | null>(null)
const round = (m: number) => (m < 20 ? Math.round(m * 2) / 2 : Math.round(m))
function grab(stand: Stand, edge: Edge, event: PointerEvent) {
  if (props.locked) return
  held.value = { stand, edge }
  svg.value?.setPointerCapture(event.pointerId)
}
function move(event: PointerEvent) {
  if (!held.value || !svg.value) return
  const box = svg.value.getBoundingClientRect()
  const x = ((event.clientX - box.left) / box.width) * wide.value
  emit('edge', held.value.stand, held.value.edge.set(round(Math.max(toM(Math.max(x, LEFT)), 0))))
}
function key(stand: Stand, edge: Edge, event: KeyboardEvent) {
  const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (!way || props.locked) return
  event.preventDefault()
  emit('edge', stand, edge.set(round(Math.max(edge.at + way * (event.shiftKey ? 10 : 1), 0))))
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
        :x="toX(f[0])"
        :y="l.y + 20"
        :width="toX(f[1]) - toX(f[0])"
        height="22"
      />
      <line class="shadow" :x1="LEFT" :x2="toX(l.shadow.at)" :y1="l.y + 51" :y2="l.y + 51" />
      <text class="small faint" :x="toX(l.shadow.at) + 9" :y="l.y + 55">
        {{ l.shadow.at > 0 ? 'shadow' : 'no shadow' }}
      </text>
      <g
        v-for="e in l.edges"
        :key="e.name"
        class="edge"
        tabindex="0"
        role="slider"
        data-keys
        :aria-label="`${l.stand.name}: ${e.name}`"
        :aria-valuenow="e.at"
        :data-test="`edge-${l.stand.slug}-${e.name.replaceAll(' ', '-')}`"
        @pointerdown="grab(l.stand, e, $event)"
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
        @pointerdown="grab(l.stand, l.shadow, $event)"
        @keydown="key(l.stand, l.shadow, $event)"
      >
        <circle :cx="toX(l.shadow.at)" :cy="l.y + 51" r="4" />
        <title>{{ l.stand.name }}: shadow reach {{ l.shadow.at }} m</title>
      </g>
    </g>
    <path class="fog" :d="fogPath" />
    <text class="small faint" :x="wide - 6" :y="tall - 7" text-anchor="end">seen through the fog</text>
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
.fog {
  fill: none;
  stroke: var(--oxblood);
  stroke-width: 1;
  stroke-dasharray: 4 3;
  pointer-events: none;
  opacity: 0.7;
}
</style>

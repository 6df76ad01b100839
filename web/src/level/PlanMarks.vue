<script setup lang="ts">
import { computed } from 'vue'
import type { Bookmark, Person } from '../api/client'
import { markPath } from './marks'
import type { Stage } from '../stage/stage'
import { useLevel } from './level'

const props = defineProps<{
  stage: Stage
  ticks: number
  quiet: boolean
  spot: [number, number] | null
  others: Person[]
}>()
defineEmits<{ go: [bookmark: Bookmark] }>()

const store = useLevel()
const LENGTHS = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000]

const eye = computed(() => {
  void props.ticks
  const { view } = props.stage.eye
  const [x, y] = props.stage.plan.to(view.x, view.z)
  const half = (Math.atan(Math.tan((view.fov * Math.PI) / 360) * view.aspect) * 180) / Math.PI
  const ray = (angle: number) => {
    const a = (angle * Math.PI) / 180
    return `${x + Math.sin(a) * 46},${y - Math.cos(a) * 46}`
  }
  return { x, y, cone: `${x},${y} ${ray(view.heading - half)} ${ray(view.heading + half)}` }
})
const marks = computed(() => {
  void props.ticks
  return store.level!.bookmarks.map((b) => ({ b, at: props.stage.plan.to(b.x, b.z) }))
})
const cross = computed(() => {
  void props.ticks
  if (!props.spot) return ''
  const [x, y] = props.stage.plan.to(...props.spot)
  return `M${x - 9} ${y}H${x + 9}M${x} ${y - 9}V${y + 9}`
})
/** The others in the level: where each one's eye is, and which way it looks. */
const people = computed(() => {
  void props.ticks
  return props.others.map((p) => {
    const [x, y] = props.stage.plan.to(p.x, p.z)
    const a = (p.heading * Math.PI) / 180
    return { p, x, y, tip: `M${x} ${y}l${Math.sin(a) * 15} ${-Math.cos(a) * 15}` }
  })
})
/** Circles on the ground: footprints in the way, plants that would go. */
const rings = computed(() => {
  void props.ticks
  return props.stage.rings
    .filter((r) => r.radius / props.stage.plan.pixel > 3)
    .map((r) => ({ at: props.stage.plan.to(r.x, r.z), r: r.radius / props.stage.plan.pixel }))
})
const lasso = computed(() => {
  void props.ticks
  return props.stage.lasso.map((p) => props.stage.plan.to(...p).join()).join(' ')
})
const trace = computed(() => {
  void props.ticks
  return props.stage.trace.map((p) => props.stage.plan.to(...p).join()).join(' ')
})
const bar = computed(() => {
  void props.ticks
  const metres = LENGTHS.find((l) => l / props.stage.plan.pixel > 60) ?? 1000
  return { metres, px: metres / props.stage.plan.pixel }
})
</script>

<template>
  <svg class="marks" aria-hidden="true">
    <g v-for="m in marks" :key="m.b.name" class="mark" :class="{ quiet }" @click="$emit('go', m.b)">
      <circle :cx="m.at[0]" :cy="m.at[1]" r="3.2" />
      <text :x="m.at[0] + 7" :y="m.at[1] + 4">{{ m.b.name }}</text>
    </g>
    <polygon v-if="lasso" class="lasso" :points="lasso" />
    <polyline v-if="trace" class="trace" :points="trace" />
    <circle v-for="(r, k) in rings" :key="`ring-${k}`" class="ring" :cx="r.at[0]" :cy="r.at[1]" :r="r.r" />
    <g v-for="o in people" :key="o.p.name" class="person" :data-test="`person-${o.p.name}`">
      <path class="way" :d="o.tip" />
      <path class="shape" :d="markPath(o.p.mark, o.x, o.y, 6)" />
      <text :x="o.x + 9" :y="o.y + 4">{{ o.p.name }}</text>
    </g>
    <path v-if="cross" class="spot" :d="cross" />
    <polygon class="cone" :points="eye.cone" />
    <circle class="eye" :cx="eye.x" :cy="eye.y" r="4.5" />
  </svg>
  <div class="scale">
    <svg :width="bar.px + 4" height="9">
      <path :d="`M1 1 V8 H${bar.px + 1} V1 M${bar.px / 2 + 1} 4 V8`" />
    </svg>
    <span class="number">{{ bar.metres }} m</span>
    <svg class="north" width="14" height="22" aria-label="North is up">
      <path d="M7 21 V3 M3 9 L7 2 L11 9" />
    </svg>
  </div>
</template>

<style scoped>
.marks {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.mark {
  pointer-events: auto;
  cursor: pointer;
}
.mark.quiet {
  pointer-events: none;
}
.mark circle {
  fill: #faf6ec;
  stroke: #7b2d26;
  stroke-width: 1.5;
}
.mark text {
  font-family: var(--serif);
  font-style: italic;
  font-size: 14px;
  fill: #4a2420;
  paint-order: stroke;
  stroke: #f4eee0cc;
  stroke-width: 3px;
}
.ring {
  fill: none;
  stroke: #7b2d26;
  stroke-width: 1.4;
}
.trace {
  fill: none;
  stroke: #33415a;
  stroke-width: 1.6;
}
.lasso {
  fill: #52627a22;
  stroke: #33415a;
  stroke-width: 1.2;
  stroke-dasharray: 5 3;
}
.person .shape {
  fill: #52627a;
  stroke: #faf6ec;
  stroke-width: 1.3;
}
.person .way {
  stroke: #52627a;
  stroke-width: 2.4;
}
.person text {
  font: 600 13px var(--sans);
  fill: #33415a;
  paint-order: stroke;
  stroke: #f4eee0dd;
  stroke-width: 3px;
}
.spot {
  stroke: #7b2d26;
  stroke-width: 1.6;
}
.eye {
  fill: #7b2d26;
  stroke: #faf6ec;
  stroke-width: 1.5;
}
.cone {
  fill: #7b2d2630;
  stroke: #7b2d26;
  stroke-width: 1;
}
.scale {
  position: absolute;
  right: 12px;
  bottom: 8px;
  display: flex;
  gap: 7px;
  align-items: flex-end;
  color: #34302a;
  background: #f4eee0cc;
  padding: 2px 7px;
  pointer-events: none;
}
.scale path {
  fill: none;
  stroke: #34302a;
  stroke-width: 1.3;
}
</style>

<script setup lang="ts">
import { computed } from 'vue'
import type { Stage } from '../stage/stage'
import { useWalks } from '../sightline/walks'

/** The walk that is looked at, and its strongest pops, on the plan. */
const props = defineProps<{ stage: Stage; ticks: number; pointer: [number, number] | null }>()
const walks = useWalks()
const to = ([x, z]: [number, number]) => props.stage.plan.to(x, z)
const drawn = (points: [number, number][]) => points.map((p) => to(p).join()).join(' ')
const line = computed(() => {
  void props.ticks
  if (!walks.draws) return drawn(walks.walk?.points ?? [])
  return drawn([...walks.corners, ...(props.pointer ? [props.pointer] : [])])
})
const corners = computed(() => {
  void props.ticks
  return walks.corners.map(to)
})
const pops = computed(() => {
  void props.ticks
  if (walks.draws) return []
  return (walks.check?.result?.worst ?? []).map((pop) => {
    const [x, y] = to([pop.place[0], pop.place[2]])
    return { pop, x, y, size: 2 + Math.min(Math.sqrt(pop.strength) / 8, 5) }
  })
})
</script>

<template>
  <svg class="walk" aria-hidden="true" data-test="plan-walk">
    <polyline :points="line" />
    <circle v-for="([x, y], k) in corners" :key="`c${k}`" :cx="x" :cy="y" r="3.5" />
    <path
      v-for="(p, k) in pops"
      :key="k"
      :class="{ on: walks.pop === p.pop }"
      :d="`M${p.x} ${p.y - p.size}l${p.size} ${p.size}l${-p.size} ${p.size}l${-p.size} ${-p.size}Z`"
      @click="walks.pop = p.pop"
    />
  </svg>
</template>

<style scoped>
.walk {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
polyline {
  fill: none;
  stroke: #7b2d26;
  stroke-width: 2;
  stroke-dasharray: 7 4;
}
circle {
  fill: #faf6ec;
  stroke: #7b2d26;
  stroke-width: 1.6;
}
path {
  fill: #faf6ec;
  stroke: #7b2d26;
  stroke-width: 1.5;
  pointer-events: auto;
  cursor: pointer;
}
path.on {
  fill: #7b2d26;
}
</style>

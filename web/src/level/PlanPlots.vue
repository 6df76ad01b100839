<script setup lang="ts">
import { computed } from 'vue'
import { LINES } from '../budget/budget'
import type { Stage } from '../stage/stage'
import { usePlots } from '../budget/plots'

/** The plots on the plan: outlined and named, hatched where one spends more than its share. */
const props = defineProps<{ stage: Stage; ticks: number }>()
const plots = usePlots()
const drawn = computed(() => {
  void props.ticks
  return plots.entries.flatMap(({ name, plot, area }) => {
    if (!area) return []
    const at = area.points.map((p) => props.stage.plan.to(...p))
    const middle = [0, 1].map((k) => at.reduce((sum, p) => sum + p[k]!, 0) / at.length)
    const over = LINES.some((l) => plots.isOver(name, l.name))
    const whose = plot.owner ? `${name}, ${plot.owner}` : name
    return { name, over, whose, points: at.map((p) => p.join()).join(' '), x: middle[0], y: middle[1] }
  })
})
</script>

<template>
  <svg class="plots" aria-hidden="true" data-test="plan-plots">
    <defs>
      <pattern
        id="plot-over"
        width="9"
        height="9"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0V9" />
      </pattern>
    </defs>
    <g v-for="p in drawn" :key="p.name" :class="{ over: p.over }" :data-test="`plan-plot-${p.name}`">
      <polygon v-if="p.over" class="hatch" :points="p.points" />
      <polygon class="edge" :points="p.points" />
      <text :x="p.x" :y="p.y" text-anchor="middle">{{ p.whose }}{{ p.over ? ': over its share' : '' }}</text>
    </g>
  </svg>
</template>

<style scoped>
.plots {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.edge {
  fill: none;
  stroke: #33415a;
  stroke-width: 2;
  stroke-dasharray: 9 4;
}
.hatch {
  fill: url(#plot-over);
}
pattern path {
  stroke: #7b2d2699;
  stroke-width: 1.6;
}
.over .edge {
  stroke: #7b2d26;
}
text {
  font: italic 500 15px var(--serif);
  fill: #33415a;
  paint-order: stroke;
  stroke: #f4eee0dd;
  stroke-width: 3px;
}
.over text {
  fill: #7b2d26;
}
</style>

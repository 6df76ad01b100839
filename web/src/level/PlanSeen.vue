<script setup lang="ts">
import { computed } from 'vue'
import { amount } from '../budget/budget'
import type { Stage } from '../stage/stage'
import { useSurvey } from '../budget/survey'

/** The squares of the plan that a view spends its time on, the darker the more, the dearest with their ms. */
const props = defineProps<{ stage: Stage; ticks: number }>()
const survey = useSurvey()
const squares = computed(() => {
  void props.ticks
  const { size, cells } = survey.seen!
  const most = cells[0]?.[2] ?? 1
  return cells.map(([column, row, ms], k) => {
    const [x, y] = props.stage.plan.to(column * size, row * size)
    const side = size / props.stage.plan.pixel
    return {
      key: `${column} ${row}`,
      x,
      y,
      side,
      ink: 0.1 + 0.6 * (ms / most),
      ms: k < 6 && side > 34 ? ms : 0,
    }
  })
})
</script>

<template>
  <svg class="seen" aria-hidden="true" data-test="plan-seen">
    <g v-for="s in squares" :key="s.key">
      <rect :x="s.x" :y="s.y" :width="s.side" :height="s.side" :fill-opacity="s.ink" />
      <text v-if="s.ms" :x="s.x + s.side / 2" :y="s.y + s.side / 2 + 4" text-anchor="middle">
        {{ amount('ms', s.ms).replace(' ms', '') }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
.seen {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
rect {
  fill: #7b2d26;
  stroke: #7b2d2666;
}
text {
  font: 600 12px var(--sans);
  fill: #4a2420;
  paint-order: stroke;
  stroke: #f4eee0dd;
  stroke-width: 3px;
}
</style>

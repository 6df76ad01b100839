<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import type { Stand, WalkResult } from '../api/client'
import { inkOf } from '../budget/budget'
import type { ChartOption, Inks } from '../shared/ChartPlot.vue'

/** Loaded when it is wanted: the charts' library is large. */
const ChartPlot = defineAsyncComponent(() => import('../shared/ChartPlot.vue'))

/** Pops, and ms by line, along a walk. Press to go there. */
const props = defineProps<{
  result: WalkResult
  before: WalkResult | null
  time: number
  stands: Stand[]
}>()
const emit = defineEmits<{ seek: [time: number] }>()
const TALL = 104

/** Pops over time; their square roots, so that a few strong ones leave the others to be seen. */
const pops = (r: WalkResult) =>
  r.curve.map((strength, k) => [(k * r.seconds) / r.curve.length, Math.sqrt(strength)])
const sums = (r: WalkResult) => r.times.map((t, k) => [t, r.ms[k]])
/** The ground's ms and each stand's, in the stands' inks. */
const lines = computed(() =>
  Object.entries(props.result.lines).map(([stand, ms]) => {
    const of = props.stands.find((s) => s.id === Number(stand))
    return { stand, ms, name: of?.name ?? 'Ground', ink: of && inkOf(of) }
  }),
)
/** The three dearest lines of the frame that is looked at. */
const dearest = computed(() => {
  const off = props.result.times.map((t) => Math.abs(t - props.time))
  const at = off.indexOf(Math.min(...off))
  return lines.value
    .map(({ name, ms }) => ({ name, ms: ms[at]! }))
    .sort((a, b) => b.ms - a.ms)
    .slice(0, 3)
})
const seek = (time: number) => emit('seek', Math.min(Math.max(time, 0), props.result.seconds))

const option = ({ faint, line, green, oxblood }: Inks): ChartOption => {
  const axis = { min: 0, max: props.result.seconds, show: false }
  const bare = { type: 'line' as const, symbol: 'none', silent: true }
  const below = { ...bare, xAxisIndex: 1, yAxisIndex: 1 }
  const dashed = { lineStyle: { color: faint, width: 1, type: [2, 2] } }
  return {
    grid: [
      { left: 0, right: 0, top: 4, height: 42 },
      { left: 0, right: 0, bottom: 4, height: 46 },
    ],
    xAxis: [axis, { ...axis, gridIndex: 1 }],
    yAxis: [
      { min: 0, show: false },
      { min: 0, show: false, gridIndex: 1 },
    ],
    series: [
      {
        ...bare,
        id: 'pops',
        lineStyle: { width: 0 },
        areaStyle: { color: oxblood, opacity: 0.55 },
        data: pops(props.result),
        markLine: {
          silent: true,
          symbol: 'none',
          label: { show: false },
          lineStyle: { color: line, type: 'solid' },
          data: [{ yAxis: 0 }],
        },
      },
      ...lines.value.map(({ stand, ms, ink }) => ({
        ...below,
        id: `line ${stand}`,
        stack: 'ms',
        lineStyle: { width: 0 },
        areaStyle: { color: ink ?? faint, opacity: ink ? 1 : 0.4 },
        data: ms.map((value, k) => [props.result.times[k], value]),
      })),
      { ...below, id: 'ms', lineStyle: { color: green, width: 1.6 }, data: sums(props.result) },
      ...(props.before
        ? [
            { ...bare, ...dashed, id: 'pops before', data: pops(props.before) },
            { ...below, ...dashed, id: 'ms before', data: sums(props.before) },
          ]
        : []),
    ],
  }
}
defineExpose({ option })
</script>

<template>
  <div class="walk" data-test="walk-chart">
    <ChartPlot label="Pops and milliseconds along the walk" :height="TALL" :option="option" @drag="seek" />
    <i class="now" :style="{ left: `${(time / result.seconds) * 100}%` }" />
    <span class="pops">pops</span>
    <span class="most">{{ Math.max(...result.ms).toFixed(2) }} ms at the most</span>
  </div>
  <p class="faint number lines" data-test="walk-lines">
    Dearest here: {{ dearest.map((l) => `${l.name} ${l.ms.toFixed(2)} ms`).join(', ') }}.
  </p>
</template>

<style scoped>
.walk {
  position: relative;
  cursor: pointer;
  border-top: 1px solid var(--line);
  border-bottom: 1px solid var(--line);
  touch-action: none;
}
.now {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 1px solid var(--ink);
  pointer-events: none;
}
.walk span {
  position: absolute;
  right: 2px;
  font-size: 11px;
  background: color-mix(in srgb, var(--sheet) 70%, transparent);
  pointer-events: none;
}
.pops {
  top: 0;
}
.most {
  bottom: 0;
}
.lines {
  margin: 4px 0;
  white-space: normal;
}
</style>

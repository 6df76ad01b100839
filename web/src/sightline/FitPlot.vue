<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import { signed } from '../budget/budget'
import type { ChartOption, Inks } from '../shared/ChartPlot.vue'

/** Loaded when it is wanted: the charts' library is large. */
const ChartPlot = defineAsyncComponent(() => import('../shared/ChartPlot.vue'))

/** By how much measured frames differ from what a device is computed to take, over the ms that they took;
 *  frames that were left out are rings. */
const props = defineProps<{ frames: [number, number, boolean][] }>()

const off = ([ms, predicted]: [number, number, boolean]) => (ms / predicted - 1) * 100
/** The largest difference of a frame that fits, in steps that read well; farther ones stand at the border. */
const reach = computed(() => {
  const most = Math.max(1, ...props.frames.filter(([, , fits]) => fits).map((f) => Math.abs(off(f))))
  return [2, 5, 10, 20, 50, 100].find((step) => step >= most) ?? 200
})
const percent = (value: number) => signed(`${Math.round(value * 10) / 10} %`, value)
const dots = (fits: boolean) =>
  props.frames
    .filter((frame) => frame[2] === fits)
    .map((frame) => [frame[0], Math.min(Math.max(off(frame), -reach.value), reach.value), off(frame)])
const option = ({ ink, line, slate, oxblood }: Inks): ChartOption => ({
  grid: { left: 44, right: 12, top: 8, bottom: 22 },
  tooltip: {
    formatter: (dot) => {
      const [ms, , differs] = (dot as unknown as { value: [number, number, number] }).value
      return `${ms.toFixed(2)} ms, ${percent(differs)}`
    },
  },
  xAxis: {
    min: 0,
    axisLabel: { color: ink, formatter: '{value} ms' },
    splitLine: { show: false },
    axisLine: { lineStyle: { color: line } },
  },
  yAxis: {
    min: -reach.value,
    max: reach.value,
    interval: reach.value,
    axisLabel: { color: ink, formatter: percent },
    splitLine: { lineStyle: { color: line } },
  },
  series: [
    {
      id: 'fits',
      type: 'scatter',
      symbolSize: 4.5,
      itemStyle: { color: slate, opacity: 0.7 },
      data: dots(true),
    },
    {
      id: 'left out',
      type: 'scatter',
      symbolSize: 5,
      itemStyle: { color: 'transparent', borderColor: oxblood },
      data: dots(false),
    },
  ],
})
defineExpose({ option })
</script>

<template>
  <figure data-test="fit-plot">
    <ChartPlot label="Measured frames against the fit" :height="130" :option="option" />
    <figcaption class="faint">
      Each dot is a frame: how much longer it took than is calculated, over what it took. Rings were left out.
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 6px 0;
}
</style>

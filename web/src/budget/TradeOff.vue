<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import type { ChartOption, Inks } from '../shared/ChartPlot.vue'
import { whole } from './budget'

/** Loaded when it is wanted: the charts' library is large. */
const ChartPlot = defineAsyncComponent(() => import('../shared/ChartPlot.vue'))

/** Answers along the trade-off of what is lost to the eye against milliseconds, one of them to be picked:
 *  pressed, or gone to with the arrow keys. */
const props = defineProps<{
  points: { ms: number; loss: number }[]
  mark: number
  picked: number | null
}>()
const emit = defineEmits<{ pick: [k: number] }>()

const textOf = (k: number) => `${props.points[k]!.ms.toFixed(2)} ms, ${whole(props.points[k]!.loss)} px lost`
/** A loss on the axis. */
const pixels = (loss: number) =>
  loss >= 1e6 ? `${+(loss / 1e6).toFixed(1)} Mpx` : `${whole(Math.round(loss))} px`
const says = computed(() => (props.picked === null ? 'none is picked' : textOf(props.picked)))
const ends = computed(() => {
  const all = [props.mark, ...props.points.map((p) => p.ms)]
  return [Math.min(...all) * 0.95, Math.max(...all) * 1.03]
})
/** Those farther right take more milliseconds; they are listed from there. */
function step(by: number): void {
  const k = props.picked === null ? 0 : props.picked + by
  if (k >= 0 && k < props.points.length) emit('pick', k)
}
const option = ({ ink, line, sheet, green, slate, oxblood }: Inks): ChartOption => ({
  grid: { left: 52, right: 14, top: 14, bottom: 22 },
  tooltip: { formatter: (dot) => textOf((dot as unknown as { dataIndex: number }).dataIndex) },
  xAxis: {
    min: ends.value[0],
    max: ends.value[1],
    axisLabel: {
      color: ink,
      formatter: (ms: number) => `${ms.toFixed(1)} ms`,
      hideOverlap: true,
      showMinLabel: false,
    },
    splitLine: { show: false },
    axisLine: { lineStyle: { color: line } },
  },
  yAxis: {
    min: 0,
    splitNumber: 2,
    axisLabel: { color: ink, formatter: pixels },
    splitLine: { lineStyle: { color: line } },
  },
  series: [
    {
      id: 'answers',
      type: 'line',
      lineStyle: { color: slate, width: 1 },
      symbol: 'circle',
      cursor: 'pointer',
      data: props.points.map((p, k) => ({
        value: [p.ms, p.loss],
        symbolSize: k === props.picked ? 12 : 9,
        itemStyle: {
          color: k === props.picked ? green : sheet,
          borderColor: k === props.picked ? green : slate,
        },
      })),
      markLine: {
        silent: true,
        symbol: 'none',
        lineStyle: { color: oxblood, type: 'solid' },
        label: { color: oxblood, formatter: `mark ${props.mark.toFixed(1)}` },
        data: [{ xAxis: props.mark }],
      },
    },
  ],
})
defineExpose({ option })
</script>

<template>
  <figure>
    <div
      role="slider"
      tabindex="0"
      aria-label="What is lost against milliseconds"
      :aria-valuemin="0"
      :aria-valuemax="points.length - 1"
      :aria-valuenow="picked ?? undefined"
      :aria-valuetext="says"
      data-test="trade-off"
      @keydown.right.prevent="step(-1)"
      @keydown.left.prevent="step(1)"
      @keydown.enter.prevent="picked !== null && emit('pick', picked)"
    >
      <ChartPlot
        label="What is lost against milliseconds"
        :height="140"
        :option="option"
        @point="(_, k) => emit('pick', k)"
      />
    </div>
    <figcaption class="faint">
      Each dot is an answer: the dearest frame’s milliseconds, and what is lost to the eye. Press one to see
      its changes. The upright line is the mark.
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 6px 0;
}
</style>

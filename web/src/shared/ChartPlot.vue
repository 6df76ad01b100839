<script setup lang="ts">
import { LineChart, ScatterChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { use, type ComposeOption } from 'echarts/core'
import type { LineSeriesOption, ScatterSeriesOption } from 'echarts/charts'
import type { GridComponentOption, TooltipComponentOption } from 'echarts/components'
import { SVGRenderer } from 'echarts/renderers'
import { computed, ref, useTemplateRef, watchEffect } from 'vue'
import VChart from 'vue-echarts'
import { useTheme } from 'vuetify'

/** A chart with axes, in our inks. Its option is made from these, so that it follows the theme. */
export type Inks = Record<'ink' | 'faint' | 'line' | 'sheet' | 'green' | 'slate' | 'oxblood', string>
export type ChartOption = ComposeOption<
  LineSeriesOption | ScatterSeriesOption | GridComponentOption | TooltipComponentOption
>

use([LineChart, ScatterChart, GridComponent, MarkLineComponent, TooltipComponent, SVGRenderer])

const props = defineProps<{ label: string; height: number; option: (inks: Inks) => ChartOption }>()
const emit = defineEmits<{ point: [series: string, k: number]; drag: [x: number] }>()
const frame = useTemplateRef('frame')
const chart = useTemplateRef('chart')
const theme = useTheme()
const inks = ref<Inks | null>(null)
watchEffect(
  () => {
    void theme.name.value
    const style = frame.value && getComputedStyle(frame.value)
    const ink = (name: string) => style?.getPropertyValue(`--${name}`).trim() ?? ''
    inks.value = {
      ink: ink('ink'),
      faint: ink('faint'),
      line: ink('line'),
      sheet: ink('sheet'),
      green: ink('green'),
      slate: ink('slate'),
      oxblood: ink('oxblood'),
    }
  },
  { flush: 'post' },
)
const FONT = { fontFamily: "'Source Sans 3 Variable', sans-serif", fontSize: 11 }
const drawn = computed(() => {
  if (!inks.value) return null
  const { ink, line, sheet } = inks.value
  const tooltip = {
    backgroundColor: sheet,
    borderColor: line,
    borderRadius: 0,
    padding: [3, 8],
    textStyle: { ...FONT, fontSize: 12.5, color: ink },
  }
  const { tooltip: own, ...rest } = props.option(inks.value)
  return { animation: false, textStyle: FONT, ...rest, ...(own && { tooltip: { ...tooltip, ...own } }) }
})
function pressed({ seriesId, dataIndex }: { seriesId?: string; dataIndex?: number }) {
  if (seriesId !== undefined && dataIndex !== undefined) emit('point', seriesId, dataIndex)
}
function drag({ offsetX, offsetY, event }: { offsetX: number; offsetY: number; event?: unknown }) {
  if (!chart.value || !((event as MouseEvent | undefined)?.buttons ?? 1)) return
  const [x] = chart.value.convertFromPixel({ gridIndex: 0 }, [offsetX, offsetY])
  emit('drag', x!)
}
</script>

<template>
  <div ref="frame" class="plot" :style="{ height: `${height}px` }">
    <v-chart
      v-if="drawn"
      ref="chart"
      :option="drawn"
      :update-options="{ notMerge: true }"
      autoresize
      role="img"
      :aria-label="label"
      @click="pressed"
      @zr:mousedown="drag"
      @zr:mousemove="drag"
    />
  </div>
</template>

<style scoped>
.plot {
  width: 100%;
}
</style>

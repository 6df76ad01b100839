import { defineComponent } from 'vue'

/** In the place of ECharts, which draws nothing without a canvas: what is drawn is read from its option. */
export default defineComponent({ name: 'Chart', render: () => null })

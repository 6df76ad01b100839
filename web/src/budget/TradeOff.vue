<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { whole } from './budget'

/** Answers along the trade-off of what is lost to the eye against milliseconds, one of them to be picked. */
const props = defineProps<{
  points: { ms: number; loss: number }[]
  mark: number
  picked: number | null
}>()
const emit = defineEmits<{ pick: [k: number] }>()
const svg = ref<SVGSVGElement>()
const { width } = useElementSize(svg)
const wide = computed(() => Math.max(width.value, 200))
const TALL = 130
const [LEFT, FOOT, TOP] = [46, 24, 10]

const low = computed(() => Math.min(props.mark, ...props.points.map((p) => p.ms)) * 0.95)
const high = computed(() => Math.max(props.mark, ...props.points.map((p) => p.ms)) * 1.03)
const most = computed(() => Math.max(1, ...props.points.map((p) => p.loss)))
const toX = (ms: number) => LEFT + ((ms - low.value) / (high.value - low.value)) * (wide.value - LEFT - 12)
const toY = (loss: number) => TALL - FOOT - (loss / most.value) * (TALL - FOOT - TOP)
const way = computed(() => props.points.map((p) => `${toX(p.ms)},${toY(p.loss)}`).join(' '))
const textOf = (p: { ms: number; loss: number }) => `${p.ms.toFixed(2)} ms, ${whole(p.loss)} px lost`
</script>

<template>
  <figure>
    <svg
      ref="svg"
      :height="TALL"
      role="group"
      aria-label="What is lost against milliseconds"
      data-test="trade-off"
    >
      <line class="mark" :x1="toX(mark)" :x2="toX(mark)" :y1="TOP" :y2="TALL - FOOT" />
      <line class="foot" :x1="LEFT" :x2="wide" :y1="TALL - FOOT" :y2="TALL - FOOT" />
      <text :x="LEFT - 5" :y="TOP + 6" text-anchor="end">{{ whole(most) }}</text>
      <text :x="LEFT - 5" :y="TALL - FOOT + 4" text-anchor="end">0 px</text>
      <text :x="toX(mark)" :y="TALL - 7" text-anchor="middle" class="of-mark">{{ mark.toFixed(1) }}</text>
      <text :x="wide - 2" :y="TALL - 7" text-anchor="end">{{ high.toFixed(1) }} ms</text>
      <polyline :points="way" />
      <circle
        v-for="(p, k) in points"
        :key="k"
        :cx="toX(p.ms)"
        :cy="toY(p.loss)"
        :r="k === picked ? 6 : 4.5"
        :class="{ picked: k === picked }"
        role="button"
        tabindex="0"
        :aria-label="textOf(p)"
        :aria-pressed="k === picked"
        :data-test="`trade-${k}`"
        @click="emit('pick', k)"
        @keydown.enter.prevent="emit('pick', k)"
        @keydown.space.prevent="emit('pick', k)"
      >
        <title>{{ textOf(p) }}</title>
      </circle>
    </svg>
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
svg {
  width: 100%;
}
text {
  font-size: 11px;
  fill: var(--faint);
}
.of-mark {
  fill: var(--oxblood);
}
.mark {
  stroke: var(--oxblood);
}
.foot {
  stroke: var(--line);
}
polyline {
  fill: none;
  stroke: var(--slate);
}
circle {
  fill: var(--sheet);
  stroke: var(--slate);
  stroke-width: 1.5;
  cursor: pointer;
}
circle:focus-visible {
  outline: 2px solid var(--ink);
}
.picked {
  fill: var(--green);
  stroke: var(--green);
}
</style>

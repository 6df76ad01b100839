<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { signed } from '../budget/budget'

/** By how much measured frames differ from what a device is computed to take, over the ms that they took;
 *  frames that were left out are rings. */
const props = defineProps<{ frames: [number, number, boolean][] }>()
const svg = ref<SVGSVGElement>()
const { width } = useElementSize(svg)
const wide = computed(() => Math.max(width.value, 200))
const TALL = 130
const [LEFT, FOOT, TOP] = [38, 24, 8]

const longest = computed(() => Math.max(...props.frames.map(([ms]) => ms)) * 1.05)
const off = ([ms, predicted]: [number, number, boolean]) => (ms / predicted - 1) * 100
/** The largest difference of a frame that fits, in steps that read well; farther ones stand at the border. */
const reach = computed(() => {
  const most = Math.max(1, ...props.frames.filter(([, , fits]) => fits).map((f) => Math.abs(off(f))))
  return [2, 5, 10, 20, 50, 100].find((step) => step >= most) ?? 200
})
const toX = (ms: number) => LEFT + (ms / longest.value) * (wide.value - LEFT - 4)
const toY = (percent: number) => {
  const held = Math.min(Math.max(percent / reach.value, -1), 1)
  return TOP + ((1 - held) * (TALL - FOOT - TOP)) / 2
}
const ticks = computed(() => {
  const step = [0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500].find((s) => longest.value / s <= 6) ?? 1000
  return Array.from({ length: Math.floor(longest.value / step) + 1 }, (_, k) => k * step)
})
</script>

<template>
  <figure>
    <svg
      ref="svg"
      :height="TALL"
      role="img"
      aria-label="Measured frames against the fit"
      data-test="fit-plot"
    >
      <g v-for="p in [-reach, 0, reach]" :key="p" class="grid">
        <line :x1="LEFT" :x2="wide - 4" :y1="toY(p)" :y2="toY(p)" :class="{ middle: !p }" />
        <text :x="LEFT - 5" :y="toY(p) + 4" text-anchor="end">{{ signed(`${p} %`, p) }}</text>
      </g>
      <text v-for="t in ticks" :key="t" :x="toX(t)" :y="TALL - 6" text-anchor="middle">
        {{ t }}{{ t === ticks[ticks.length - 1] ? ' ms' : '' }}
      </text>
      <circle
        v-for="(f, k) in frames"
        :key="k"
        :cx="toX(f[0])"
        :cy="toY(off(f))"
        r="2.2"
        :class="{ out: !f[2] }"
      />
    </svg>
    <figcaption class="faint">
      Each dot is a frame: how much longer it took than is calculated, over what it took. Rings were left out.
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
.grid line {
  stroke: var(--line);
}
.grid .middle {
  stroke: var(--ink);
}
circle {
  fill: var(--slate);
  fill-opacity: 0.7;
}
.out {
  fill: none;
  stroke: var(--oxblood);
}
</style>

<script setup lang="ts">
import { computed } from 'vue'
import type { Bookmark } from '../api/client'
import { useLevel } from '../level/level'

/**
 * Where a view is taken from and where it looks, on a sketch of the level, for views of which no picture
 * was kept.
 */
const props = defineProps<{ view: Bookmark }>()
const level = useLevel().level!
const WIDE = 64
const TALL = 36
const scale = Math.min((WIDE - 4) / (level.columns * level.cell), (TALL - 4) / (level.rows * level.cell))
const width = level.columns * level.cell * scale
const height = level.rows * level.cell * scale
const left = (WIDE - width) / 2
const top = (TALL - height) / 2
const wedge = computed(() => {
  const [x, y] = [left + props.view.x * scale, top + props.view.z * scale]
  const end = (turn: number) => {
    const a = ((props.view.heading + turn) * Math.PI) / 180
    return `${x + 12 * Math.sin(a)} ${y - 12 * Math.cos(a)}`
  }
  return `M${x} ${y} L${end(-25)} L${end(25)} Z`
})
</script>

<template>
  <svg :width="WIDE" :height="TALL" aria-hidden="true">
    <rect :x="left" :y="top" :width="width" :height="height" />
    <path :d="wedge" />
    <circle :cx="left + view.x * scale" :cy="top + view.z * scale" r="2" />
  </svg>
</template>

<style scoped>
svg {
  margin-right: 10px;
}
rect {
  fill: var(--paper);
  stroke: var(--line);
}
path {
  fill: color-mix(in srgb, var(--green) 45%, transparent);
}
circle {
  fill: var(--ink);
}
</style>

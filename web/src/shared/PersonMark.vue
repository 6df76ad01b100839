<script setup lang="ts">
import { markPath } from '../level/marks'

/** A person's mark, as the plan shows it. */
defineProps<{ mark: string }>()
</script>

<template>
  <svg width="18" height="18" aria-hidden="true"><path :d="markPath(mark, 9, 9, 6)" /></svg>
</template>

<style scoped>
svg {
  vertical-align: -4px;
}
path {
  fill: var(--slate);
}
</style>

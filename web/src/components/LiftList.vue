<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import type { Under } from '../api/client'
import { useLevel } from '../stores/level'

/** All that stands over a place, top to bottom. */
defineProps<{ found: Under[]; at: [number, number] }>()
const emit = defineEmits<{ take: [under: Under]; close: [] }>()
const store = useLevel()
const box = ref<HTMLElement>()
useEventListener(window, 'pointerdown', (event: PointerEvent) => {
  if (!box.value?.contains(event.target as Node)) emit('close')
})
const nameOf = (pk: number) => store.stands.find((s) => s.id === pk)?.name ?? ''
const itemOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
</script>

<template>
  <ul ref="box" class="list" data-test="lift-list" :style="{ left: `${at[0] + 10}px`, top: `${at[1] - 8}px` }">
    <li v-if="!found.length" class="faint">Nothing of any stand stands here.</li>
    <li v-for="u in found" :key="u.stand">
      <button class="plain" @click="emit('take', u)"><span class="name">{{ nameOf(u.stand) }}</span> <span class="faint">{{ itemOf(u.item) }}, {{ u.tip.toFixed(1) }} m up</span></button>
    </li>
  </ul>
</template>

<style scoped>
.list {
  position: fixed;
  z-index: 30;
  list-style: none;
  margin: 0;
  padding: 4px;
  background: var(--sheet);
  border: 1px solid var(--line);
  min-width: 150px;
}
.list button {
  width: 100%;
  text-align: left;
  white-space: nowrap;
}
.name {
  font-size: 15px;
}
</style>

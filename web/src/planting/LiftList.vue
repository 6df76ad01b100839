<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import type { Under } from '../api/client'
import { useLevel } from '../level/level'

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
  <div ref="box" class="list" :style="{ left: `${at[0] + 10}px`, top: `${at[1] - 8}px` }">
    <v-list data-test="lift-list">
      <v-list-item v-if="!found.length" title="Nothing of any stand stands here." />
      <v-list-item
        v-for="u in found"
        :key="u.stand"
        :title="nameOf(u.stand)"
        :subtitle="`${itemOf(u.item)}, ${u.tip.toFixed(1)} m up`"
        @click="emit('take', u)"
      />
    </v-list>
  </div>
</template>

<style scoped>
.list {
  position: fixed;
  z-index: 30;
  min-width: 170px;
}
</style>

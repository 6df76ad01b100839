<script setup lang="ts">
import { computed } from 'vue'
import { useLevel } from '../level/level'

/** Placed meshes, and groups of them, that a stand grows on; the terrain where none is chosen. */
defineProps<{ disabled?: boolean }>()
const on = defineModel<string[]>({ required: true })
const store = useLevel()
const names = computed(() => {
  const placed = store.surfaces.filter((s) => s.planted)
  const groups = new Set(placed.map((s) => s.group).filter((g) => !!g))
  return [
    ...[...groups].map((g) => ({ value: g, title: g, props: { subtitle: 'all of this group' } })),
    ...placed.map((s) => ({ value: s.name, title: s.name })),
  ]
})
</script>

<template>
  <v-select
    v-if="names.length || on.length"
    v-model="on"
    multiple
    chips
    closable-chips
    :items="names"
    label="Grows on"
    placeholder="the terrain"
    persistent-placeholder
    hide-details
    :disabled="disabled"
    data-test="grows-on"
  />
</template>

<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'

/** A part of a bench under a heading, opened and closed; this browser remembers which. */
const props = defineProps<{ name: string; title: string; closed?: boolean }>()
const open = useLocalStorage<string[]>(`kt-part-${props.name}`, props.closed ? [] : ['open'])
</script>

<template>
  <v-expansion-panels v-model="open">
    <v-expansion-panel value="open">
      <v-expansion-panel-title :data-test="`part-${name}`">{{ title }}</v-expansion-panel-title>
      <v-expansion-panel-text><slot /></v-expansion-panel-text>
    </v-expansion-panel>
  </v-expansion-panels>
</template>

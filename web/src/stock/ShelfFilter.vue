<script setup lang="ts">
import { mdiMagnify } from '@mdi/js'
import { computed } from 'vue'
import { useShelf } from './shelf'

/** Which items of the shelf are shown, and in what order. */
const shelf = useShelf()
const SORTS = [
  { value: 'name', title: 'by name' },
  { value: 'height', title: 'tallest first' },
  { value: 'cost', title: 'dearest first' },
]
const groups = computed(() => [
  { value: null, title: 'all groups' },
  ...shelf.used.map((g) => ({ value: g, title: g })),
])
</script>

<template>
  <div class="filter">
    <v-text-field
      v-model="shelf.search"
      :prepend-inner-icon="mdiMagnify"
      label="Search"
      title="Search by name or tag"
      clearable
      hide-details
      data-test="shelf-search"
      @click:clear="shelf.search = ''"
    />
    <v-select v-model="shelf.group" :items="groups" label="Group" hide-details data-test="shelf-group" />
    <v-select
      v-if="shelf.tags.length"
      v-model="shelf.tag"
      :items="shelf.tags"
      label="Tag"
      clearable
      hide-details
      data-test="shelf-tag"
    />
    <v-select v-model="shelf.sort" :items="SORTS" label="Order" hide-details data-test="shelf-sort" />
  </div>
</template>

<style scoped>
.filter {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(140px, 1fr));
  gap: 10px;
}
</style>

<script lang="ts">
export type LevelOrder = 'name' | 'changed' | 'plants'
</script>

<script setup lang="ts">
import { mdiMagnify } from '@mdi/js'
import OneOf from '../shared/OneOf.vue'

/** Search among the levels, and their order. */
const search = defineModel<string>('search', { required: true })
const sort = defineModel<LevelOrder>('sort', { required: true })
const SORTS = [
  { value: 'name', title: 'by name', test: 'by-name' },
  { value: 'changed', title: 'last changed', test: 'by-changed' },
  { value: 'plants', title: 'most plants', test: 'by-plants' },
] as const
</script>

<template>
  <div class="find">
    <v-text-field
      v-model="search"
      :prepend-inner-icon="mdiMagnify"
      label="Search"
      clearable
      hide-details
      data-test="level-search"
      @click:clear="search = ''"
    />
    <OneOf label="Order" :value="sort" :items="SORTS" data-test="level-sort" @change="sort = $event" />
  </div>
</template>

<style scoped>
.find {
  display: grid;
  grid-template-columns: minmax(180px, 320px) 200px;
  gap: 12px;
  margin-bottom: 22px;
}
</style>

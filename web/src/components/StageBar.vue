<script setup lang="ts">
import { computed } from 'vue'
import type { Bookmark } from '../api/client'
import type { Stage } from '../stage/stage'

const props = defineProps<{ stage: Stage; ticks: number }>()
const shown = defineModel<'both' | 'eye' | 'plan'>('shown', { required: true })
const shadows = defineModel<boolean>('shadows', { required: true })
const everything = defineModel<boolean>('everything', { required: true })
const walking = defineModel<boolean>('walking', { required: true })
defineEmits<{ go: [bookmark: Bookmark] }>()

const VIEWS = [
  ['both', 'Both'],
  ['eye', 'Eye'],
  ['plan', 'Plan'],
] as const
const eye = computed(() => {
  void props.ticks
  const v = props.stage.eye.view
  return `${v.x.toFixed(0)} east, ${v.z.toFixed(0)} south, ${(v.y - props.stage.ground.heightAt(v.x, v.z)).toFixed(1)} m above the ground`
})
</script>

<template>
  <div class="bar top">
    <span class="group" role="group" aria-label="Views">
      <button v-for="[key, label] in VIEWS" :key="key" class="plain" :aria-pressed="shown === key" :data-test="`show-${key}`" @click="shown = key">{{ label }}</button>
    </span>
    <v-menu>
      <template #activator="{ props: menu }">
        <button v-bind="menu" class="plain" data-test="bookmarks">Views ▾</button>
      </template>
      <ul class="menu">
        <li v-for="(b, k) in stage.level.bookmarks" :key="b.name">
          <button class="plain" :data-test="`bookmark-${k + 1}`" @click="$emit('go', b)"><kbd>{{ k + 1 }}</kbd> {{ b.name }}</button>
        </li>
      </ul>
    </v-menu>
    <button class="plain" :aria-pressed="shadows" data-test="shadows" @click="shadows = !shadows">Shadows</button>
    <button class="plain" :aria-pressed="everything" data-test="everything" title="Draw every plant of every stand, however far it is drawn in the game; swards keep their distance. The cost below stays the game's." @click="everything = !everything">All plants</button>
    <button class="plain" :aria-pressed="walking" data-test="walk" title="Walk at eye height, held to the ground" @click="walking = !walking">Walk</button>
    <span class="faint place number">{{ eye }}</span>
  </div>
</template>

<style scoped>
.bar {
  position: absolute;
  left: 10px;
  display: flex;
  gap: 8px;
  align-items: center;
  background: color-mix(in srgb, var(--sheet) 90%, transparent);
  border: 1px solid var(--line);
  padding: 3px 8px;
  z-index: 2;
  max-width: calc(100% - 20px);
}
.top {
  top: 10px;
}
.group {
  display: flex;
}
.place {
  font-size: 12.5px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.menu {
  list-style: none;
  margin: 4px 0 0;
  padding: 6px;
  background: var(--sheet);
  border: 1px solid var(--line);
}
.menu button {
  width: 100%;
  text-align: left;
}
</style>

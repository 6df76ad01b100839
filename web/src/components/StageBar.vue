<script setup lang="ts">
import { computed } from 'vue'
import type { Bookmark } from '../api/client'
import type { Stage } from '../stage/stage'
import { useBrush } from '../stores/brush'
import { useLevel } from '../stores/level'

const props = defineProps<{ stage: Stage; ticks: number; paints: boolean }>()
const shown = defineModel<'both' | 'eye' | 'plan'>('shown', { required: true })
const shadows = defineModel<boolean>('shadows', { required: true })
defineEmits<{ go: [bookmark: Bookmark] }>()
const store = useLevel()
const brush = useBrush()

const VIEWS = [
  ['both', 'Both'],
  ['eye', 'Eye'],
  ['plan', 'Plan'],
] as const
const names = computed(() => store.chosen.map((s) => s.name).join(', ') || 'no stand')
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
    <span class="faint place number">{{ eye }}</span>
  </div>
  <div v-if="paints" class="bar brush" data-test="brush-bar">
    <button class="plain" :aria-pressed="brush.verb === 'thicken'" :disabled="!store.mayPlant" data-test="thicken" @click="brush.take('thicken')">Thicken</button>
    <button class="plain" :aria-pressed="brush.verb === 'thin'" :disabled="!store.mayPlant" data-test="thin" @click="brush.take('thin')">Thin</button>
    <template v-if="brush.verb">
      <span class="name">{{ names }}</span>
      <label>radius <input v-model.number="brush.radius" data-test="brush-radius" class="cell" type="number" min="0.5" max="200" step="0.5" /> m</label>
      <label>soft edge <input v-model.number="brush.soft" data-test="brush-soft" type="range" min="0" max="1" step="0.05" /></label>
      <label>strength <input v-model.number="brush.strength" data-test="brush-strength" type="range" min="0.05" max="1" step="0.05" /><span class="number pc">{{ Math.round(brush.strength * 100) }} %</span></label>
    </template>
    <span v-else class="faint">take up a brush to paint {{ names }}</span>
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
.brush {
  top: 48px;
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
.brush label {
  display: flex;
  gap: 5px;
  align-items: center;
  white-space: nowrap;
  font-size: 13px;
}
.brush input[type='number'] {
  width: 44px;
}
.brush input[type='range'] {
  width: 62px;
}
.name {
  font-size: 15.5px;
  font-style: italic;
  white-space: nowrap;
}
.pc {
  width: 38px;
}
</style>

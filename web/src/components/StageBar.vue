<script setup lang="ts">
import { computed, ref } from 'vue'
import { ask, type Bookmark } from '../api/client'
import { useLevel } from '../stores/level'
import WindMenu from './WindMenu.vue'
import type { Stage } from '../stage/stage'

const props = defineProps<{ stage: Stage; ticks: number }>()
const shown = defineModel<'both' | 'eye' | 'plan'>('shown', { required: true })
const shadows = defineModel<boolean>('shadows', { required: true })
const everything = defineModel<boolean>('everything', { required: true })
const alone = defineModel<boolean>('alone', { required: true })
const walking = defineModel<boolean>('walking', { required: true })
defineEmits<{ go: [bookmark: Bookmark] }>()

const store = useLevel()
const name = ref('')
async function change(work: Promise<Bookmark[]>) {
  try {
    const bookmarks = await work
    store.level = { ...store.level!, bookmarks }
    await store.beat()
  } catch (error) {
    store.tell(error)
  }
}
/** Keep what the eye sees under a name, with a small picture of it. */
async function keep() {
  if (!name.value.trim()) return
  const { x, y, z, heading, pitch, fov } = props.stage.eye.view
  const view = { key: crypto.randomUUID(), name: name.value.trim(), x, y, z, heading, pitch, fov, picture: props.stage.picture() }
  name.value = ''
  await change(ask<Bookmark[]>('POST', `/levels/${store.slug}/views`, view))
}
const drop = (of: string) => change(ask<Bookmark[]>('DELETE', `/levels/${store.slug}/views/${encodeURIComponent(of)}?key=${crypto.randomUUID()}`))
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
        <li v-for="(b, k) in store.level!.bookmarks" :key="b.name">
          <button class="plain view" :data-test="`bookmark-${k + 1}`" @click="$emit('go', b)">
            <img v-if="b.picture" :src="b.picture" alt="" /><span v-else class="none" />
            <span>{{ b.name }}</span><kbd v-if="k < 9">{{ k + 1 }}</kbd>
          </button>
          <button v-if="store.mayPlant" class="plain faint" :aria-label="`Remove the view ${b.name}`" :data-test="`view-remove-${k + 1}`" @click.stop="drop(b.name)">×</button>
        </li>
        <li v-if="store.mayPlant" class="keep" @click.stop>
          <input v-model="name" class="cell" placeholder="this view, as …" aria-label="Name of the view to be kept" maxlength="60" data-keys data-test="view-name" @keydown.enter="keep" @keydown.stop />
          <button class="plain" :disabled="!name.trim()" data-test="view-keep" @click="keep">Keep</button>
        </li>
      </ul>
    </v-menu>
    <button class="plain" :aria-pressed="shadows" data-test="shadows" @click="shadows = !shadows">Shadows</button>
    <button class="plain" :aria-pressed="everything" data-test="everything" title="Draw every plant of every stand, however far it is drawn in the game; swards keep their distance. The cost below stays the game's." @click="everything = !everything">All plants</button>
    <button class="plain" :aria-pressed="alone" data-test="alone" title="Draw all but the selected stands pale" @click="alone = !alone">Selected</button>
    <button class="plain" :aria-pressed="walking" data-test="walk" title="Walk at eye height, held to the ground" @click="walking = !walking">Walk</button>
    <WindMenu :stage="stage" />
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
.top button {
  white-space: nowrap;
  flex: none;
}
.place {
  font-size: 12.5px;
  min-width: 0;
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
.menu li {
  display: flex;
  align-items: center;
}
.view {
  flex: 1;
  display: flex;
  gap: 8px;
  align-items: center;
  text-align: left;
}
.view span:nth-child(2) {
  flex: 1;
}
.view img,
.none {
  width: 64px;
  height: 36px;
  border: 1px solid var(--line);
  object-fit: cover;
}
.none {
  background: var(--paper);
}
.keep {
  gap: 6px;
  padding: 6px 4px 2px;
}
.keep input {
  flex: 1;
  text-align: left;
}
</style>

<script setup lang="ts">
import {
  mdiContentCopy,
  mdiDeleteOutline,
  mdiEyeOffOutline,
  mdiEyeOutline,
  mdiLockOpenVariantOutline,
  mdiLockOutline,
  mdiPlus,
} from '@mdi/js'
import { computed, ref } from 'vue'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import StandSets from './StandSets.vue'
import SurfaceForm from './SurfaceForm.vue'
import { FORMS, useSurfaces } from './surfaces'
import { NEW } from './thingDrafts'

/** The meshes placed in the level, and those one can place. */
const props = defineProps<{ heightAt: (x: number, z: number) => number }>()
const store = useLevel()
const surfaces = useSurfaces()
const rows = computed(() =>
  surfaces.drafts[NEW] ? [...surfaces.shown, { ...surfaces.drafts[NEW], id: NEW, area: 0 }] : surfaces.shown,
)
const item = ref('')

/** On the ground some way before the eye. */
function ahead(): [number, number, number] {
  const l = store.level!
  const [wide, long] = [l.columns * l.cell, l.rows * l.cell]
  const v = store.seen ?? { x: wide / 2, z: long / 2, heading: 0 }
  const way = (v.heading * Math.PI) / 180
  const x = Math.min(Math.max(v.x + 25 * Math.sin(way), 0), wide)
  const z = Math.min(Math.max(v.z - 25 * Math.cos(way), 0), long)
  return [+x.toFixed(1), +props.heightAt(x, z).toFixed(1), +z.toFixed(1)]
}
function placeItem(slug: string) {
  const found = store.level!.stock.find((i) => i.slug === slug)
  if (found) surfaces.begin({ item: slug, called: found.name }, ahead())
  item.value = ''
}
</script>

<template>
  <div data-test="surface-list">
    <div v-if="store.mayPlant" class="tools">
      <v-menu>
        <template #activator="{ props: press }">
          <v-btn v-bind="press" :prepend-icon="mdiPlus" data-test="place-made">Make a mesh</v-btn>
        </template>
        <v-list>
          <v-list-item
            v-for="f in FORMS"
            :key="f.value"
            :title="f.title"
            :data-test="`made-${f.value}`"
            @click="surfaces.begin({ form: f.value }, ahead())"
          />
        </v-list>
      </v-menu>
      <ItemPicker
        :model-value="item"
        label="Place a stock item"
        test="place-item"
        @update:model-value="placeItem"
      />
    </div>
    <p v-if="surfaces.trouble" class="over" role="alert" data-test="surface-trouble">
      {{ surfaces.trouble }}
    </p>
    <ol>
      <li
        v-for="s in rows"
        :key="s.id"
        :class="{ chosen: s.id === surfaces.chosen, dim: s.hidden }"
        :data-test="`surface-row-${s.id}`"
      >
        <v-btn
          variant="text"
          class="row"
          :aria-pressed="s.id === surfaces.chosen"
          @click="surfaces.chosen = s.id === surfaces.chosen ? null : s.id"
        >
          <span class="name">{{ s.name }}</span>
          <span class="faint number">{{
            surfaces.drafts[s.id]
              ? 'not kept yet'
              : `${s.group ? `${s.group}, ` : ''}${whole(Math.round(s.area))} m²`
          }}</span>
        </v-btn>
        <template v-if="store.mayPlant && !surfaces.drafts[s.id]">
          <ActionButton
            variant="text"
            size="x-small"
            :icon="s.hidden ? mdiEyeOffOutline : mdiEyeOutline"
            :tip="`${s.hidden ? 'Show' : 'Hide'} ${s.name}`"
            @click="surfaces.change(s.id, { hidden: !s.hidden })"
          />
          <ActionButton
            variant="text"
            size="x-small"
            :icon="s.locked ? mdiLockOutline : mdiLockOpenVariantOutline"
            :tip="`${s.locked ? 'Unlock' : 'Lock'} ${s.name}`"
            @click="surfaces.change(s.id, { locked: !s.locked })"
          />
        </template>
        <div v-if="s.id === surfaces.chosen && (surfaces.draft ?? surfaces.surface)" class="open">
          <SurfaceForm :surface="(surfaces.draft ?? surfaces.surface)!" />
          <p v-if="surfaces.surface && !surfaces.draft && store.mayPlant" class="tools">
            <ActionButton
              :icon="mdiContentCopy"
              tip="Place another one like it beside it"
              data-test="surface-duplicate"
              @click="surfaces.duplicate(surfaces.surface)"
              >Duplicate</ActionButton
            >
            <ActionButton
              v-if="!surfaces.surface.locked"
              :icon="mdiDeleteOutline"
              :tip="`Remove ${surfaces.surface.name}; undo brings it back`"
              data-test="surface-remove"
              @click="surfaces.remove(surfaces.surface.id)"
              >Remove</ActionButton
            >
          </p>
          <StandSets
            v-if="surfaces.surface && !surfaces.draft && store.mayPlant && surfaces.surface.planted"
            :surface="surfaces.surface"
          />
        </div>
      </li>
    </ol>
    <p v-if="!rows.length" class="faint">
      None yet. A boulder, a wall or a wreck can carry plants of its own: place it here, then let a stand grow
      on it.
    </p>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin: 0 0 8px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--line);
}
li {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  border-bottom: 1px solid var(--line);
}
li.chosen {
  background: color-mix(in srgb, var(--green) 13%, transparent);
}
.open {
  flex: 1 0 100%;
  padding: 0 6px 8px;
  background: var(--paper);
}
li.dim .name {
  opacity: 0.5;
}
.row {
  flex: 1;
  min-width: 60%;
  padding: 0 4px;
}
.row[aria-pressed='true'] {
  background: none;
}
.row :deep(.v-btn__content) {
  width: 100%;
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px;
  text-align: left;
}
.row .name {
  font-size: 16px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.row .faint {
  font-size: 12.5px;
}
</style>

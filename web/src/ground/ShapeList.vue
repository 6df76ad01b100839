<script setup lang="ts">
import {
  mdiCircleOutline,
  mdiDownload,
  mdiEyeOffOutline,
  mdiEyeOutline,
  mdiLockOpenVariantOutline,
  mdiLockOutline,
  mdiSquareOutline,
  mdiTextureBox,
  mdiUpload,
  mdiVectorPolygon,
  mdiVectorPolyline,
} from '@mdi/js'
import { ref } from 'vue'
import { ApiError, type Changed } from '../api/client'
import { upload } from '../api/upload'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import { useShapes, type Tool } from './shapes'
import ActionButton from '../shared/ActionButton.vue'
import ShapeForm from './ShapeForm.vue'

const store = useLevel()
const shapes = useShapes()
const TOOLS: [Tool, string, string][] = [
  ['path', 'Path', mdiVectorPolyline],
  ['area', 'Area', mdiTextureBox],
  ['circle', 'Round', mdiCircleOutline],
  ['box', 'Box', mdiSquareOutline],
  ['polygon', 'Outline', mdiVectorPolygon],
]
const HINTS: Record<Tool, string> = {
  path: 'Click the corners of its line; Enter or a double click ends it.',
  area: 'Click the corners of its outline; Enter or a double click closes it.',
  polygon: 'Click the corners of its outline; Enter or a double click closes it.',
  circle: 'Click its middle, then its rim.',
  box: 'Click its middle, then the middle of its front.',
}
const TITLES: Record<Tool, string> = {
  path: 'Path',
  area: 'Area',
  circle: 'Round obstacle',
  box: 'Box-shaped obstacle',
  polygon: 'Obstacle by its outline',
}
const WORDS = { path: 'path', area: 'area', obstacle: 'obstacle' }
const chosen = ref<File | null>(null)
const instead = ref(false)

async function bringIn(picked: File | File[] | null) {
  const file = Array.isArray(picked) ? picked[0] : picked
  if (!file) return
  shapes.trouble = ''
  try {
    const query = new URLSearchParams({
      key: crypto.randomUUID(),
      name: file.name,
      instead: String(instead.value),
    })
    store.take(await upload<Changed>(`/levels/${store.slug}/shapes.geojson?${query}`, await file.text()))
  } catch (error) {
    shapes.trouble = error instanceof ApiError ? error.message : String(error)
  }
  chosen.value = null
}
const reach = (x: { kind: string; reach: number }) =>
  x.kind === 'path'
    ? `${whole(x.reach)} m`
    : x.reach >= 1e4
      ? `${(x.reach / 1e4).toFixed(1)} ha`
      : `${whole(x.reach)} m²`
</script>

<template>
  <div data-test="shape-list">
    <div v-if="store.mayPlant" class="tools">
      <ActionButton
        v-for="[t, label, icon] in TOOLS"
        :key="t"
        :icon="icon"
        :on="shapes.tool === t"
        :action="t"
        :tip="`Draw: ${TITLES[t].toLowerCase()}`"
        :data-test="`tool-${t}`"
        @click="shapes.take(t)"
        >{{ label }}</ActionButton
      >
    </div>
    <p v-if="shapes.tool" class="hint" role="status">{{ HINTS[shapes.tool] }}</p>
    <p v-if="shapes.trouble" class="over" role="alert" data-test="shape-trouble">{{ shapes.trouble }}</p>
    <ol>
      <li v-for="x in shapes.shown" :key="x.id" :class="{ chosen: x.id === shapes.chosen, dim: x.hidden }">
        <v-btn
          variant="text"
          class="row"
          :aria-pressed="x.id === shapes.chosen"
          :data-test="`shape-row-${x.id}`"
          @click="shapes.chosen = x.id === shapes.chosen ? null : x.id"
        >
          <svg class="swatch" width="20" height="14">
            <rect
              x="0.5"
              y="0.5"
              width="19"
              height="13"
              :fill="x.hatch === 'blank' || x.kind === 'path' ? 'none' : `url(#hatch-${x.hatch})`"
              :rx="x.form === 'circle' ? 7 : 0"
            />
            <path v-if="x.kind === 'path'" d="M0 10 Q8 2 20 5" />
          </svg>
          <span class="name">{{ x.name }}</span>
          <span class="faint number">{{
            shapes.drafts[x.id] ? 'not kept yet' : `${WORDS[x.kind]}, ${reach(x)}`
          }}</span>
        </v-btn>
        <ActionButton
          v-if="store.mayPlant && !shapes.drafts[x.id]"
          variant="text"
          size="x-small"
          :icon="x.hidden ? mdiEyeOffOutline : mdiEyeOutline"
          :tip="`${x.hidden ? 'Show' : 'Hide'} ${x.name}`"
          @click="shapes.keep({ ...x, hidden: !x.hidden })"
        />
        <ActionButton
          v-if="store.mayPlant && !shapes.drafts[x.id]"
          variant="text"
          size="x-small"
          :icon="x.locked ? mdiLockOutline : mdiLockOpenVariantOutline"
          :tip="`${x.locked ? 'Unlock' : 'Lock'} ${x.name}`"
          :data-test="`lock-${x.id}`"
          @click="shapes.keep({ ...x, locked: !x.locked })"
        />
      </li>
    </ol>
    <p v-if="!shapes.shown.length" class="faint">
      No shapes yet. Paths, areas and obstacles keep plants away, and conditions can ask how far they are.
    </p>

    <ShapeForm v-if="shapes.draft || shapes.shape" :shape="(shapes.draft ?? shapes.shape)!" />

    <div class="files">
      <ActionButton
        :icon="mdiDownload"
        tip="Save all shapes as GeoJSON"
        :href="`/api/levels/${store.slug}/shapes.geojson`"
        download
        data-test="shapes-out"
        >GeoJSON</ActionButton
      >
      <v-file-input
        v-if="store.mayPlant"
        v-model="chosen"
        label="Bring in shapes"
        title="Bring in shapes from GeoJSON"
        accept=".geojson,.json"
        prepend-icon=""
        :prepend-inner-icon="mdiUpload"
        hide-details
        data-test="shapes-file"
        @update:model-value="bringIn"
      />
    </div>
    <v-checkbox v-if="store.mayPlant" v-model="instead" label="in place of those that are not locked" />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  margin: 0 0 8px;
}
.files {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}
.hint {
  margin: 0 0 4px;
  color: var(--oxblood);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--line);
}
li {
  display: flex;
  align-items: center;
  border-bottom: 1px solid var(--line);
}
li.chosen {
  background: color-mix(in srgb, var(--green) 13%, transparent);
}
li.dim .name {
  opacity: 0.5;
}
.row {
  flex: 1;
  min-width: 0;
  grid-template-columns: 0 minmax(0, 1fr) 0;
  padding: 0 2px;
}
.row[aria-pressed='true'] {
  background: none;
}
.row :deep(.v-btn__content) {
  width: 100%;
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) auto;
  gap: 4px;
  align-items: center;
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
.swatch rect,
.swatch path {
  stroke: var(--ink);
  fill-opacity: 1;
}
.swatch path {
  fill: none;
  stroke-width: 2.5;
}
</style>

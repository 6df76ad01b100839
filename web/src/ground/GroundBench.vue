<script setup lang="ts">
import { ResolutionInBounds } from '../api/bounds'
import { mdiDeleteOutline, mdiImageFilterHdr, mdiLayersOutline, mdiUpload } from '@mdi/js'
import { computed, ref, shallowRef } from 'vue'
import { answer, api, type Changed } from '../api/client'
import { upload } from '../api/upload'
import { whole } from '../budget/budget'
import type { Relief } from './useRelief'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import FoldingPart from '../shared/FoldingPart.vue'
import ImportSheet from './ImportSheet.vue'
import LayerLooks from './LayerLooks.vue'
import NumberField from '../shared/NumberField.vue'
import ReliefPicker from './ReliefPicker.vue'
import ShapeList from './ShapeList.vue'
import SurfaceList from './SurfaceList.vue'

defineProps<{
  relief: Relief
  at: [number, number] | null
  heightAt: (x: number, z: number) => number
}>()
const store = useLevel()
const importing = ref<'heights' | 'layers' | null>(null)
const lead = computed(() => store.level?.role === 'lead')
const trouble = ref('')
const maskFile = ref<File | null>(null)
const maskName = ref('')
const cell = ref<number | null>(null)
const resolution = shallowRef<Changed | null>(null)
let timer = 0

const l = computed(() => store.level!)
const megabytes = (n: number) => `${(n / 1e6).toFixed(1)} MB`

async function kept() {
  importing.value = null
  await guarded(async () => {
    await store.refresh()
    const [latest] = await answer(
      api.GET('/api/levels/{slug}/journal', { params: { path: { slug: store.slug } } }),
    )
    if (latest) store.note(latest)
  })
}
async function bringMask(picked: File | File[] | null) {
  const file = Array.isArray(picked) ? picked[0] : picked
  if (!file) return
  const form = new FormData()
  form.set('key', crypto.randomUUID())
  form.set('name', maskName.value.trim() || file.name.replace(/\.[^.]+$/, '').slice(0, 40))
  form.set('file', file)
  await guarded(async () => void store.take(await upload<Changed>(`/levels/${store.slug}/masks`, form)))
  maskName.value = ''
  maskFile.value = null
}
const dropMask = (name: string) =>
  guarded(async () => {
    const params = { path: { slug: store.slug, name }, query: { key: crypto.randomUUID() } }
    store.take(await answer(api.DELETE('/api/levels/{slug}/masks/{name}', { params })))
  })

function tryCell(value: number) {
  cell.value = value
  resolution.value = null
  window.clearTimeout(timer)
  timer = window.setTimeout(
    () =>
      guarded(async () => {
        if (cell.value && cell.value !== l.value.touch_cell)
          resolution.value = await answer(setTouch(cell.value, { 'X-Try': '1' }))
      }),
    250,
  )
}
const setTouch = (size: number, headers = {}) =>
  api.POST('/api/levels/{slug}/resolution', {
    ...store.here(),
    body: { key: crypto.randomUUID(), cell: size },
    headers,
  })
const setCell = () =>
  guarded(async () => {
    if (!cell.value) return
    store.take(await answer(setTouch(cell.value)))
    dropCell()
  })
/** Bytes that the painting of all stands takes in memory, 2 for each cell. */
const painting = computed(() => {
  const [rows, columns] = resolution.value!.tried!.touch
  const { touch_cell, cell } = l.value
  const now = Math.ceil((l.value.rows * cell) / touch_cell) * Math.ceil((l.value.columns * cell) / touch_cell)
  const bytes = (cells: number) => 2 * cells * store.stands.length
  return { rows, columns, then: bytes(rows * columns), now: bytes(now) }
})
function dropCell() {
  cell.value = null
  resolution.value = null
  trouble.value = ''
}
async function guarded(work: () => Promise<void>) {
  trouble.value = ''
  try {
    await work()
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
</script>

<template>
  <div class="bench" data-test="ground-bench">
    <h2>Ground</h2>
    <p class="number facts">
      {{ whole(l.columns * l.cell) }} m × {{ whole(l.rows * l.cell) }} m, {{ whole(l.columns + 1) }} ×
      {{ whole(l.rows + 1) }} heights {{ +l.cell.toFixed(3) }} m apart, {{ l.low.toFixed(1) }} m to
      {{ l.high.toFixed(1) }} m
    </p>
    <p v-if="trouble" class="over" role="alert" data-test="ground-trouble">{{ trouble }}</p>
    <p v-if="lead" class="ins">
      <v-btn :prepend-icon="mdiImageFilterHdr" data-test="bring-heights" @click="importing = 'heights'"
        >Bring in heights …</v-btn
      >
      <v-btn :prepend-icon="mdiLayersOutline" data-test="bring-layers" @click="importing = 'layers'"
        >Bring in layers …</v-btn
      >
    </p>
    <p v-else class="faint">A lead of the level can bring in other heights and ground layers.</p>

    <FoldingPart name="relief" title="Relief">
      <ReliefPicker :relief="relief" :at="at" />
    </FoldingPart>
    <FoldingPart name="shapes" title="Shapes">
      <ShapeList />
    </FoldingPart>
    <FoldingPart name="surfaces" title="Placed meshes">
      <SurfaceList :height-at="heightAt" />
    </FoldingPart>
    <FoldingPart name="layers" title="Ground layers">
      <LayerLooks />
    </FoldingPart>
    <FoldingPart name="masks" title="Mask images">
      <ul class="masks">
        <li v-for="m in store.masks" :key="m.name">
          <span class="name">{{ m.name }}</span> &ensp;
          <span class="faint number">{{ whole(m.columns) }} × {{ whole(m.rows) }}, {{ m.bits }} bits</span>
          <ActionButton
            v-if="store.mayPlant"
            variant="text"
            size="x-small"
            :icon="mdiDeleteOutline"
            :tip="`Remove ${m.name}`"
            @click="dropMask(m.name)"
          />
        </li>
      </ul>
      <p v-if="!store.masks.length" class="faint">
        None. A greyscale picture, stretched over the level, can be a site condition.
      </p>
      <div v-if="store.mayPlant" class="two">
        <v-text-field
          v-model="maskName"
          label="Name"
          placeholder="the file’s"
          persistent-placeholder
          maxlength="40"
          hide-details
          data-test="mask-name"
        />
        <v-file-input
          v-model="maskFile"
          label="Mask image"
          accept=".png,.tif,.tiff"
          prepend-icon=""
          :prepend-inner-icon="mdiUpload"
          hide-details
          data-test="mask-file"
          @update:model-value="bringMask"
        />
      </div>
    </FoldingPart>
    <FoldingPart name="touch" title="Touch maps">
      <NumberField
        label="Cell of the painted maps"
        :value="cell ?? l.touch_cell"
        :bounds="ResolutionInBounds.cell"
        :digits="3"
        :disabled="!lead"
        test="touch-cell"
        @change="tryCell"
      />
      <template v-if="resolution">
        <p class="number" data-test="resolution">
          {{ whole(painting.columns) }} × {{ whole(painting.rows) }} cells for each of
          {{ store.stands.length }} stands: {{ megabytes(painting.then) }} in memory, now
          {{ megabytes(painting.now) }}. Painting is resampled, never cleared:
          <b>+{{ whole(resolution.gained) }} −{{ whole(resolution.lost) }}</b> plants at its edges.
        </p>
        <p class="ins">
          <v-btn color="primary" variant="flat" data-test="keep-cell" @click="setCell">Keep</v-btn>
          <v-btn @click="dropCell">Drop</v-btn>
        </p>
      </template>
    </FoldingPart>
    <v-dialog :model-value="importing !== null" max-width="820" aria-label="Bring in" persistent>
      <ImportSheet
        v-if="importing"
        :kind="importing"
        :level="store.slug"
        @kept="kept"
        @close="importing = null"
      />
    </v-dialog>
  </div>
</template>

<style scoped>
.facts {
  white-space: normal;
  margin: 2px 0 4px;
}
.ins {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 4px 0 0;
}
.two {
  display: grid;
  grid-template-columns: 2fr 3fr;
  gap: 8px;
  margin-top: 8px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
</style>

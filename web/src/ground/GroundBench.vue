<script setup lang="ts">
import { ResolutionInBounds } from '../api/bounds'
import { mdiImageFilterHdr, mdiLayersOutline } from '@mdi/js'
import { computed, ref, shallowRef } from 'vue'
import { answer, api, type Changed } from '../api/client'
import { whole } from '../budget/budget'
import type { Relief } from './useRelief'
import { useLevel } from '../level/level'
import FoldingPart from '../shared/FoldingPart.vue'
import ImportSheet from './ImportSheet.vue'
import LayerLooks from './LayerLooks.vue'
import MaskList from './MaskList.vue'
import NumberField from '../shared/NumberField.vue'
import ReliefPicker from './ReliefPicker.vue'
import ShapeList from './ShapeList.vue'
import SurfaceList from './SurfaceList.vue'
import TouchUp from './TouchUp.vue'
import { useAttempt } from '../shared/useAttempt'

defineProps<{
  relief: Relief
  at: [number, number] | null
  heightAt: (x: number, z: number) => number
}>()
const store = useLevel()
const importing = ref<'heights' | 'layers' | null>(null)
const lead = computed(() => store.level?.role === 'lead')
const { trouble, attempt } = useAttempt()
const cell = ref<number | null>(null)
const resolution = shallowRef<Changed | null>(null)
let timer = 0

const l = computed(() => store.level!)
const megabytes = (n: number) => `${(n / 1e6).toFixed(1)} MB`

async function kept() {
  importing.value = null
  await attempt(async () => {
    await store.refresh()
    const [latest] = await answer(
      api.GET('/api/levels/{slug}/journal', { params: { path: { slug: store.slug } } }),
    )
    if (latest) store.note(latest)
  })
}
function tryCell(value: number) {
  cell.value = value
  resolution.value = null
  window.clearTimeout(timer)
  timer = window.setTimeout(
    () =>
      attempt(async () => {
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
  attempt(async () => {
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
    <FoldingPart name="touch-up" title="Touch up the ground">
      <TouchUp />
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
      <MaskList />
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
</style>

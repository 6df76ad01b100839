<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { ask, upload, type Entry, type GroundChanged, type Resolution } from '../api/client'
import { whole } from '../budget'
import type { Relief } from '../composables/useRelief'
import { useLevel } from '../stores/level'
import ImportSheet from './ImportSheet.vue'
import LayerLooks from './LayerLooks.vue'
import NumberField from './NumberField.vue'
import ReliefPicker from './ReliefPicker.vue'
import ShapeList from './ShapeList.vue'

defineProps<{ relief: Relief; at: [number, number] | null }>()
const store = useLevel()
const importing = ref<'heights' | 'layers' | null>(null)
const lead = computed(() => store.level?.role === 'lead')
const trouble = ref('')
const maskFile = ref<HTMLInputElement>()
const maskName = ref('')
const cell = ref<number | null>(null)
const resolution = shallowRef<Resolution | null>(null)
let timer = 0

const l = computed(() => store.level!)
const megabytes = (n: number) => `${(n / 1e6).toFixed(1)} MB`

async function kept() {
  importing.value = null
  await guarded(async () => {
    await store.refresh(true)
    const [latest] = await ask<Entry[]>('GET', `/levels/${store.slug}/journal`)
    if (latest?.kind === 'ground') store.note(latest)
  })
}
async function bringMask(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  const form = new FormData()
  form.set('key', crypto.randomUUID())
  form.set('name', maskName.value.trim() || file.name.replace(/\.[^.]+$/, '').slice(0, 40))
  form.set('file', file)
  await guarded(async () => store.groundChanged(await upload<GroundChanged>(`/levels/${store.slug}/masks`, form)))
  maskName.value = ''
  input.value = ''
}
const dropMask = (name: string) => guarded(async () => store.groundChanged(await ask<GroundChanged>('DELETE', `/levels/${store.slug}/masks/${encodeURIComponent(name)}?key=${crypto.randomUUID()}`)))

function tryCell(value: number) {
  cell.value = value
  resolution.value = null
  window.clearTimeout(timer)
  timer = window.setTimeout(() => guarded(async () => {
    if (cell.value && cell.value !== l.value.touch_cell) resolution.value = await ask<Resolution>('POST', `/levels/${store.slug}/resolution/try`, { key: crypto.randomUUID(), cell: cell.value })
  }), 250)
}
const setCell = () => guarded(async () => {
  await store.groundChanged(await ask<GroundChanged>('POST', `/levels/${store.slug}/resolution`, { key: crypto.randomUUID(), cell: cell.value }))
  dropCell()
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
      {{ whole(l.columns * l.cell) }} m × {{ whole(l.rows * l.cell) }} m, {{ whole(l.columns + 1) }} × {{ whole(l.rows + 1) }} heights {{ +l.cell.toFixed(3) }} m apart, {{ l.low.toFixed(1) }} m to {{ l.high.toFixed(1) }} m
    </p>
    <p v-if="trouble" class="over" role="alert" data-test="ground-trouble">{{ trouble }}</p>
    <p v-if="lead" class="ins">
      <button class="plain" data-test="bring-heights" @click="importing = 'heights'">Bring in heights …</button>
      <button class="plain" data-test="bring-layers" @click="importing = 'layers'">Bring in layers …</button>
    </p>
    <p v-else class="faint">A lead of the level can bring in other heights and ground layers.</p>

    <h3>Relief</h3>
    <ReliefPicker :relief="relief" :at="at" />

    <h3>Shapes</h3>
    <ShapeList />

    <h3>Ground layers</h3>
    <LayerLooks />

    <h3>Mask images</h3>
    <ul class="masks">
      <li v-for="m in store.masks" :key="m.name">
        <span class="name">{{ m.name }}</span> <span class="faint number">{{ whole(m.columns) }} × {{ whole(m.rows) }}</span>
        <button v-if="store.mayPlant" class="plain small" :aria-label="`Remove ${m.name}`" @click="dropMask(m.name)">remove</button>
      </li>
    </ul>
    <p v-if="!store.masks.length" class="faint">None. A greyscale picture, stretched over the level, can be a site condition.</p>
    <p v-if="store.mayPlant" class="ins">
      <button class="plain" data-test="bring-mask" @click="maskFile?.click()">Bring in a mask …</button>
      <label>as <input v-model="maskName" class="cell left" maxlength="40" placeholder="the file's name" aria-label="Name of the mask" data-test="mask-name" /></label>
      <input ref="maskFile" type="file" accept=".png,.tif,.tiff" hidden data-test="mask-file" @change="bringMask" />
    </p>

    <h3>Touch maps</h3>
    <NumberField label="Cell of the painted maps" unit="m" :value="cell ?? l.touch_cell" :min="0.25" :max="32" :step="0.5" :digits="3" :disabled="!lead" test="touch-cell" @change="tryCell" />
    <template v-if="resolution">
      <p class="number" data-test="resolution">
        {{ whole(resolution.columns) }} × {{ whole(resolution.rows) }} cells for each of {{ resolution.stands }} stands: {{ megabytes(resolution.bytes_then) }} in memory, now {{ megabytes(resolution.bytes_now) }}.
        Painting is resampled, never cleared: <b>+{{ whole(resolution.gained) }} −{{ whole(resolution.lost) }}</b> plants at its edges.
      </p>
      <p><button class="solid" data-test="keep-cell" @click="setCell">Keep</button> <button class="plain" @click="dropCell">Drop</button></p>
    </template>
    <v-dialog :model-value="importing !== null" max-width="820" persistent>
      <ImportSheet v-if="importing" :kind="importing" :level="store.slug" @kept="kept" @close="importing = null" />
    </v-dialog>
  </div>
</template>

<style scoped>
.facts {
  white-space: normal;
  margin: 2px 0 4px;
}
.ins {
  margin: 0 0 0 -7px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
.layers {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
.layers i {
  display: inline-block;
  width: 11px;
  height: 11px;
  border: 1px solid var(--ink);
}
.small {
  font-size: 12.5px;
}
.left {
  text-align: left;
  width: 110px;
}
</style>

<script setup lang="ts">
import { MadeInBounds } from '../api/bounds'
import type { Bounds } from '../shared/bounds'
import { onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answer, api, type Import } from '../api/client'
import ImportSheet from '../ground/ImportSheet.vue'

/** A new level: on heights from a file, or on ground that is made here. */
const emit = defineEmits<{ kept: [level: string]; close: [] }>()
const from = ref<'file' | 'flat' | 'rolling'>('file')
const ground = ref({ width: 512, length: 512, cell: 1, height: 40, wavelength: 300, seed: 1 })
const draft = shallowRef<Import | null>(null)
const trouble = ref('')
/** Whether the ground in hand is not, or not yet, what the numbers say. */
const making = ref(false)
let timer = 0

/** Have the ground made again, a moment after the last number was changed. */
function make() {
  window.clearTimeout(timer)
  const form = from.value
  making.value = form !== 'file'
  if (form === 'file') return
  const mine = (timer = window.setTimeout(async () => {
    let made = null
    let message = ''
    try {
      made = await answer(api.POST('/api/drafts/made', { body: { form, ...ground.value } }))
    } catch (error) {
      message = (error as Error).message
    }
    if (mine !== timer) return
    draft.value = made
    trouble.value = message
    making.value = false
  }, 350))
}
watch([from, ground], make, { deep: true })
onBeforeUnmount(() => window.clearTimeout(timer))
const FIELDS = [
  { key: 'width', label: 'East to west', unit: 'm' },
  { key: 'length', label: 'North to south', unit: 'm' },
  { key: 'cell', label: 'Between heights', unit: 'm' },
  { key: 'height', label: 'Lowest to highest', unit: 'm' },
  { key: 'wavelength', label: 'Hill to hill', unit: 'm' },
  { key: 'seed', label: 'Seed', unit: '' },
] as const
const bounds: Record<string, Bounds> = MadeInBounds
const least = (key: string) => bounds[key]!.min ?? bounds[key]!.above
const most = (key: string) => bounds[key]!.max
const shown = () =>
  FIELDS.filter((f) => from.value === 'rolling' || !['height', 'wavelength', 'seed'].includes(f.key))
</script>

<template>
  <v-dialog :model-value="true" max-width="820" aria-label="A new level" persistent>
    <ImportSheet
      kind="heights"
      level=""
      title="A new level"
      :made="from === 'file' ? undefined : draft"
      :making="making"
      @kept="emit('kept', $event)"
      @close="emit('close')"
    >
      <v-btn-toggle v-model="from" mandatory density="compact" color="primary" divided>
        <v-btn value="file" data-test="from-file">Heights from a file</v-btn>
        <v-btn value="flat" data-test="from-flat">Flat ground</v-btn>
        <v-btn value="rolling" data-test="from-rolling">Rolling ground</v-btn>
      </v-btn-toggle>
      <div v-if="from !== 'file'" class="numbers">
        <v-text-field
          v-for="f in shown()"
          :key="f.key"
          v-model.number="ground[f.key]"
          type="number"
          :label="f.label"
          :suffix="f.unit"
          :min="least(f.key)"
          :max="most(f.key)"
          hide-details
          :data-test="`made-${f.key}`"
        />
      </div>
      <p v-if="trouble" class="over" role="alert" data-test="made-trouble">{{ trouble }}</p>
    </ImportSheet>
  </v-dialog>
</template>

<style scoped>
.numbers {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 12px;
  margin: 14px 0 6px;
}
</style>

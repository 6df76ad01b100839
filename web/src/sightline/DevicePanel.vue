<script setup lang="ts">
import { mdiFileUploadOutline } from '@mdi/js'
import { useFileDialog } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { type Calibration, type Device } from '../api/client'
import { upload } from '../api/upload'
import { whole } from '../budget/budget'
import { useDrawing } from './drawing'
import { useLevel } from '../level/level'
import FitPlot from './FitPlot.vue'

/** The device by which a tier's frames are costed, and how one is measured from frames. */
const store = useLevel()
const drawing = useDrawing()
const leads = computed(() => store.level?.role === 'lead')
const found = ref<Calibration | null>(null)
const trouble = ref('')
const busy = ref(false)

const PARTS: { name: keyof Device & string; label: string }[] = [
  { name: 'per_mtri', label: 'a million triangles' },
  { name: 'per_kcall', label: 'a thousand draw calls' },
  { name: 'per_shadow_mtri', label: 'a million shadow triangles' },
  { name: 'per_alpha_mpx', label: 'a megapixel of cut-out cards' },
  { name: 'per_mbyte', label: 'a megabyte' },
  { name: 'fixed', label: 'every frame' },
]
const shown = computed<Device | undefined>(() => found.value?.device ?? drawing.device)
const parts = computed(() =>
  PARTS.map(({ name, label }, k) => ({
    name,
    label,
    value: Number(shown.value?.[name] ?? 0),
    // Two standard errors.
    width: 2 * Math.sqrt(shown.value?.spread[k]?.[k] ?? 0),
  })),
)
const digits = (v: number) => (v === 0 ? '0' : v >= 0.01 ? v.toFixed(2) : v.toFixed(4))
const percent = (share: number) => `${(share * 100).toFixed(1)} %`
watch([() => store.slug, () => drawing.tier], drop)

const { open, onChange } = useFileDialog({ accept: '.csv,text/csv', multiple: false, reset: true })
onChange((files) => files?.[0] && void measure(files[0]))
async function measure(file: File): Promise<void> {
  drop()
  busy.value = true
  const form = new FormData()
  form.append('file', file)
  form.append('name', file.name.replace(/\.csv$/i, '').slice(0, 80) || 'Measured')
  form.append('tier', drawing.tier)
  try {
    found.value = await upload<Calibration>(`/levels/${store.slug}/devices/calibrate`, form)
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    busy.value = false
  }
}
async function use(): Promise<void> {
  if (await drawing.keepDevice(found.value!.device)) drop()
  else trouble.value = drawing.trouble
}
function rename(name: string): void {
  if (name && found.value) found.value = { ...found.value, device: { ...found.value.device, name } }
}
function drop(): void {
  found.value = null
  trouble.value = ''
}
</script>

<template>
  <section data-test="device">
    <h4 v-if="found">What was measured</h4>
    <template v-if="shown">
      <p v-if="!found" class="faint">
        <b data-test="device-name">{{ shown.name }}</b>{{
          shown.frames
            ? `, measured by ${whole(shown.frames)} frames; a frame differs by ${percent(shown.noise)}.`
            : ', a guess: no frames of it were measured, so it is not known how sure its milliseconds are.'
        }}
      </p>
      <v-text-field
        v-else
        :model-value="shown.name"
        label="Name of the device"
        maxlength="80"
        hide-details
        class="named"
        data-test="device-rename"
        @change="rename(($event.target as HTMLInputElement).value.trim())"
      />
      <table aria-label="Milliseconds of the device">
        <tbody>
          <tr v-for="p in parts" :key="p.name" :data-test="`device-${p.name}`">
            <td>{{ p.label }}</td>
            <td class="number">{{ digits(p.value) }}</td>
            <td class="number faint">{{ p.width ? `± ${digits(p.width)}` : '' }} ms</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-if="found">
      <FitPlot :frames="found.frames" />
      <p data-test="device-fit">
        Off by <b class="number">{{ percent(found.error) }}</b> on frames that were kept out of the fit;
        {{ whole(found.device.frames) }} frames fit, {{ whole(found.left_out) }} were left out.
      </p>
      <p v-for="group in found.unclear" :key="group.join()" class="over" data-test="device-unclear">
        {{
          group.length > 1
            ? `These frames do not distinguish ${group.join(' and ')}: capture some with one of them changed.`
            : `These frames say nothing about ${group[0]}.`
        }}
      </p>
      <p class="do">
        <v-btn color="primary" variant="flat" data-test="device-use" @click="use"
          >Use for {{ drawing.tier }}</v-btn
        >
        <v-btn data-test="device-drop" @click="drop">Drop</v-btn>
      </p>
    </template>
    <v-progress-linear v-if="busy" indeterminate aria-label="Fitting the device" />
    <p v-if="trouble" class="over" role="alert" data-test="device-trouble">{{ trouble }}</p>
    <p v-if="!found">
      <v-btn
        :prepend-icon="mdiFileUploadOutline"
        :disabled="!leads || busy"
        data-test="device-measure"
        @click="open()"
        >Measure from frames …<v-tooltip activator="parent"
          >CSV of frames that ran on the device: what each was made of, or where the camera was, and the
          milliseconds it took</v-tooltip
        ></v-btn
      >
    </p>
  </section>
</template>

<style scoped>
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
td {
  padding: 2px 0;
  border-top: 1px solid var(--line);
}
td + td {
  text-align: right;
  white-space: nowrap;
}
.named {
  margin: 10px 0;
}
.do {
  display: flex;
  gap: 8px;
}
</style>

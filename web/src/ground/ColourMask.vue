<script setup lang="ts">
import { mdiClose, mdiUpload } from '@mdi/js'
import { computed, onScopeDispose, ref, shallowRef, useTemplateRef, watch } from 'vue'
import type { Changed } from '../api/client'
import { colour_maskQueryBounds as BOUNDS } from '../api/bounds'
import { upload } from '../api/upload'
import { useLevel } from '../level/level'
import NumberField from '../shared/NumberField.vue'
import { bytesOf, rasterOf } from '../stage/payload'
import { useAttempt } from '../shared/useAttempt'

/** A mask image of what a colour picture of the level has in some colours, which are picked on it. */
const emit = defineEmits<{ close: [] }>()
const store = useLevel()
const SIDE = 512
const file = shallowRef<File | null>(null)
/** The picture small, to be sent at every try. */
const small = shallowRef<Blob | null>(null)
const colours = ref<string[]>([])
const tolerance = ref<number>(BOUNDS.tolerance.default)
const soft = ref<number>(BOUNDS.soft.default)
const name = ref('')
const { trouble, busy, attempt } = useAttempt()
const picture = useTemplateRef<HTMLCanvasElement>('picture')
const found = useTemplateRef<HTMLCanvasElement>('found')
const query = computed(() => `tolerance=${tolerance.value}&soft=${soft.value}`)

async function open(given: File | File[] | null) {
  const one = Array.isArray(given) ? given[0] : given
  colours.value = []
  trouble.value = ''
  file.value = small.value = null
  if (!one) return
  try {
    const image = await createImageBitmap(one)
    const scale = Math.min(SIDE / Math.max(image.width, image.height), 1)
    const canvas = picture.value!
    canvas.width = Math.max(Math.round(image.width * scale), 1)
    canvas.height = Math.max(Math.round(image.height * scale), 1)
    canvas.getContext('2d', { willReadFrequently: true })!.drawImage(image, 0, 0, canvas.width, canvas.height)
    small.value = await new Promise((resolve) => canvas.toBlob(resolve, 'image/png'))
    file.value = one
    name.value ||= one.name.replace(/\.[^.]+$/, '').slice(0, 40)
  } catch {
    trouble.value = `${one.name}: it is damaged, or no colour picture (PNG or JPEG).`
  }
}
function pick(event: MouseEvent) {
  const canvas = picture.value!
  if (!file.value || colours.value.length >= 16) return
  const box = canvas.getBoundingClientRect()
  const x = Math.floor(((event.clientX - box.left) / box.width) * canvas.width)
  const y = Math.floor(((event.clientY - box.top) / box.height) * canvas.height)
  const pixel = [...canvas.getContext('2d')!.getImageData(x, y, 1, 1).data].slice(0, 3)
  const colour = `#${pixel.map((v) => v.toString(16).padStart(2, '0')).join('')}`
  if (!colours.value.includes(colour)) colours.value = [...colours.value, colour]
}
const formOf = (sent: Blob) => {
  const form = new FormData()
  for (const colour of colours.value) form.append('colours', colour)
  form.set('file', sent, file.value!.name)
  return form
}
let timer = 0
let round = 0
watch([colours, query, small], () => {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => void look(), 150)
})
onScopeDispose(() => window.clearTimeout(timer))
async function look() {
  const mine = ++round
  const canvas = found.value!
  canvas.width = picture.value!.width
  canvas.height = picture.value!.height
  if (!small.value || !colours.value.length) return
  try {
    const path = `/levels/${store.slug}/colour-masks/look?${query.value}`
    const { raster } = await upload<{ raster: string }>(path, formOf(small.value))
    if (mine !== round) return
    const { data, columns, rows } = rasterOf(bytesOf(raster))
    const pixels = new ImageData(columns, rows)
    for (const [k, grey] of data.entries()) pixels.data.set([grey, grey, grey, 255], 4 * k)
    canvas.width = columns
    canvas.height = rows
    canvas.getContext('2d')!.putImageData(pixels, 0, 0)
    trouble.value = ''
  } catch (error) {
    if (mine === round) trouble.value = (error as Error).message
  }
}
const keep = () =>
  attempt(async () => {
    const form = formOf(file.value!)
    form.set('key', crypto.randomUUID())
    form.set('name', name.value.trim())
    store.take(await upload<Changed>(`/levels/${store.slug}/colour-masks?${query.value}`, form))
    emit('close')
  })
</script>

<template>
  <v-card class="sheet" data-test="colour-mask">
    <h2>A mask image from colours</h2>
    <p class="faint">
      A colour picture of the whole level, north at the top. Press on the colours that are to be white in the
      mask.
    </p>
    <v-file-input
      label="Colour picture"
      accept=".png,.jpg,.jpeg"
      prepend-icon=""
      :prepend-inner-icon="mdiUpload"
      hide-details
      data-test="colour-file"
      @update:model-value="open"
    />
    <div v-show="file" class="two">
      <figure>
        <canvas
          ref="picture"
          class="picks"
          aria-label="The picture"
          data-test="colour-picture"
          @click="pick"
        />
        <figcaption class="faint">the picture</figcaption>
      </figure>
      <figure>
        <canvas ref="found" aria-label="The mask" data-test="colour-found" />
        <figcaption class="faint">the mask</figcaption>
      </figure>
    </div>
    <div v-show="file" class="settings">
      <p class="colours">
        <span v-if="!colours.length" class="faint">No colour is picked yet.</span>
        <v-btn
          v-for="c in colours"
          :key="c"
          size="x-small"
          :append-icon="mdiClose"
          :aria-label="`Leave out ${c}`"
          data-test="colour-picked"
          @click="colours = colours.filter((o) => o !== c)"
          ><i :style="{ background: c }" />{{ c }}</v-btn
        >
      </p>
      <NumberField
        label="Tolerance"
        :value="tolerance * 100"
        :bounds="BOUNDS.tolerance"
        :digits="1"
        tip="How far another colour may be from those that are picked"
        test="colour-tolerance"
        @change="tolerance = $event / 100"
      />
      <NumberField
        label="Soft edge"
        :value="soft * 100"
        :bounds="BOUNDS.soft"
        :digits="1"
        tip="Over which distance in colour it fades to black"
        test="colour-soft"
        @change="soft = $event / 100"
      />
      <v-text-field v-model="name" label="Name" maxlength="40" hide-details data-test="colour-name" />
    </div>
    <p v-if="trouble" class="over" role="alert" data-test="colour-trouble">{{ trouble }}</p>
    <v-card-actions>
      <v-spacer />
      <v-btn @click="emit('close')">Cancel</v-btn>
      <v-btn
        color="primary"
        variant="flat"
        :disabled="busy || !file || !colours.length || !name.trim() || !!trouble"
        data-test="colour-keep"
        @click="keep"
        >Keep</v-btn
      >
    </v-card-actions>
  </v-card>
</template>

<style scoped>
.sheet {
  padding: 16px 20px 8px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
  margin-top: 10px;
}
figure {
  margin: 0;
}
canvas {
  display: block;
  width: 100%;
  max-height: 44vh;
  object-fit: contain;
  border: 1px solid var(--line);
}
.picks {
  cursor: crosshair;
}
.colours {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 8px 0;
}
.colours i {
  display: inline-block;
  width: 12px;
  height: 12px;
  margin-right: 5px;
  border: 1px solid var(--ink);
}
.settings {
  max-width: 420px;
}
</style>

<script setup lang="ts">
import { onMounted, ref, watch } from 'vue'
import { answer, api, type Condition, type Noise } from '../api/client'
import { inBand } from './conditions'
import { useLevel } from '../level/level'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { NoiseSettingsBounds } from '../api/bounds'

/** Noise in level space, drawn as it is tuned: where it lies in the band in green, the rest in grey. */
const props = defineProps<{ condition: Condition; disabled?: boolean }>()
const emit = defineEmits<{ change: [condition: Condition] }>()
const store = useLevel()
const canvas = ref<HTMLCanvasElement>()
const FORMS = (['gradient', 'ridged', 'cellular'] as const).map((value) => ({ value, title: value }))
let values: Uint8Array | null = null
let side = 128
let round = 0

async function load() {
  const mine = ++round
  const n = props.condition.noise!
  const metres = Math.min(
    Math.max(n.wavelength! * 4, 8),
    Math.max(store.level!.columns, store.level!.rows) * store.level!.cell,
  )
  try {
    const found = await answer(
      api.POST('/api/levels/{slug}/conditions/noise', {
        params: { path: { slug: store.slug } },
        body: { noise: n, x: 0, z: 0, side: metres },
      }),
    )
    if (mine !== round) return
    side = found.side
    values = Uint8Array.from(atob(found.values), (ch) => ch.charCodeAt(0))
    draw()
  } catch {
    // A number out of bounds shows its trouble where the draft is tried.
  }
}
function draw() {
  const g = canvas.value?.getContext('2d')
  if (!g || !values) return
  const image = g.createImageData(side, side)
  for (let k = 0; k < values.length; k++) {
    const v = values[k] / 255
    const s = inBand(props.condition, v)
    const grey = 236 - 70 * (1 - v)
    image.data.set(
      [grey + (84 - grey) * s * 0.8, grey + (108 - grey) * s * 0.8, grey - 14 + (62 - grey) * s * 0.8, 255],
      k * 4,
    )
  }
  g.putImageData(image, 0, 0)
}
onMounted(load)
watch(() => JSON.stringify(props.condition.noise), load)
watch(() => [props.condition.lo, props.condition.hi, props.condition.soft_lo, props.condition.soft_hi], draw)
const set = (part: Partial<Noise>) =>
  emit('change', { ...props.condition, noise: { ...props.condition.noise!, ...part } })
</script>

<template>
  <div class="noise">
    <canvas
      ref="canvas"
      width="128"
      height="128"
      data-test="noise-picture"
      aria-label="The noise, green where it suits"
    />
    <div>
      <ChoiceField
        bare
        label="Form of the noise"
        :value="condition.noise!.form"
        :items="FORMS"
        :disabled="disabled"
        test="noise-form"
        @change="set({ form: $event })"
      />
      <NumberField
        label="Wavelength"
        :value="condition.noise!.wavelength!"
        :bounds="NoiseSettingsBounds.wavelength"
        :digits="1"
        :disabled="disabled"
        test="noise-wavelength"
        @change="set({ wavelength: $event })"
      />
      <NumberField
        label="Octaves"
        :value="condition.noise!.octaves!"
        :bounds="NoiseSettingsBounds.octaves"
        :digits="0"
        :disabled="disabled"
        test="noise-octaves"
        @change="set({ octaves: Math.round($event) })"
      />
      <NumberField
        label="Contrast"
        :value="condition.noise!.contrast!"
        :bounds="NoiseSettingsBounds.contrast"
        :normal="NoiseSettingsBounds.contrast.default"
        :disabled="disabled"
        test="noise-contrast"
        @change="set({ contrast: $event })"
      />
      <NumberField
        label="Shift"
        :value="condition.noise!.shift!"
        :bounds="NoiseSettingsBounds.shift"
        :normal="NoiseSettingsBounds.shift.default"
        :disabled="disabled"
        test="noise-shift"
        @change="set({ shift: $event })"
      />
      <NumberField
        label="Seed"
        :value="condition.noise!.seed!"
        :bounds="NoiseSettingsBounds.seed"
        :digits="0"
        :disabled="disabled"
        test="noise-seed"
        @change="set({ seed: Math.round($event) })"
      />
    </div>
  </div>
</template>

<style scoped>
.noise {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  gap: 10px;
  align-items: start;
  --field-width: 92px;
}
canvas {
  width: 104px;
  height: 104px;
  border: 1px solid var(--line);
}
</style>

<script setup lang="ts">
import { mdiHandBackRightOutline } from '@mdi/js'
import { computed, onBeforeUnmount, onMounted, ref, useId, watch } from 'vue'
import { answer, api, type Condition, type Noise } from '../api/client'
import { inBand } from './conditions'
import { useLevel } from '../level/level'
import ChoiceField from '../shared/ChoiceField.vue'
import ActionButton from '../shared/ActionButton.vue'
import NumberField from '../shared/NumberField.vue'
import { useTool } from './tool'
import { NoiseSettingsBounds } from '../api/bounds'

/** Noise in level space, drawn as it is tuned: where it lies in the band in green, the rest in grey. */
const props = defineProps<{ condition: Condition; disabled?: boolean }>()
const emit = defineEmits<{ change: [condition: Condition] }>()
const store = useLevel()
const canvas = ref<HTMLCanvasElement>()
const FORMS = [
  { value: 'gradient', title: 'gradient' },
  { value: 'ridged', title: 'ridged' },
  { value: 'cellular', title: 'points' },
  { value: 'cells', title: 'cells' },
  { value: 'borders', title: 'borders of cells' },
  { value: 'light', title: 'lines of light' },
] as const
let values: Uint8Array | null = null
let side = 128
let round = 0

const round1 = (metres: number) => Math.round(metres * 10) / 10
/** How many metres the picture is wide. */
const metres = () =>
  Math.min(
    Math.max(props.condition.noise.wavelength * 4, 8),
    Math.max(store.level!.columns, store.level!.rows) * store.level!.cell,
  )
/** Dragging the picture moves the noise over the level. */
let grabbed: { x: number; y: number; moved: readonly [number, number] } | null = null
function grab(event: PointerEvent) {
  if (props.disabled) return
  grabbed = { x: event.clientX, y: event.clientY, moved: props.condition.noise.moved ?? [0, 0] }
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent) {
  if (!grabbed) return
  const scale = metres() / (canvas.value!.getBoundingClientRect().width || 1)
  const at = (from: number, by: number) => round1(from + by * scale)
  const [x, z] = grabbed.moved
  set({ moved: [at(x, event.clientX - grabbed.x), at(z, event.clientY - grabbed.y)] })
}

/** Dragging on the stage does so too, while it is in hand. */
const id = useId()
const tool = useTool()
const dragging = computed(() => tool.drag === id)
let begun: readonly [number, number] = [0, 0]
watch(
  () => tool.dragged,
  ({ by, begins }) => {
    if (!dragging.value) return
    if (begins) begun = props.condition.noise.moved ?? [0, 0]
    else set({ moved: [round1(begun[0] + by[0]), round1(begun[1] + by[1])] })
  },
)
onBeforeUnmount(() => {
  if (dragging.value) tool.drag = null
})

async function load() {
  const mine = ++round
  const n = props.condition.noise
  try {
    const found = await answer(
      api.POST('/api/levels/{slug}/conditions/noise', {
        params: { path: { slug: store.slug } },
        body: { noise: n, x: 0, z: 0, side: metres() },
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
    const v = values[k]! / 255
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
  emit('change', { ...props.condition, noise: { ...props.condition.noise, ...part } })
function move(k: number, metres: number) {
  const [x, z] = props.condition.noise.moved ?? [0, 0]
  set({ moved: k ? [x, metres] : [metres, z] })
}
</script>

<template>
  <div class="noise">
    <div class="picture">
      <canvas
        ref="canvas"
        width="128"
        height="128"
        data-test="noise-picture"
        aria-label="The noise, green where it suits; drag it to move it"
        title="Drag it to move the noise over the level"
        :class="{ still: disabled }"
        @pointerdown="grab"
        @pointermove="drag"
        @pointerup="grabbed = null"
        @pointercancel="grabbed = null"
      />
      <ActionButton
        :icon="mdiHandBackRightOutline"
        size="small"
        :on="dragging"
        :disabled="disabled"
        tip="Drag the noise over the level on the plan, or in the eye view"
        data-test="noise-drag"
        @click="tool.drag = dragging ? null : id"
        >on stage</ActionButton
      >
    </div>
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
      <NumberField
        v-for="(label, k) in ['Moved east', 'Moved south']"
        :key="label"
        :label="label"
        :value="condition.noise!.moved?.[k] ?? 0"
        :bounds="NoiseSettingsBounds.moved"
        :digits="1"
        :normal="0"
        :disabled="disabled"
        :test="`noise-moved-${k}`"
        @change="move(k, $event)"
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
.picture {
  display: grid;
  gap: 6px;
}
canvas {
  cursor: move;
  touch-action: none;
  width: 104px;
  height: 104px;
  border: 1px solid var(--line);
}
canvas.still {
  cursor: default;
}
</style>

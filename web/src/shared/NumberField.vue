<script setup lang="ts">
import { mdiRestore } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import type { Bounds } from './bounds'

/** The least that a value which must lie above a bound lies above it here. */
const LEAST_ABOVE = 0.01

/**
 * A number with its unit: typed, stepped by the arrow keys (Shift: ten steps), dragged sideways by its label
 * or unit, and set back to its default. What is out of range is not passed on; the field says the range.
 */
const props = withDefaults(
  defineProps<{
    label: string
    value?: number | null
    mixed?: boolean
    unit?: string
    /** What it may be, with step and unit, as the API has it: a share that is shown as per cent is 0 to 1. */
    bounds?: Bounds
    min?: number
    max?: number
    step?: number
    digits?: number
    /** Whether the server has refused it. */
    wrong?: boolean
    disabled?: boolean
    test?: string
    /** The field alone; its label is only read out. */
    bare?: boolean
    /** The label stands in the field's frame and not beside it. */
    inside?: boolean
    /** Emits a change when the field is left, Enter pressed or a drag ended, not at every key and step. */
    late?: boolean
    /** Drawn in the field in place of a label. */
    icon?: string
    tip?: string
    /** What it is set back to. */
    normal?: number
  }>(),
  {
    mixed: false,
    unit: undefined,
    bounds: undefined,
    min: undefined,
    max: undefined,
    step: undefined,
    digits: 2,
    test: undefined,
    icon: undefined,
    tip: '',
    normal: undefined,
  },
)
const emit = defineEmits<{ change: [value: number] }>()

const unit = computed(() => props.unit ?? props.bounds?.unit ?? '')
/** A share is shown as per cent. */
const scale = computed(() => (unit.value === '%' ? 100 : 1))
const step = computed(() => props.step ?? (props.bounds?.step ?? 1 / scale.value) * scale.value)
const shown = computed<string>(() =>
  props.mixed || props.value === undefined || props.value === null
    ? ''
    : String(+props.value.toFixed(props.digits)),
)
const text = ref(shown.value)
const editing = ref(false)
watch(shown, (s) => {
  if (!editing.value || (text.value.trim() !== '' && number.value !== Number(s))) text.value = s
})
/** What the text says; a comma may stand for the point. */
const number = computed(() => Number(text.value.replace(',', '.').replace('−', '-')))
const ends = computed((): [number, number] => {
  const by = scale.value
  const { above, min = above === undefined ? -1e9 : above + LEAST_ABOVE, max = 1e9 } = props.bounds ?? {}
  return [props.min ?? min * by, props.max ?? max * by]
})
const within = (n: number) => n >= ends.value[0] && n <= ends.value[1]
const range = computed(() =>
  ends.value[1] >= 1e9 ? `at least ${ends.value[0]}` : `${ends.value[0]} to ${ends.value[1]}`,
)
const trouble = computed(() => {
  if (!editing.value || text.value.trim() === '') return ''
  if (!Number.isFinite(number.value)) return 'a number'
  return within(number.value) ? '' : range.value
})

function put(n: number): void {
  if (String(+n.toFixed(props.digits)) !== shown.value) emit('change', n)
}
function typed(): void {
  if (text.value.trim() !== '' && Number.isFinite(number.value) && within(number.value)) put(number.value)
}
function move(from: number, steps: number): void {
  const [min, max] = ends.value
  const n = +Math.min(Math.max(from + steps * step.value, min), max).toFixed(props.digits)
  text.value = String(n)
  if (!props.late) put(n)
}
function nudge(event: KeyboardEvent, way: number): void {
  event.preventDefault()
  move(number.value || 0, way * (event.shiftKey ? 10 : 1))
}
function left(): void {
  editing.value = false
  if (props.late) typed()
  text.value = shown.value
}

/** Enter leaves the field, which gives the keys back to the stage. */
const enter = (event: KeyboardEvent) => (event.target as HTMLInputElement).blur()

let began: { x: number; from: number } | null = null
const PIXELS_PER_STEP = 4
function released(): void {
  if (began && props.late) left()
  began = null
}
function grab(event: PointerEvent): void {
  if (props.disabled || props.mixed) return
  began = { x: event.clientX, from: props.value ?? 0 }
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent): void {
  if (!began) return
  const steps = Math.trunc((event.clientX - began.x) / PIXELS_PER_STEP)
  if (steps || text.value !== shown.value) move(began.from, steps * (event.shiftKey ? 10 : 1))
}
</script>

<template>
  <div class="field" :class="{ bare: bare || inside }">
    <span
      v-if="!bare && !inside"
      class="label"
      :class="{ drags: !disabled && !mixed }"
      :title="disabled || mixed ? undefined : 'Drag sideways to change it'"
      @pointerdown="grab"
      @pointermove="drag"
      @pointerup="released"
      @pointercancel="began = null"
      >{{ label }}</span
    >
    <v-text-field
      v-model="text"
      v-tooltip:bottom="{ text: tip, openDelay: 400, disabled: !tip }"
      :prepend-inner-icon="icon"
      inputmode="decimal"
      data-keys
      autocomplete="off"
      :placeholder="mixed ? 'mixed' : ''"
      :label="inside ? label : undefined"
      :aria-label="inside ? undefined : unit ? `${label}, ${unit}` : label"
      :disabled="disabled"
      :error="wrong || !!trouble"
      :error-messages="trouble"
      :hide-details="!trouble"
      :data-test="test"
      @update:focused="$event ? (editing = true) : left()"
      @update:model-value="late || typed()"
      @keydown.enter="enter"
      @keydown.up="nudge($event, 1)"
      @keydown.down="nudge($event, -1)"
    >
      <template v-if="unit || normal !== undefined" #append-inner>
        <v-icon
          v-if="normal !== undefined && !disabled && value !== normal"
          v-tooltip="`Back to ${normal} ${unit}`"
          :icon="mdiRestore"
          size="15"
          :aria-label="`${label} back to ${normal} ${unit}`"
          @click="put(normal)"
        />
        <span
          v-if="unit"
          class="unit"
          @pointerdown="grab"
          @pointermove="drag"
          @pointerup="released"
          @pointercancel="began = null"
          >{{ unit }}</span
        >
      </template>
    </v-text-field>
  </div>
</template>

<style scoped>
.field {
  display: grid;
  grid-template-columns: minmax(0, 1fr) var(--field-width, 128px);
  gap: 8px;
  align-items: center;
  padding: 2px 0;
}
.field.bare {
  display: block;
  padding: 0;
}
.label {
  touch-action: none;
}
.drags,
.unit {
  cursor: ew-resize;
  user-select: none;
}
.unit {
  margin-left: 3px;
  font-size: 12.5px;
  color: var(--faint);
  white-space: nowrap;
  touch-action: none;
}
.field :deep(.v-field__prepend-inner .v-icon) {
  font-size: 16px;
  opacity: 0.75;
}
.field :deep(input) {
  min-width: 20px;
  text-align: right;
}
</style>

<script setup lang="ts">
import type { Bounds } from './bounds'
import NumberField from './NumberField.vue'

/** A range: its least and its most, each of which may be mixed. */
const props = withDefaults(
  defineProps<{
    label: string
    value: [number, number]
    mixed?: [boolean, boolean]
    unit?: string
    bounds?: Bounds
    step?: number
    wrong?: boolean
    disabled?: boolean
    test?: string
  }>(),
  {
    mixed: () => [false, false],
    unit: undefined,
    bounds: undefined,
    step: undefined,
    test: undefined,
  },
)
const emit = defineEmits<{
  /** The whole range. */
  change: [value: [number, number]]
  /** The end that was changed, null for the other. */
  end: [value: [number | null, number | null]]
}>()
function set(k: 0 | 1, v: number) {
  emit('change', k === 0 ? [v, props.value[1]] : [props.value[0], v])
  emit('end', k === 0 ? [v, null] : [null, v])
}
</script>

<template>
  <div class="pair">
    <span>{{ label }}</span>
    <NumberField
      bare
      unit=""
      :label="`${label}, least`"
      :value="value?.[0]"
      :mixed="mixed[0]"
      :bounds="bounds"
      :step="step"
      :wrong="wrong"
      :disabled="disabled"
      :test="test && `${test}-lo`"
      @change="set(0, $event)"
    />
    <span class="faint">to</span>
    <NumberField
      bare
      :label="`${label}, most`"
      :value="value?.[1]"
      :mixed="mixed[1]"
      :unit="unit"
      :bounds="bounds"
      :step="step"
      :wrong="wrong"
      :disabled="disabled"
      :test="test && `${test}-hi`"
      @change="set(1, $event)"
    />
  </div>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 74px 12px 92px;
  gap: 6px;
  align-items: center;
  padding: 2px 0;
}
</style>

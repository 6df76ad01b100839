<script setup lang="ts">
/** A number in a unit: typed, stepped by arrow keys, refused outside its range with the range said. */
const props = withDefaults(defineProps<{ label: string; unit?: string; min?: number; max?: number; step?: number; digits?: number; test?: string; disabled?: boolean }>(), {
  unit: 'm',
  min: 0.01,
  max: 200,
  step: 0.1,
  digits: 2,
  test: undefined,
})
const value = defineModel<number | null>({ required: true })
const rules = [(v: number | null) => v === null || (v >= props.min && v <= props.max) || `${props.min} to ${props.max} ${props.unit}`]
</script>

<template>
  <v-number-input v-model="value" :label="label" :suffix="unit" :min="min" :max="max" :step="step" :precision="digits" :rules="rules" :disabled="disabled" control-variant="hidden" hide-details="auto" :data-test="test" />
</template>

<script setup lang="ts" generic="T extends string | number | boolean | null">
/** One of several, with its label beside it. */
withDefaults(
  defineProps<{
    label: string
    value: T
    items: readonly { value: T; title: string }[]
    disabled?: boolean
    bare?: boolean
    test?: string
    hint?: string
  }>(),
  { test: undefined, hint: undefined },
)
const emit = defineEmits<{ change: [value: T] }>()
</script>

<template>
  <div class="choice" :class="{ bare }">
    <span v-if="!bare">{{ label }}</span>
    <v-select
      :model-value="value"
      :items="items"
      :aria-label="label"
      :disabled="disabled"
      :data-test="test"
      :placeholder="hint"
      hide-details
      @update:model-value="emit('change', $event)"
    />
  </div>
</template>

<style scoped>
.choice {
  display: grid;
  grid-template-columns: auto minmax(0, var(--choice-width, 190px));
  justify-content: space-between;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
}
.choice.bare {
  display: block;
  padding: 0;
}
</style>

<script setup lang="ts" generic="T extends string">
/** One of a few, side by side. */
defineProps<{
  label: string
  value: T
  items: readonly { value: T; title: string; icon?: string; test?: string; tip?: string }[]
  disabled?: boolean
}>()
const emit = defineEmits<{ change: [value: T] }>()
</script>

<template>
  <v-btn-toggle
    :model-value="value"
    mandatory
    divided
    :disabled="disabled"
    role="group"
    :aria-label="label"
    @update:model-value="emit('change', $event)"
  >
    <v-btn
      v-for="i in items"
      :key="i.value"
      v-tooltip:bottom="{ text: i.tip ?? '', openDelay: 400, disabled: !i.tip }"
      :value="i.value"
      :aria-label="i.title"
      :aria-pressed="value === i.value"
      :data-test="i.test"
      ><v-icon v-if="i.icon" :icon="i.icon" size="18" /><template v-else>{{ i.title }}</template></v-btn
    >
  </v-btn-toggle>
</template>

<style scoped>
.v-btn {
  min-width: 32px;
  padding: 0 6px;
}
</style>

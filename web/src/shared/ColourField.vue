<script setup lang="ts">
/** A colour, chosen from a picker under its swatch; emitted when the picker is closed. */
import { ref, watch } from 'vue'
const props = defineProps<{ label: string; value: string; disabled?: boolean; test?: string }>()
const emit = defineEmits<{ change: [value: string] }>()
const open = ref(false)
const chosen = ref(props.value)
watch(
  () => props.value,
  (v) => (chosen.value = v),
)
watch(open, (now) => !now && chosen.value !== props.value && emit('change', chosen.value))
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false">
    <template #activator="{ props: press }">
      <v-btn
        v-bind="press"
        v-tooltip="{ text: label, openDelay: 400 }"
        icon
        size="x-small"
        :disabled="disabled"
        :aria-label="label"
        :data-test="test"
        ><i :style="{ background: chosen }"
      /></v-btn>
    </template>
    <v-card>
      <v-color-picker
        :model-value="chosen"
        :modes="['hex']"
        hide-eye-dropper
        width="240"
        canvas-height="110"
        @update:model-value="chosen = String($event).slice(0, 7).toLowerCase()"
      />
    </v-card>
  </v-menu>
</template>

<style scoped>
i {
  width: 18px;
  height: 18px;
}
</style>

<script setup lang="ts">
import { computed, ref, watch } from 'vue'

const props = withDefaults(
  defineProps<{ label: string; value?: number | null; mixed?: boolean; unit?: string; min?: number; max?: number; step?: number; digits?: number; wrong?: boolean; disabled?: boolean; test?: string; bare?: boolean; late?: boolean }>(),
  { mixed: false, unit: '', min: -1e9, max: 1e9, step: 1, digits: 2, test: undefined },
)
const emit = defineEmits<{ change: [value: number] }>()

const show = computed(() => (props.mixed || props.value === undefined || props.value === null ? '' : String(+props.value.toFixed(props.digits))))
const text = ref(show.value)
const editing = ref(false)
watch(show, (s) => {
  if (!editing.value || Number(text.value) !== Number(s)) text.value = s
})

function typed() {
  const n = Number(text.value)
  if (text.value.trim() !== '' && Number.isFinite(n)) emit('change', n)
}
function nudge(event: KeyboardEvent, way: number) {
  event.preventDefault()
  const n = Number(text.value || 0) + way * props.step * (event.shiftKey ? 10 : 1)
  text.value = String(+Math.min(Math.max(n, props.min), props.max).toFixed(props.digits))
  typed()
}
</script>

<template>
  <label class="field" :class="{ bare }">
    <span v-if="!bare">{{ label }}</span>
    <input
      v-model="text"
      class="cell"
      inputmode="decimal"
      data-keys
      :class="{ wrong }"
      :placeholder="mixed ? 'mixed' : ''"
      :aria-label="label"
      :disabled="disabled"
      :data-test="test"
      @focus="editing = true"
      @blur="editing = false"
      @input="late || typed()"
      @change="late && typed()"
      @keydown.up="nudge($event, 1)"
      @keydown.down="nudge($event, -1)"
    />
    <span class="unit faint">{{ unit }}</span>
  </label>
</template>

<style scoped>
.field {
  display: grid;
  grid-template-columns: 1fr 68px 44px;
  gap: 4px;
  align-items: baseline;
  padding: 2px 0;
}
.field.bare {
  grid-template-columns: 56px auto;
  padding: 0;
}
.unit {
  font-size: 12.5px;
  white-space: nowrap;
}
</style>

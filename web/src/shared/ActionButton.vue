<script setup lang="ts">
import { computed, useAttrs } from 'vue'
import { useKeys, type Action } from '../level/keys'

/** A button whose tooltip says what it does, by which key, and, while it cannot be pressed, why not. */
const props = withDefaults(
  defineProps<{
    tip?: string
    /** The action whose key is named in the tooltip. */
    action?: Action
    icon?: string
    /** Why it cannot be pressed now; disables it. */
    why?: string | false
    disabled?: boolean
    /** Whether it is switched on, for a button that switches. */
    on?: boolean
  }>(),
  { tip: '', action: undefined, icon: undefined, why: '', on: undefined },
)
const attrs = useAttrs()
const slots = defineSlots<{ default?: () => unknown }>()
const keys = useKeys()
const label = computed(() => {
  const key = props.action ? `  ${keys.of(props.action)}` : ''
  return [props.tip + key, props.why].filter(Boolean).join(' — ')
})
</script>

<template>
  <v-btn
    v-tooltip:bottom="{
      text: label,
      openDelay: 400,
      disabled: !label || attrs['aria-expanded'] === 'true' || attrs['aria-expanded'] === true,
    }"
    :icon="slots.default ? undefined : icon"
    :density="slots.default ? undefined : 'compact'"
    :prepend-icon="slots.default ? icon : undefined"
    :disabled="disabled || !!why"
    :aria-pressed="on"
    :aria-label="slots.default ? undefined : tip"
  >
    <template v-if="slots.default" #default><slot /></template>
  </v-btn>
</template>

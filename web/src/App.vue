<script setup lang="ts">
import { useEventListener } from '@vueuse/core'

/** After something was chosen from a list with the pointer, the keys go to the stage again and not to the list. */
useEventListener(document, 'click', (event) => {
  if (!(event.target instanceof Element && event.detail && event.target.closest('.v-select__content'))) return
  setTimeout(
    () =>
      document.activeElement instanceof HTMLElement &&
      document.activeElement.closest('.v-select') &&
      document.activeElement.blur(),
  )
})
</script>

<template>
  <v-app>
    <router-view />
  </v-app>
</template>

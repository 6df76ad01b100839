<script setup lang="ts">
import type { Draft } from './useDraft'
import ActionButton from '../shared/ActionButton.vue'

/**
 * Under a bench while settings are tried: what is wrong with them or, in the slot, what they would give;
 * kept or given up here.
 */
defineProps<{ draft: Draft; locked: boolean }>()
</script>

<template>
  <footer v-if="draft.dirty.value || draft.trouble.value" class="keep" data-test="try">
    <p v-if="draft.again.value" class="faint" data-test="again">
      Taken up again: this draft was not kept before.
    </p>
    <p v-if="draft.trouble.value" class="over" role="alert" data-test="trouble">{{ draft.trouble.value }}</p>
    <slot />
    <p class="do">
      <v-btn
        color="primary"
        variant="flat"
        data-test="keep"
        :disabled="!!draft.trouble.value || locked || !draft.dirty.value"
        @click="draft.keep()"
        >Keep</v-btn
      >
      <ActionButton tip="Give the draft up  Esc" data-test="drop" @click="draft.drop()">Drop</ActionButton>
    </p>
  </footer>
</template>

<style scoped>
.keep {
  position: sticky;
  bottom: -14px;
  margin: 14px -18px -14px;
  padding: 9px 18px 12px;
  background: var(--sheet);
  border-top: 1px solid var(--ink);
  z-index: 1;
}
p,
.keep :slotted(p) {
  margin: 0 0 5px;
}
.do {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>

<script setup lang="ts">
/** A small dialog that asks for something: a heading, what is asked, what went wrong, and two buttons. */
defineProps<{ title: string; act: string; busy: boolean; ready: boolean; trouble: string; test: string }>()
const emit = defineEmits<{ go: []; close: [] }>()
</script>

<template>
  <v-dialog :model-value="true" :aria-label="title" max-width="500" @update:model-value="emit('close')">
    <v-card class="ask">
      <h2>{{ title }}</h2>
      <slot />
      <p v-if="trouble" class="over" role="alert" :data-test="`${test}-trouble`">{{ trouble }}</p>
      <div class="foot">
        <v-btn variant="text" @click="emit('close')">Cancel</v-btn>
        <v-btn
          color="primary"
          variant="flat"
          :loading="busy"
          :disabled="!ready"
          :data-test="`${test}-go`"
          @click="emit('go')"
          >{{ act }}</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.ask {
  padding: 18px 24px 16px;
  display: grid;
  gap: 12px;
}
h2,
p,
.ask :slotted(p) {
  margin: 0;
}
.foot {
  display: flex;
  justify-content: end;
  gap: 10px;
}
</style>

<script setup lang="ts">
import { ref } from 'vue'
import BringIn from './BringIn.vue'
import StandInForm from './StandInForm.vue'

/** Three ways to bring something to the shelf: meshes, grass from a picture, a stand-in. */
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ kept: [slugs: string[]] }>()
const tab = ref<'meshes' | 'pictures' | 'stand-in'>('meshes')
function kept(slugs: string[]) {
  open.value = false
  emit('kept', slugs)
}
</script>

<template>
  <v-dialog v-model="open" max-width="1080" aria-label="Bring in items" persistent scrollable>
    <v-card v-if="open" class="bring-dialog">
      <h2>Bring to the shelf</h2>
      <v-tabs v-model="tab">
        <v-tab value="meshes" data-test="bring-meshes">Meshes</v-tab>
        <v-tab value="pictures" data-test="bring-pictures">Grass and flowers from a picture</v-tab>
        <v-tab value="stand-in" data-test="bring-stand-in">A stand-in</v-tab>
      </v-tabs>
      <StandInForm v-if="tab === 'stand-in'" @kept="kept" @close="open = false" />
      <BringIn v-else :key="tab" :source="tab" @kept="kept" @close="open = false" />
    </v-card>
  </v-dialog>
</template>

<style scoped>
.bring-dialog {
  padding: 18px 24px 16px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  max-height: 92vh;
  overflow-y: auto;
}
.bring-dialog > * {
  flex: none;
}
.bring-dialog :deep(.foot) {
  position: sticky;
  bottom: -16px;
  padding-bottom: 12px;
  background: var(--sheet);
  z-index: 2;
}
h2 {
  margin: 0;
}
</style>

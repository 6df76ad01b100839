<script setup lang="ts">
import { mdiFolderOpenOutline } from '@mdi/js'
import { ref, shallowRef } from 'vue'
import { upload } from '../api/client'
import AskSheet from './AskSheet.vue'

/** A new level from the zip of one that was saved, here or in another installation. */
const emit = defineEmits<{ done: [level: string]; close: [] }>()
const file = shallowRef<File | null>(null)
const name = ref('')
const trouble = ref('')
const sent = ref(0)
const busy = ref(false)

async function go() {
  const form = new FormData()
  form.set('file', file.value!)
  form.set('name', name.value.trim())
  busy.value = true
  trouble.value = ''
  try {
    emit(
      'done',
      (await upload<{ slug: string }>('/saved-levels', form, (share) => (sent.value = share))).slug,
    )
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <AskSheet
    title="Open a saved level"
    act="Open it"
    :busy="busy"
    :ready="!!file"
    :trouble="trouble"
    test="saved"
    @go="go"
    @close="emit('close')"
  >
    <p class="faint">
      A <code>level.zip</code> from the Handover bench, of this installation or another. It becomes a new
      level that you lead; nothing that is here changes.
    </p>
    <v-file-input
      v-model="file"
      label="Choose a zip"
      accept=".zip"
      prepend-icon=""
      :prepend-inner-icon="mdiFolderOpenOutline"
      :disabled="busy"
      hide-details
      data-test="saved-file"
    />
    <v-text-field
      v-model="name"
      label="Name, if it is to have another"
      maxlength="80"
      hide-details
      data-test="saved-name"
    />
    <div v-if="busy" role="status">
      {{ sent < 1 ? 'Sending the file' : 'Reading the level' }} …
      <v-progress-linear
        :model-value="sent * 100"
        :indeterminate="sent === 1"
        color="primary"
        aria-label="How far it is"
      />
    </div>
  </AskSheet>
</template>

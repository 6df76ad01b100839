<script setup lang="ts">
import { mdiFolderOpenOutline } from '@mdi/js'
import { useIntervalFn } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue'
import { answer, api, type Opening } from '../api/client'
import { upload } from '../api/upload'
import AskSheet from '../shared/AskSheet.vue'

/** A new level from the zip of one that was saved, here or in another installation. */
const emit = defineEmits<{ done: [level: string]; close: [] }>()
const file = shallowRef<File | null>(null)
const name = ref('')
const trouble = ref('')
const sent = ref(0)
const sending = ref(false)
/** What the server is at, once the file is there. */
const opening = shallowRef<Opening | null>(null)
const opens = computed(() => opening.value?.state === 'waiting' || opening.value?.state === 'running')
const busy = computed(() => sending.value || opens.value)
const share = computed(() => 0.5 * sent.value + 0.5 * (opening.value?.share ?? 0))
const one = () => ({ params: { path: { job: opening.value!.id } } })

async function go() {
  const form = new FormData()
  form.set('file', file.value!)
  form.set('name', name.value.trim())
  sending.value = true
  sent.value = 0
  opening.value = null
  trouble.value = ''
  try {
    opening.value = await upload<Opening>('/saved-levels', form, (done) => (sent.value = done))
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    sending.value = false
  }
}

let asking = false
async function look() {
  if (!opens.value || asking) return
  asking = true
  try {
    const reply = await answer(api.GET('/api/saved-levels/{job}', one()))
    opening.value = reply
    trouble.value = reply.trouble
    if (reply.slug) emit('done', reply.slug)
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    asking = false
  }
}
useIntervalFn(() => void look(), 400)

onBeforeUnmount(() => {
  if (opens.value) void answer(api.POST('/api/saved-levels/{job}/stop', one())).catch(() => undefined)
})
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
      {{ opening?.step ?? 'Sending the file' }} …
      <v-progress-linear :model-value="share * 100" color="primary" aria-label="How far it is" />
    </div>
  </AskSheet>
</template>

<script setup lang="ts">
import { mdiFolderOpenOutline } from '@mdi/js'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answer, api, type Opening } from '../api/client'
import { upload } from '../api/upload'
import AskSheet from '../shared/AskSheet.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

/** A new level from the zip of one that was saved, here or in another installation. */
const emit = defineEmits<{ done: [level: string]; close: [] }>()
const file = shallowRef<File | null>(null)
const name = ref('')
const sent = ref(0)
const EVERY_MS = 400
const goesOn = (known: Opening | undefined) => known?.state === 'waiting' || known?.state === 'running'
const job = ref<string | null>(null)
const one = () => ({ params: { path: { job: job.value! } } })
/** What the server is at, once the file is there. */
const {
  data: opening,
  trouble: unread,
  put,
} = useServer(
  () => ['saved level', job.value],
  (signal) => api.GET('/api/saved-levels/{job}', { ...one(), signal }),
  { enabled: () => !!job.value, every: (known) => goesOn(known) && EVERY_MS },
)
const { trouble: refused, busy: sending, attempt } = useAttempt()
const trouble = computed(() => refused.value || opening.value?.trouble || unread.value)
const opens = computed(() => goesOn(opening.value))
const busy = computed(() => sending.value || opens.value)
const share = computed(() => 0.5 * sent.value + 0.5 * (opening.value?.share ?? 0))

const go = () =>
  attempt(async () => {
    const form = new FormData()
    form.set('file', file.value!)
    form.set('name', name.value.trim())
    sent.value = 0
    job.value = null
    const begun = await upload<Opening>('/saved-levels', form, (done) => (sent.value = done))
    job.value = begun.id
    put(begun)
  })
watch(
  () => opening.value?.slug,
  (slug) => slug && emit('done', slug),
)

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

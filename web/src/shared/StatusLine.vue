<script setup lang="ts">
import { mdiClose, mdiCloudOffOutline, mdiTimerSandEmpty } from '@mdi/js'
import { computed } from 'vue'
import { connection } from '../api/connection'
import { useLevel } from '../level/level'
import { useOutbox } from '../planting/outbox'

/**
 * One line over the stage: what went wrong, whether the server is away or late, and what waits to be sent.
 */
const store = useLevel()
const outbox = useOutbox()
const waits = computed(() => {
  const n = outbox.waiting.length
  if (!n) return ''
  const waits = `${n} ${n === 1 ? 'stroke waits' : 'strokes wait'} in this browser to be sent.`
  return outbox.keeps ? waits : `${waits} This browser does not keep them over a reload.`
})
const away = computed(() => connection.away && !connection.signedOut)
const kept = computed(() =>
  outbox.waiting.length ? waits.value : 'What you paint is kept here and sent when it answers again.',
)
const close = () => ((store.trouble = ''), (outbox.refused = ''))
</script>

<template>
  <div
    v-if="store.trouble || outbox.refused || away || waits || connection.late"
    class="status"
    role="status"
    data-test="message"
  >
    <template v-if="away"
      ><v-icon :icon="mdiCloudOffOutline" size="18" /> {{ connection.away }} {{ kept }}</template
    >
    <template v-else-if="store.trouble || outbox.refused">
      {{ outbox.refused || store.trouble }}
      <v-btn :icon="mdiClose" size="x-small" variant="text" aria-label="Close" @click="close" />
    </template>
    <template v-else-if="waits">{{ waits }}</template>
    <template v-else
      ><v-icon :icon="mdiTimerSandEmpty" size="18" /> The server is slow to answer. It is still being waited
      for.</template
    >
  </div>
</template>

<style scoped>
.status {
  position: absolute;
  top: 54px;
  left: 50%;
  transform: translateX(-50%);
  z-index: 5;
  max-width: min(720px, 90vw);
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 6px 14px;
  background: var(--sheet);
  border: 1px solid var(--oxblood);
}
</style>

<script setup lang="ts">
import { mdiPlay, mdiStop } from '@mdi/js'
import { computed } from 'vue'
import { answer, api, type Bake } from '../api/client'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

/** The bake of all single plants: begun, watched sheet by sheet, stopped, gone on with. */
const store = useLevel()
const EVERY_MS = 400
const {
  data: bake,
  trouble: unread,
  put,
} = useServer(
  () => ['bake', store.slug],
  (signal) => api.GET('/api/levels/{slug}/bake', { ...store.here(), signal }),
  { every: (known) => !!known?.running && EVERY_MS },
)
const { trouble: refused, attempt } = useAttempt()
const trouble = computed(() => refused.value || unread.value)
const BEGIN = () => api.POST('/api/levels/{slug}/bake', store.here())
const STOP = () => api.POST('/api/levels/{slug}/bake/stop', store.here())
const change = (ask: () => Promise<{ data?: Bake }>) => attempt(async () => put(await answer(ask())))
const share = computed(() => (bake.value ? bake.value.done / Math.max(bake.value.total, 1) : 0))
const says = computed(() => {
  const b = bake.value
  if (!b) return ''
  if (b.running) return `${whole(b.done)} of ${whole(b.total)} sheets: ${b.step}`
  if (b.done === b.total) return `All ${whole(b.total)} sheets lie ready.`
  return b.done
    ? `${whole(b.done)} of ${whole(b.total)} sheets lie ready; what has changed is made when asked for.`
    : `${whole(b.total)} sheets, none made beforehand.`
})
</script>

<template>
  <section v-if="bake" data-test="bake">
    <h3>Bake</h3>
    <p class="faint">
      Makes the plants of the whole level beforehand, sheet by sheet, so that files are written and the level
      opened without waiting.
    </p>
    <v-progress-linear :model-value="share * 100" color="primary" aria-label="Sheets that lie ready" />
    <p class="number" data-test="bake-said">{{ says }}</p>
    <p v-if="store.mayPlant">
      <ActionButton
        v-if="!bake.running"
        :icon="mdiPlay"
        tip="Make the sheets that are missing"
        :why="bake.done === bake.total && 'all lie ready'"
        data-test="bake-start"
        @click="change(BEGIN)"
        >{{ bake.done ? 'Go on' : 'Bake the level' }}</ActionButton
      >
      <v-btn v-else :prepend-icon="mdiStop" data-test="bake-stop" @click="change(STOP)">Stop</v-btn>
    </p>
    <p v-if="trouble || bake.trouble" class="over" role="alert">{{ trouble || bake.trouble }}</p>
  </section>
</template>

<style scoped>
p {
  margin: 4px 0;
}
</style>

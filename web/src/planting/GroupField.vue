<script setup lang="ts">
import { mdiMenuDown } from '@mdi/js'
import { computed } from 'vue'
import { answer, api, type Stand } from '../api/client'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import { useAttempt } from '../shared/useAttempt'

/** The group that stands are listed under in the column: one of those there are, a new one, or none. */
const props = defineProps<{ stands: Stand[] }>()
const store = useLevel()
const { trouble, attempt } = useAttempt()
const known = computed(() => [...new Set(store.stands.map((s) => s.group).filter(Boolean))].sort())
const shared = computed(() => {
  const first = props.stands[0]?.group ?? ''
  return props.stands.every((s) => s.group === first) ? first : null
})
function set(name: string): void {
  const group = name.trim()
  if (group === shared.value) return
  void attempt(async () => {
    const body = { key: crypto.randomUUID(), stands: props.stands.map((s) => s.id), group }
    store.take(await answer(api.POST('/api/levels/{slug}/group-stands', { ...store.here(), body })))
  })
}
</script>

<template>
  <v-text-field
    :model-value="shared"
    label="Group"
    :placeholder="shared === null ? 'mixed' : 'none'"
    persistent-placeholder
    maxlength="80"
    data-keys
    hide-details="auto"
    :error-messages="trouble"
    :disabled="!store.mayPlant"
    class="group"
    data-test="stand-group"
    @change="set(($event.target as HTMLInputElement).value)"
  >
    <template v-if="known.length && store.mayPlant" #append-inner>
      <v-menu>
        <template #activator="{ props: press }"
          ><ActionButton
            v-bind="press"
            variant="text"
            size="x-small"
            :icon="mdiMenuDown"
            tip="The groups there are"
            data-test="stand-groups"
        /></template>
        <v-list>
          <v-list-item v-for="g in known" :key="g" :title="g" :active="g === shared" @click="set(g)" />
          <v-list-item title="in no group" data-test="no-group" @click="set('')" />
        </v-list>
      </v-menu>
    </template>
  </v-text-field>
</template>

<style scoped>
.group {
  margin-top: 6px;
}
</style>

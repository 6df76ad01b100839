<script setup lang="ts">
import { mdiContentCopy } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { api, type StandSettings } from '../api/client'
import { useLevel } from '../level/level'
import { useTrial } from '../level/trial'
import ActionButton from '../shared/ActionButton.vue'
import { COPIED, type Copied } from './copied'
import type { Draft } from './useDraft'

/** Groups of the selected stand's settings, given to other stands; tried before they are kept. */
const props = defineProps<{ draft: Draft; only?: Copied }>()
const store = useLevel()
const trial = useTrial()
const open = ref(false)
const targets = ref<number[]>([])
const groups = ref<Copied[]>([])
const trouble = ref('')
const others = computed(() => store.stands.filter((s) => !store.selected.includes(s.id)))
const wanted = computed(() => (props.only ? [props.only] : groups.value))
const about = computed(() => wanted.value.map((g) => COPIED[g].title.toLowerCase()).join(', '))
watch(open, () => {
  targets.value = []
  trouble.value = ''
})

async function copy() {
  const from = store.chosen[0]!.settings
  const part = Object.fromEntries(
    wanted.value.flatMap((g) => COPIED[g].fields.map((name) => [name, from[name]])),
  ) as Partial<StandSettings>
  const stands = Object.fromEntries(targets.value.map((id) => [id, { settings: part }]))
  const key = crypto.randomUUID()
  try {
    const asked = trial.ask(`Copy ${about.value} of ${store.chosen[0]!.name}`, (view, headers) =>
      api.PATCH('/api/levels/{slug}/stands', { ...store.here(), body: { key, stands, view }, headers }),
    )
    open.value = false
    await asked
  } catch (error) {
    open.value = true
    trouble.value = (error as Error).message
  }
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" max-height="70vh">
    <template #activator="{ props: menu }"
      ><ActionButton
        v-bind="menu"
        :icon="mdiContentCopy"
        :tip="
          only
            ? `Copy these ${COPIED[only].title.toLowerCase()} to other stands`
            : 'Copy settings to other stands'
        "
        :why="draft.dirty.value && 'keep or drop the draft first'"
        :data-test="only ? `copy-${only}` : 'copy-settings'"
        >Copy to</ActionButton
      ></template
    >
    <v-card class="sheet" data-test="copy-sheet">
      <template v-if="!only">
        <h2 class="minor">What</h2>
        <v-checkbox
          v-for="(g, name) in COPIED"
          :key="name"
          v-model="groups"
          :value="name"
          :label="g.title"
          :data-test="`copy-group-${name}`"
        />
        <h2 class="minor">To</h2>
      </template>
      <v-checkbox
        v-for="s in others"
        :key="s.id"
        v-model="targets"
        :value="s.id"
        :disabled="s.locked"
        :label="s.locked ? `${s.name}, locked` : s.name"
        :data-test="`copy-${s.slug}`"
      />
      <p v-if="trouble" class="over" role="alert" data-test="copy-trouble">{{ trouble }}</p>
      <v-btn
        color="primary"
        variant="flat"
        :disabled="!targets.length || !wanted.length"
        data-test="copy-go"
        @click="copy"
        >Copy {{ about || 'nothing yet' }}</v-btn
      >
    </v-card>
  </v-menu>
</template>

<style scoped>
.sheet {
  padding: 10px 12px;
  display: grid;
  gap: 2px;
  max-width: 320px;
}
.sheet .v-btn {
  margin-top: 6px;
}
</style>

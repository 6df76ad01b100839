<script setup lang="ts">
import { ref } from 'vue'
import { answer, api, type LevelCard } from '../api/client'
import AskSheet from '../shared/AskSheet.vue'

/** Asks for the name of a level that is renamed or copied, and does it. */
const props = defineProps<{ level: LevelCard; what: 'rename' | 'copy' }>()
const emit = defineEmits<{ done: []; close: [] }>()
const name = ref(props.what === 'copy' ? `${props.level.name}, a copy` : props.level.name)
const trouble = ref('')
const busy = ref(false)
async function go() {
  busy.value = true
  trouble.value = ''
  const at = { params: { path: { slug: props.level.slug } } }
  try {
    if (props.what === 'copy')
      await answer(api.POST('/api/levels/{slug}/copy', { ...at, body: { name: name.value.trim() } }))
    else
      await answer(
        api.PUT('/api/levels/{slug}/name', {
          ...at,
          body: { key: crypto.randomUUID(), name: name.value.trim() },
        }),
      )
    emit('done')
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <AskSheet
    :title="what === 'copy' ? `Copy ${level.name}` : `Rename ${level.name}`"
    :act="what === 'copy' ? 'Copy it' : 'Rename it'"
    :busy="busy"
    :ready="!!name.trim()"
    :trouble="trouble"
    test="level"
    @go="go"
    @close="emit('close')"
  >
    <p v-if="what === 'copy'" class="faint">
      Ground, shapes, stock, stands with their painting, and single plants. The journal, members and snapshots
      stay where they are.
    </p>
    <v-text-field
      v-model="name"
      label="Name"
      maxlength="80"
      autofocus
      hide-details
      data-test="level-name"
      @keydown.enter="go"
    />
  </AskSheet>
</template>

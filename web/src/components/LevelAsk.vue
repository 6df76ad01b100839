<script setup lang="ts">
import { ref } from 'vue'
import { answer, api, type LevelCard } from '../api/client'

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
  <v-dialog
    :model-value="true"
    :aria-label="what === 'copy' ? 'Copy the level' : 'Rename the level'"
    max-width="460"
    @update:model-value="emit('close')"
  >
    <v-card class="ask">
      <h2>{{ what === 'copy' ? `Copy ${level.name}` : `Rename ${level.name}` }}</h2>
      <p v-if="what === 'copy'" class="faint">
        Ground, shapes, stock, stands with their painting, and single plants. The journal, members and
        snapshots stay where they are.
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
      <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
      <div class="foot">
        <v-btn variant="text" @click="emit('close')">Drop</v-btn>
        <v-btn
          color="primary"
          variant="flat"
          :loading="busy"
          :disabled="!name.trim()"
          data-test="level-go"
          @click="go"
          >{{ what === 'copy' ? 'Copy it' : 'Rename it' }}</v-btn
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
p {
  margin: 0;
}
.foot {
  display: flex;
  justify-content: end;
  gap: 10px;
}
</style>

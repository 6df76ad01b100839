<script setup lang="ts">
import { mdiContentCopy, mdiDeleteOutline, mdiDotsVertical, mdiPencilOutline } from '@mdi/js'
import { ref } from 'vue'
import { answer, api, type LevelCard } from '../api/client'

/** What is done to a level as a whole: rename, copy, remove. */
const props = defineProps<{ level: LevelCard; mayMake: boolean }>()
const emit = defineEmits<{ changed: []; removed: [level: LevelCard] }>()
const asking = ref<'rename' | 'copy' | null>(null)
const name = ref('')
const trouble = ref('')
const busy = ref(false)
function begin(what: 'rename' | 'copy') {
  asking.value = what
  name.value = what === 'copy' ? `${props.level.name}, a copy` : props.level.name
  trouble.value = ''
}
async function attempt(work: () => Promise<unknown>) {
  busy.value = true
  trouble.value = ''
  try {
    await work()
    asking.value = null
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    busy.value = false
  }
}
const go = () =>
  attempt(async () => {
    const path = { slug: props.level.slug }
    if (asking.value === 'copy') await answer(api.POST('/api/levels/{slug}/copy', { params: { path }, body: { name: name.value.trim() } }))
    else await answer(api.PUT('/api/levels/{slug}/name', { params: { path }, body: { key: crypto.randomUUID(), name: name.value.trim() } }))
    emit('changed')
  })
const remove = () =>
  attempt(async () => {
    await answer(api.POST('/api/levels/{slug}/remove', { params: { path: { slug: props.level.slug } } }))
    emit('removed', props.level)
  })
</script>

<template>
  <span>
    <v-menu>
      <template #activator="{ props: press }">
        <v-btn v-bind="press" :icon="mdiDotsVertical" size="small" variant="text" :aria-label="`What can be done with ${level.name}`" :data-test="`menu-${level.slug}`" @click.prevent />
      </template>
      <v-list density="compact">
        <v-list-item :prepend-icon="mdiPencilOutline" title="Rename …" :disabled="level.role !== 'lead'" data-test="level-rename" @click="begin('rename')" />
        <v-list-item :prepend-icon="mdiContentCopy" title="Copy …" :disabled="!mayMake" data-test="level-copy" @click="begin('copy')" />
        <v-list-item :prepend-icon="mdiDeleteOutline" title="Remove" :disabled="level.role !== 'lead'" data-test="level-remove" @click="remove" />
      </v-list>
    </v-menu>
    <v-dialog :model-value="asking !== null" :aria-label="asking === 'copy' ? 'Copy the level' : 'Rename the level'" max-width="460" @update:model-value="asking = null">
      <v-card class="ask">
        <h2>{{ asking === 'copy' ? `Copy ${level.name}` : `Rename ${level.name}` }}</h2>
        <p v-if="asking === 'copy'" class="faint">Ground, shapes, stock, stands with their painting, and single plants. The journal, members and snapshots stay where they are.</p>
        <v-text-field v-model="name" label="Name" maxlength="80" autofocus hide-details data-test="level-name" @keydown.enter="go" />
        <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
        <div class="foot">
          <v-btn variant="text" @click="asking = null">Drop</v-btn>
          <v-btn color="primary" variant="flat" :loading="busy" :disabled="!name.trim()" data-test="level-go" @click="go">{{ asking === 'copy' ? 'Copy it' : 'Rename it' }}</v-btn>
        </div>
      </v-card>
    </v-dialog>
  </span>
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

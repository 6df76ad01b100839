<script setup lang="ts">
import { mdiContentCopy, mdiDeleteOutline, mdiDotsVertical, mdiPencilOutline } from '@mdi/js'
import { defineAsyncComponent, ref } from 'vue'
import { answer, api, type LevelCard } from '../api/client'
import { useAttempt } from '../shared/useAttempt'

/** What is done to a level as a whole: rename, copy, remove. */
const props = defineProps<{ level: LevelCard; mayMake: boolean }>()
const emit = defineEmits<{ changed: [] }>()
/** Loaded when it is asked for: the list comes without. */
const LevelAsk = defineAsyncComponent(() => import('../pages/LevelAsk.vue'))
const asking = ref<'rename' | 'copy' | null>(null)
const { trouble, attempt } = useAttempt()
const remove = () =>
  attempt(async () => {
    await answer(api.POST('/api/levels/{slug}/remove', { params: { path: { slug: props.level.slug } } }))
    emit('changed')
  })
</script>

<template>
  <span>
    <v-menu>
      <template #activator="{ props: press }">
        <v-btn
          v-bind="press"
          :icon="mdiDotsVertical"
          size="small"
          variant="text"
          :aria-label="`What can be done with ${level.name}`"
          :data-test="`menu-${level.slug}`"
          @click.prevent
        />
      </template>
      <v-list density="compact">
        <v-list-item
          :prepend-icon="mdiPencilOutline"
          title="Rename …"
          :disabled="level.role !== 'lead'"
          data-test="level-rename"
          @click="asking = 'rename'"
        />
        <v-list-item
          :prepend-icon="mdiContentCopy"
          title="Copy …"
          :disabled="!mayMake"
          data-test="level-copy"
          @click="asking = 'copy'"
        />
        <v-list-item
          :prepend-icon="mdiDeleteOutline"
          title="Remove"
          :disabled="level.role !== 'lead'"
          data-test="level-remove"
          @click="remove"
        />
      </v-list>
    </v-menu>
    <LevelAsk
      v-if="asking"
      :level="level"
      :what="asking"
      @done="((asking = null), emit('changed'))"
      @close="asking = null"
    />
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
  </span>
</template>

<script setup lang="ts">
import { computed } from 'vue'
import { api } from '../api/client'
import MemberTable from './MemberTable.vue'
import PaperPage from './PaperPage.vue'
import PlotWeek from '../budget/PlotWeek.vue'
import { useServer } from '../shared/useServer'

/** The team of a level. */
const props = defineProps<{ slug: string }>()
const { data: level } = useServer(
  () => ['level', props.slug],
  (signal) => api.GET('/api/levels/{slug}', { params: { path: { slug: props.slug } }, signal }),
)
const name = computed(() => level.value?.name ?? '')
</script>

<template>
  <PaperPage
    :title="name ? `Team of ${name}` : 'Team'"
    :back="`/levels/${slug}`"
    :where="name || 'The level'"
  >
    <MemberTable :slug="slug" />
    <PlotWeek v-if="level" :level="level" />
  </PaperPage>
</template>

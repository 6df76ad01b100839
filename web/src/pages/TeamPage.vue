<script setup lang="ts">
import { computed, onMounted, shallowRef, useTemplateRef } from 'vue'
import { answer, api, type Level } from '../api/client'
import MemberTable from './MemberTable.vue'
import PaperPage from './PaperPage.vue'
import PlotWeek from '../budget/PlotWeek.vue'

/** The team of a level. */
const props = defineProps<{ slug: string }>()
const level = shallowRef<Level | null>(null)
const name = computed(() => level.value?.name ?? '')
const members = useTemplateRef('members')
async function load(): Promise<void> {
  const asked = api.GET('/api/levels/{slug}', { params: { path: { slug: props.slug } } })
  level.value = await answer(asked).catch(() => null)
  void members.value?.load()
}
onMounted(load)
</script>

<template>
  <PaperPage
    :title="name ? `Team of ${name}` : 'Team'"
    :back="`/levels/${slug}`"
    :where="name || 'The level'"
    @again="load"
  >
    <MemberTable ref="members" :slug="slug" />
    <PlotWeek v-if="level" :level="level" />
  </PaperPage>
</template>

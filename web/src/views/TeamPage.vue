<script setup lang="ts">
import { onMounted, ref, useTemplateRef } from 'vue'
import { answer, api } from '../api/client'
import MemberTable from '../components/MemberTable.vue'
import PaperPage from '../components/PaperPage.vue'

/** The team of a level. */
const props = defineProps<{ slug: string }>()
const name = ref('')
const members = useTemplateRef('members')
async function load(): Promise<void> {
  const level = await answer(api.GET('/api/levels/{slug}', { params: { path: { slug: props.slug } } })).catch(
    () => null,
  )
  name.value = level?.name ?? ''
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
  </PaperPage>
</template>

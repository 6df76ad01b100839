<script setup lang="ts">
import { computed } from 'vue'
import { answer, api, type MixEntry } from '../api/client'
import { useLevel } from '../level/level'
import SavedMenu from '../shared/SavedMenu.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

/** Mixes kept under names: one is taken for the stand in hand, or its mix is kept as one. */
const props = defineProps<{ mix: MixEntry[]; locked: boolean }>()
const emit = defineEmits<{
  take: [mix: MixEntry[], name: string, missing: string[]]
  trouble: [why: string]
}>()
const store = useLevel()
const known = useServer(['kept-mixes'], (signal) => api.GET('/api/kept-mixes', { signal }))
const { trouble, attempt } = useAttempt()
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const kept = computed(() =>
  (known.data.value ?? []).map((m) => ({ ...m, says: `${m.items.map(nameOf).join(', ')}; by ${m.by}` })),
)
async function guarded(work: () => Promise<unknown>) {
  const done = await attempt(work)
  emit('trouble', trouble.value)
  return done
}
const keep = (name: string) =>
  guarded(async () => {
    const body = { name, level: store.slug, mix: props.mix }
    await answer(api.POST('/api/kept-mixes', { body }))
    await known.read()
  })
const remove = (pk: number) =>
  guarded(async () => {
    await answer(api.DELETE('/api/kept-mixes/{pk}', { params: { path: { pk } } }))
    await known.read()
  })
const use = (pk: number) =>
  guarded(async () => {
    const path = { slug: store.slug, pk }
    const { mix, missing } = await answer(api.GET('/api/levels/{slug}/kept-mixes/{pk}', { params: { path } }))
    emit('take', mix, kept.value.find((m) => m.id === pk)!.name, missing)
  })
</script>

<template>
  <SavedMenu
    label="Mixes"
    tip="Mixes that all levels can plant"
    none="No mixes kept yet. They can be planted in every level of the team."
    :kept="kept"
    name-label="Name of a mix"
    :why="mix.length ? '' : 'there is no mix'"
    :usable="!locked"
    :keep="keep"
    menu="kept-mixes"
    test="kept-mix"
    @use="use"
    @remove="remove"
  />
</template>

<script setup lang="ts">
import { mdiTrayFull } from '@mdi/js'
import { computed } from 'vue'
import { answer, api } from '../api/client'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { useBrush } from './brush'

/** The mix that Set and Scatter draw from: its own, or one kept under a name, some of it switched off. */
const store = useLevel()
const brush = useBrush()
const known = useServer(['kept-mixes'], (signal) => api.GET('/api/kept-mixes', { signal }))
const kept = computed(() => known.data.value ?? [])
const { trouble, attempt } = useAttempt()
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const take = (pk: number, name: string) =>
  attempt(async () => {
    const path = { slug: store.slug, pk }
    const { mix } = await answer(api.GET('/api/levels/{slug}/kept-mixes/{pk}', { params: { path } }))
    if (!mix.length) throw new Error(`None of ${name} is in the stock of this level.`)
    brush.mix = { name, entries: mix }
  })
function flip(item: string) {
  const off = new Set(brush.mixOff)
  if (!off.delete(item)) off.add(item)
  if (off.size < brush.mix!.entries.length) brush.mixOff = off
}
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: press }">
      <ActionButton
        v-bind="press"
        :icon="mdiTrayFull"
        :on="brush.mix !== null"
        :tip="`Drawn from ${brush.mix?.name ?? 'the mix of the stand'}; press for mixes kept under a name`"
        data-test="brush-mix"
      />
    </template>
    <v-card class="sheet" data-test="brush-mix-sheet">
      <h2 class="minor">Drawn from</h2>
      <v-list :border="false" density="compact">
        <v-list-item
          title="the mix of the stand"
          :active="brush.mix === null"
          data-test="brush-mix-own"
          @click="brush.mix = null"
        />
        <v-list-item
          v-for="m in kept"
          :key="m.id"
          :title="m.name"
          :subtitle="m.items.map(nameOf).join(', ')"
          :active="brush.mix?.name === m.name"
          :data-test="`brush-mix-${m.id}`"
          @click="take(m.id, m.name)"
        />
      </v-list>
      <p v-if="!kept.length" class="faint">
        Mixes that are kept under a name, in a stand’s mix, can be drawn from here.
      </p>
      <template v-if="brush.mix">
        <h2 class="minor">Of {{ brush.mix.name }}</h2>
        <v-checkbox
          v-for="m in brush.mix.entries"
          :key="m.item"
          :label="nameOf(m.item)"
          :model-value="!brush.mixOff.has(m.item)"
          :data-test="`brush-mix-item-${m.item}`"
          @update:model-value="flip(m.item)"
        />
      </template>
      <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    </v-card>
  </v-menu>
</template>

<style scoped>
.sheet {
  width: 300px;
  padding: 2px 14px 12px;
}
.sheet h2 {
  margin: 9px 0 4px;
}
</style>

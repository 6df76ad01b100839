<script setup lang="ts">
import { computed } from 'vue'
import type { MixEntry } from '../api/client'
import type { Draft } from '../composables/useDraft'
import { useLevel } from '../stores/level'
import NumberField from './NumberField.vue'

/** The stock items a stand plants, by weight; a changed weight moves plants only to or from that item. */
const props = defineProps<{ draft: Draft; locked: boolean }>()
const store = useLevel()
const mix = computed(() => props.draft.shared((s) => s.mix))
const list = computed(() => mix.value.value ?? [])
const total = computed(() => Math.max(list.value.reduce((n, m) => n + m.weight, 0), 1e-9))
const spare = computed(() => store.level!.stock.filter((i) => !list.value.some((m) => m.item === i.slug)))
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const put = (next: MixEntry[]) => props.draft.change({ mix: next })
function add(event: Event) {
  const select = event.target as HTMLSelectElement
  if (select.value) put([...list.value, { item: select.value, weight: +(total.value / Math.max(list.value.length, 1)).toFixed(2), footprint: 1, mark: '' }])
  select.value = ''
}
function exchange(k: number, event: Event) {
  put(list.value.map((m, i) => (i === k ? { ...m, item: (event.target as HTMLSelectElement).value } : m)))
}
</script>

<template>
  <p v-if="mix.mixed" class="faint">The selected stands plant different mixes; select one to edit it.</p>
  <div v-else data-test="mix">
    <p v-for="(m, k) in list" :key="m.item" class="entry">
      <select class="cell name" :value="m.item" :disabled="locked" :aria-label="`Item ${k + 1}: exchange it`" @change="exchange(k, $event)">
        <option :value="m.item">{{ nameOf(m.item) }}</option>
        <option v-for="i in spare" :key="i.slug" :value="i.slug">{{ i.name }}</option>
      </select>
      <NumberField bare :label="`Weight of ${nameOf(m.item)}`" :value="m.weight" :min="0" :max="1000" :step="0.1" :unit="`${Math.round((m.weight / total) * 100)} %`" :disabled="locked" :test="`weight-${m.item}`" @change="$event >= 0 && put(list.map((x, i) => (i === k ? { ...x, weight: $event } : x)))" />
      <button v-if="list.length > 1 && !locked" class="plain" :aria-label="`Take ${nameOf(m.item)} out`" @click="put(list.filter((_, i) => i !== k))">×</button>
    </p>
    <select v-if="spare.length && !locked" class="cell" data-test="mix-add" aria-label="Add an item to the mix" @change="add"><option value="">+ add to the mix</option><option v-for="i in spare" :key="i.slug" :value="i.slug">{{ i.name }}</option></select>
  </div>
</template>

<style scoped>
.entry {
  display: grid;
  grid-template-columns: 1fr 104px 24px;
  gap: 6px;
  align-items: baseline;
  margin: 0 0 2px;
}
select.cell {
  text-align: left;
}
.name {
  font-size: 15px;
}
</style>

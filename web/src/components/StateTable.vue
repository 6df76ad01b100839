<script setup lang="ts">
import { computed } from 'vue'
import type { ShelfItem } from '../api/client'
import { whole } from '../budget'

/** What each state of an item costs, and from which distance it is seen to differ by at most two pixels. */
const props = defineProps<{ item: Pick<ShelfItem, 'states' | 'distances' | 'texture_bytes'> }>()
const from = (k: number, name: string): number | null => {
  const d = props.item.distances as { lods?: number[]; billboard?: number | null }
  return name === 'billboard' ? (d.billboard ?? null) : k ? (d.lods?.[k - 1] ?? null) : 0
}
const label = (name: string) => (name === 'billboard' ? 'Billboard' : name === 'lod0' ? 'Full mesh' : `LOD ${name.slice(3)}`)
const bytes = (n: number) => (n < 1e6 ? `${Math.ceil(n / 1000)} kB` : `${(n / 1e6).toFixed(1)} MB`)
const rows = computed(() => props.item.states.map((s, k) => ({ ...s, label: label(s.name), from: from(k, s.name) })))
</script>

<template>
  <v-table density="compact" class="number" data-test="states">
    <thead>
      <tr>
        <th>State</th>
        <th class="n">From</th>
        <th class="n">Triangles</th>
        <th class="n">Calls</th>
        <th class="n">Covers</th>
        <th class="n">Overdraw</th>
        <th class="n">Memory</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="s in rows" :key="s.name">
        <td>{{ s.label }}</td>
        <td class="n">{{ s.from === null ? '' : `${Math.round(s.from)} m` }}</td>
        <td class="n">{{ whole(s.triangles) }}</td>
        <td class="n">{{ s.materials }}</td>
        <td class="n">{{ s.covered!.toFixed(s.covered! < 1 ? 2 : 1) }} m²</td>
        <td class="n">{{ s.overdraw ? `${s.overdraw.toFixed(1)} ×` : '' }}</td>
        <td class="n">{{ bytes(s.bytes) }}</td>
      </tr>
    </tbody>
    <tfoot>
      <tr>
        <td colspan="6">Textures</td>
        <td class="n">{{ bytes(item.texture_bytes) }}</td>
      </tr>
    </tfoot>
  </v-table>
</template>

<style scoped>
.v-table {
  background: transparent;
  font-size: 13px;
}
.v-table :is(th, td) {
  padding: 0 6px !important;
  height: 26px !important;
}
.n {
  text-align: right !important;
}
</style>

<script setup lang="ts">
import type { ShelfItem } from '../api/client'
import { whole } from '../budget/budget'

/** What each state of an item costs, and from which distance it is seen to differ by at most two pixels. */
const props = defineProps<{ item: Pick<ShelfItem, 'states' | 'distances' | 'texture_bytes'> }>()
const from = (k: number, name: string): number | null => {
  const d = props.item.distances as { lods?: number[]; billboard?: number | null }
  return name === 'billboard' ? (d.billboard ?? null) : k ? (d.lods?.[k - 1] ?? null) : 0
}
const label = (name: string) =>
  name === 'billboard' ? 'Billboard' : name === 'lod0' ? 'Full' : `LOD ${name.slice(3)}`
const bytes = (n: number) => (n < 1e6 ? `${Math.ceil(n / 1000)} kB` : `${(n / 1e6).toFixed(1)} MB`)
type State = ShelfItem['states'][number]
const ROWS: [string, string, (s: State, k: number) => string][] = [
  [
    'From',
    'Nearer than this, its outline differs from the full mesh’s by more than two pixels at 1,080 lines',
    (s, k) => (from(k, s.name) === null ? '' : `${Math.round(from(k, s.name)!)} m`),
  ],
  ['Triangles', 'Triangles of its mesh', (s) => whole(s.triangles)],
  ['Draw calls', 'One for each of its materials, wherever it is drawn', (s) => String(s.materials)],
  [
    'Covers',
    'The area that it covers, seen from the side',
    (s) => `${s.covered.toFixed(s.covered < 1 ? 2 : 1)} m²`,
  ],
  [
    'Overdraw',
    'How many times over its see-through cards cover that area',
    (s) => (s.overdraw ? `${s.overdraw.toFixed(1)} ×` : ''),
  ],
  ['Mesh', 'Memory of its corners and triangles', (s) => bytes(s.bytes)],
]
</script>

<template>
  <v-table density="compact" class="number" data-test="states">
    <thead>
      <tr>
        <th><span class="hidden">Of each state</span></th>
        <th v-for="s in item.states" :key="s.name" class="n">{{ label(s.name) }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in ROWS" :key="row[0]" :title="row[1]">
        <th scope="row">{{ row[0] }}</th>
        <td v-for="(s, k) in item.states" :key="s.name" class="n">{{ row[2](s, k) }}</td>
      </tr>
      <tr>
        <th scope="row">Textures</th>
        <td class="n" :colspan="item.states.length">{{ bytes(item.texture_bytes) }} in all</td>
      </tr>
    </tbody>
  </v-table>
</template>

<style scoped>
.v-table {
  background: transparent;
  font-size: 13px;
}
.v-table :is(th, td) {
  padding: 0 4px !important;
  height: 25px !important;
}
th[scope] {
  font-weight: 400 !important;
  color: var(--faint);
}
.n {
  text-align: right !important;
}
.hidden {
  position: absolute;
  clip-path: inset(50%);
}
</style>

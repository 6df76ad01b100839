<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { computed } from 'vue'
import type { DrawnCell } from '../api/client'
import { inkOf, whole } from '../budget/budget'
import { stateName } from './distances'
import { useDrawing } from './drawing'
import { useLevel } from '../level/level'

/** What of a drawing cell is drawn from here, as what, and why the rest is not. */
const props = defineProps<{ cell: DrawnCell }>()
defineEmits<{ close: [] }>()
const store = useLevel()
const drawing = useDrawing()
type Group = DrawnCell['groups'][number]

const WHY: Record<Group['reason'], string> = {
  '': '',
  off: 'no plants are drawn',
  hidden: 'its stand is hidden',
  share: 'left out by the share of tufts',
  far: 'too far',
  outside: 'the cell lies outside the view',
  fog: 'hidden by the fog',
}
const itemOf = (g: Group) => store.level!.stock.find((i) => i.slug === g.item)
function stateOf(g: Group): string {
  if (g.state < 0) return 'not drawn'
  const lods = itemOf(g)?.lods.length ?? 1
  return stateName(g.state + Math.min(drawing.now.lod_offset, lods - 1), lods)
}
function named(g: Group) {
  const stand = store.stands.find((s) => s.id === g.stand)!
  const item = stand.items.length > 1 ? `: ${itemOf(g)?.name ?? g.item}` : ''
  return { ink: inkOf(stand), name: stand.name + item }
}
const rows = computed(() =>
  props.cell.groups.map((g) => ({
    ...g,
    ...named(g),
    as: stateOf(g),
    more: [
      WHY[g.reason] && `${WHY[g.reason]}, from ${Math.round(g.nearest)} m`,
      !g.reason && g.fading > 0 && `${whole(g.fading)} in a fade`,
      g.behind > 0 && `${whole(g.behind)} behind the ground`,
    ]
      .filter(Boolean)
      .join('; '),
  })),
)
const triangles = computed(() => props.cell.groups.reduce((n, g) => n + g.triangles, 0))
</script>

<template>
  <div class="drawn" role="status" data-test="drawn-here">
    <header>
      <span class="name">Drawn from here of this cell of {{ drawing.now.cell }} m</span>
      <v-btn :icon="mdiClose" variant="text" size="x-small" aria-label="Close" @click="$emit('close')" />
    </header>
    <p class="faint">
      {{
        rows.length ? `${whole(triangles)} triangles, seen through ${drawing.tier}.` : 'Nothing stands in it.'
      }}
    </p>
    <table class="number">
      <tbody>
        <tr v-for="(r, k) in rows" :key="k" :class="{ faint: r.reason }">
          <td><i :style="{ background: r.ink }" />{{ r.name }}</td>
          <td>{{ r.as }}</td>
          <td>{{ whole(r.plants) }}</td>
          <td class="faint">{{ r.more }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.drawn {
  position: absolute;
  right: 12px;
  top: 56px;
  width: min(440px, calc(100% - 24px));
  max-height: calc(100% - 80px);
  overflow: auto;
  padding: 8px 12px;
  background: var(--sheet);
  border: 1px solid var(--ink);
  z-index: 4;
}
header {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.name {
  font-family: var(--serif);
  font-size: 16px;
}
p {
  margin: 0 0 4px;
}
table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
  font-size: 13px;
}
td {
  padding: 3px 6px 3px 0;
  overflow-wrap: anywhere;
  white-space: normal;
  border-top: 1px solid var(--line);
  vertical-align: top;
}
td:nth-child(2) {
  width: 19%;
}
td:nth-child(3) {
  width: 12%;
  text-align: right;
}
td:nth-child(4) {
  width: 38%;
}
i {
  display: inline-block;
  width: 8px;
  height: 8px;
  margin-right: 5px;
}
</style>

<script setup lang="ts">
import { mdiCrosshairsGps, mdiHandBackRightOutline, mdiMenuDown, mdiMenuUp, mdiRefresh } from '@mdi/js'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { ListInBounds } from '../api/bounds'
import type { Listed, ListIn } from '../api/client'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import PairField from '../shared/PairField.vue'
import { usePlantList } from './plantList'
import { useSelection } from './selection'

/** Single plants as a list: rows select plants on the stage, and what is selected there is marked here. */
const emit = defineEmits<{ go: [at: [number, number]] }>()
const store = useLevel()
const list = usePlantList()
const selection = useSelection()
const ROW = 26
const scroller = ref<{ scrollToIndex: (index: number) => void }>()
onMounted(() => (list.open = true))
onBeforeUnmount(() => (list.open = false))

const COLUMNS: [NonNullable<ListIn['sort']>, string, string][] = [
  ['item', 'Item', 'Its item'],
  ['height', 'Height', 'Its height in m'],
  ['far', 'Away', 'How far it stands from the eye, in m'],
  ['triangles', 'Triangles', 'The triangles that it is drawn by in this view'],
]
/** All that the rows are sorted by, also what has no column of its own. */
const SORTED: { value: NonNullable<ListIn['sort']>; title: string }[] = [
  ...COLUMNS.map(([value, title]) => ({ value, title: title.toLowerCase() })),
  { value: 'size', title: 'size, × its mesh' },
  { value: 'by hand', title: 'set by hand' },
  { value: 'stand', title: 'stand' },
]
const GROUPED: { value: NonNullable<ListIn['grouped']>; title: string }[] = [
  { value: '', title: 'not at all' },
  { value: 'stand', title: 'by stand' },
  { value: 'item', title: 'by item' },
  { value: 'cell', title: 'by drawing cell' },
  { value: 'area', title: 'by area' },
]
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const standOf = (id: number | string) => store.stands.find((s) => s.id === +id)?.name ?? ''
function groupName(key: string): string {
  if (list.wish.grouped === 'stand') return standOf(key)
  if (list.wish.grouped === 'item') return nameOf(key)
  if (list.wish.grouped === 'area')
    return key ? (store.shapes.find((s) => s.id === +key)?.name ?? '') : 'outside of areas'
  const [east, south] = key.split(' ')
  return `${east} m east, ${south} m south`
}
const items = computed(() => [
  ...new Set((list.every ? store.stands : store.chosen).filter((s) => !s.sward).flatMap((s) => s.items)),
])
const tallest = computed(() => Math.ceil(Math.max(1, ...store.level!.stock.map((i) => 2 * i.height))))
const chosen = computed(() => new Set(selection.plants.map((p) => `${p.stand}/${p.plant}`)))
const isChosen = (row: Listed) => chosen.value.has(`${row.stand}/${row.plant}`)
const numbers = computed(() => Array.from({ length: list.total }, (_, k) => k))
const rowAt = (k: number) => {
  list.need(k)
  return list.rows.get(k)
}

/** The row that was pressed last, from which Shift selects on. */
let from = 0
let mine = ''
function pick(k: number, event: MouseEvent | KeyboardEvent) {
  const row = list.rows.get(k)
  if (!row) return
  const some: Listed[] = []
  if (event.shiftKey)
    for (let n = Math.min(from, k); n <= Math.max(from, k); n++) {
      const other = list.rows.get(n)
      if (other) some.push(other)
    }
  else {
    from = k
    some.push(row)
  }
  mine = row.plant
  selection.pick(some, event.ctrlKey || event.metaKey)
}
// What was selected on the stage is scrolled to.
watch(
  () => selection.plants,
  async (plants) => {
    const [one] = plants
    if (plants.length !== 1 || !one || one.plant === mine) return
    mine = one.plant
    const at = await list.find(one.plant)
    if (at === null) return
    await nextTick()
    scroller.value?.scrollToIndex(Math.max(at - 3, 0))
  },
)
const unit = (value: number) => (value < 10 ? value.toFixed(1) : whole(Math.round(value)))
</script>

<template>
  <div class="plants" data-test="plant-list">
    <div class="row">
      <v-checkbox v-model="list.every" label="of every stand" data-test="list-every" />
      <v-checkbox v-model="list.wish.in_sight" label="in sight" data-test="list-in-sight" />
      <v-checkbox v-model="list.wish.by_hand" label="set by hand" data-test="list-by-hand" />
    </div>
    <div class="row">
      <ItemPicker v-model="list.wish.item" label="Item" none="any item" :only="items" test="list-item" />
      <ActionButton
        variant="text"
        size="small"
        :icon="mdiRefresh"
        tip="Read it again, from where the eye is now"
        data-test="list-again"
        @click="list.again"
      />
    </div>
    <v-checkbox
      label="of some heights"
      :model-value="list.wish.height !== null"
      data-test="list-heights"
      @update:model-value="list.wish.height = list.wish.height ? null : [0, tallest]"
    />
    <PairField
      v-if="list.wish.height"
      label="Height"
      :value="list.wish.height as [number, number]"
      :bounds="ListInBounds.height"
      test="list-height"
      @change="list.wish.height = $event"
    />
    <ChoiceField
      label="Sorted by"
      :value="list.wish.sort!"
      :items="SORTED"
      test="list-sort"
      @change="list.sort($event)"
    />
    <ChoiceField
      label="Grouped"
      :value="list.wish.grouped!"
      :items="GROUPED"
      test="list-grouped"
      @change="list.wish.grouped = $event"
    />
    <v-list v-if="list.groups.length" class="groups" density="compact" data-test="list-groups">
      <v-list-item
        v-for="g in list.groups"
        :key="g.key"
        :title="groupName(g.key)"
        :active="list.wish.group === g.key"
        @click="list.wish.group = list.wish.group === g.key ? null : g.key"
      >
        <template #append
          ><span class="number">{{ whole(g.count) }}, {{ whole(g.triangles) }} triangles</span></template
        >
      </v-list-item>
    </v-list>
    <p class="faint number" data-test="list-total">
      {{ whole(list.total) }} {{ list.total === 1 ? 'plant' : 'plants' }}. Click a row to select it on the
      stage; Ctrl adds, Shift takes all between.
    </p>
    <p v-if="list.trouble" class="over" role="alert">{{ list.trouble }}</p>
    <div class="head line">
      <v-btn
        v-for="[key, label, tip] in COLUMNS"
        :key="key"
        v-tooltip:bottom="{ text: tip, openDelay: 400 }"
        variant="text"
        size="small"
        :append-icon="list.wish.sort !== key ? undefined : list.wish.descending ? mdiMenuDown : mdiMenuUp"
        :data-test="`sort-${key}`"
        :aria-label="`Sort by ${label.toLowerCase()}`"
        @click="list.sort(key)"
        >{{ label }}</v-btn
      >
      <span />
    </div>
    <v-virtual-scroll
      ref="scroller"
      :items="numbers"
      :height="Math.min(Math.max(list.total, 1) * ROW, 312)"
      :item-height="ROW"
    >
      <template #default="{ item: k }">
        <div
          v-for="(row, only) in [rowAt(k)]"
          :key="only"
          class="line"
          :class="{ on: row && isChosen(row) }"
          :data-test="`list-row-${k}`"
          @click="pick(k, $event)"
        >
          <template v-if="row">
            <v-btn
              variant="text"
              size="small"
              class="name"
              :aria-pressed="isChosen(row)"
              @click.stop="pick(k, $event)"
              ><v-icon
                v-if="row.state === 'pinned'"
                size="13"
                :icon="mdiHandBackRightOutline"
                title="set by hand"
              />{{ nameOf(row.item) }}</v-btn
            >
            <span class="number">{{ unit(row.tall) }}</span>
            <span class="number">{{ unit(row.far) }}</span>
            <span class="number">{{ whole(row.triangles) }}</span>
            <ActionButton
              variant="text"
              size="x-small"
              :icon="mdiCrosshairsGps"
              tip="Go there"
              @click.stop="emit('go', [row.x, row.z])"
            />
          </template>
          <span v-else class="faint">…</span>
        </div>
      </template>
    </v-virtual-scroll>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
  align-items: center;
}
.row > .v-checkbox {
  flex: none;
}
p {
  margin: 4px 0;
  white-space: normal;
}
.groups {
  max-height: 150px;
  overflow-y: auto;
  margin: 4px 0;
}
.groups .number {
  font-size: 12.5px;
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 52px 52px 72px 26px;
  gap: 4px;
  align-items: center;
  height: 26px;
  padding-left: 4px;
  cursor: pointer;
}
.line > .number {
  text-align: right;
}
.head {
  border-bottom: 1px solid var(--ink);
  font-weight: 600;
}
.head .v-btn {
  min-width: 0;
  padding: 0 2px;
  height: 24px;
  justify-content: end;
}
.head .v-btn:first-child {
  justify-content: start;
}
.head .v-btn :deep(.v-btn__append) {
  margin: 0 -4px 0 0;
}
.line:not(.head):hover {
  background: color-mix(in srgb, var(--ink) 6%, transparent);
}
.on {
  background: color-mix(in srgb, var(--green) 18%, transparent);
}
.name {
  min-width: 0;
  height: 24px;
  padding: 0 2px;
  justify-content: start;
  overflow: hidden;
}
</style>

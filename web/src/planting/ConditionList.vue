<script setup lang="ts">
import { mdiPlus } from '@mdi/js'
import { computed, ref } from 'vue'
import { answer, api, type Condition } from '../api/client'
import type { Draft } from './useDraft'
import { KINDS } from '../api/kinds'
import { begun, fresh, ORDER, type Kind } from './conditions'
import { changedIn, difference, together } from './lists'
import { useLevel } from '../level/level'
import SavedMenu from '../shared/SavedMenu.vue'
import ConditionCard from './ConditionCard.vue'
import CopyTo from './CopyTo.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

const props = defineProps<{ draft: Draft; locked: boolean }>()
const store = useLevel()
const d = props.draft
const kept = useServer(['condition-sets'], (signal) => api.GET('/api/condition-sets', { signal }))
const sets = computed(() =>
  (kept.data.value ?? []).map((s) => ({
    ...s,
    says: `${s.kinds.map((k) => KINDS[k as Kind].label.toLowerCase()).join(', ')}, by ${s.by}`,
  })),
)
const message = ref('')
const { trouble: refused, attempt } = useAttempt()
const trouble = computed(() => refused.value || kept.trouble.value)
const dragged = ref<number | null>(null)
const over = ref<number | null>(null)

const shared = computed(() => d.shared((s) => s.conditions))
const KIND = (c: Condition) => c.kind
/** The conditions of all selected stands: the n-th of a kind is the same in each. */
const rows = computed(() =>
  together(
    store.chosen.map((s) => d.settingsOf(s).conditions),
    KIND,
  ),
)
const list = computed(() => rows.value.map((r) => r.item))
const put = (conditions: Condition[]) => d.change({ conditions })
/** Change the conditions: for all the same, or each stand's own where they differ. */
function edit(work: (conditions: Condition[]) => Condition[]) {
  if (!shared.value.mixed) put(work(list.value))
  else d.changeEach((s) => ({ conditions: work(s.conditions) }))
}
function set(k: number, c: Condition) {
  const { key, item } = rows.value[k]!
  edit((conditions) => changedIn(conditions, KIND, key, difference(item, c)))
}
const takeOut = (k: number) => edit((conditions) => changedIn(conditions, KIND, rows.value[k]!.key, null))
const PARTS: Partial<Record<keyof Condition, string>> = {
  lo: 'from',
  hi: 'to',
  soft_lo: 'soft below',
  soft_hi: 'soft above',
  join: 'how it joins',
  on: 'whether it is on',
  curve: 'its curve',
  noise: 'its noise',
  radius: 'its radius',
}
/** What of a condition differs from stand to stand, in words; empty where nothing does. */
function differs(k: number): string {
  const { count, mixed } = rows.value[k]!
  const some = count < store.chosen.length ? `in ${count} of ${store.chosen.length} stands` : ''
  const parts = [...new Set(mixed.map((part) => PARTS[part] ?? 'other parts'))].join(', ')
  return [some, parts && `mixed: ${parts}`].filter(Boolean).join('; ')
}
function add(kind: Kind) {
  try {
    const above = store.stands.slice(0, store.stands.indexOf(store.chosen[0]!))
    const one = begun(kind, store.level!, store.masks, above)
    edit((conditions) => [...conditions, one])
    message.value = ''
  } catch (error) {
    message.value = (error as Error).message
  }
}
function move(from: number, to: number) {
  if (to < 0 || to >= list.value.length || from === to) return
  const next = list.value.slice()
  next.splice(to, 0, ...next.splice(from, 1))
  put(next)
  requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-test=grip-${to}]`)?.focus())
}
function dropped(to: number) {
  if (dragged.value !== null) move(dragged.value, to)
  dragged.value = over.value = null
}
async function takeBands(layer: string) {
  await attempt(async () => {
    const b = await answer(
      api.GET('/api/levels/{slug}/layers/{layer}/bands', { params: { path: { slug: store.slug, layer } } }),
    )
    edit((conditions) => {
      let next = conditions
      for (const kind of ['altitude', 'slope'] as const) {
        const [lo, hi] = b[kind]
        const soft = +((hi - lo) * 0.1).toFixed(1)
        const at = next.findIndex((c) => c.kind === kind)
        const c = {
          ...(at < 0 ? fresh(kind, store.level!) : next[at]!),
          lo,
          hi,
          soft_lo: soft,
          soft_hi: soft,
        }
        next = at < 0 ? [...next, c] : next.map((old, k) => (k === at ? c : old))
      }
      return next
    })
    message.value = `Altitude and slope hold the middle nine tenths of ${layer}.`
  })
}
const saveSet = (name: string) =>
  attempt(async () => {
    const body = { name, level: store.slug, conditions: list.value }
    await answer(api.POST('/api/condition-sets', { body }))
    message.value = `Saved as ${name}.`
    await kept.read()
  })
const useSet = (pk: number) =>
  attempt(async () => {
    const path = { slug: store.slug, pk }
    const fit = await answer(api.GET('/api/levels/{slug}/condition-sets/{pk}', { params: { path } }))
    put(fit.conditions)
    const { name } = sets.value.find((s) => s.id === pk)!
    message.value = fit.notes.join(' ') || `${name} is tried; keep it or drop it.`
  })
const dropSet = (pk: number) =>
  attempt(async () => {
    await answer(api.DELETE('/api/condition-sets/{pk}', { params: { path: { pk } } }))
    await kept.read()
  })
</script>

<template>
  <template v-if="list">
    <p v-if="shared.mixed" class="faint" data-test="conditions-mixed">
      The selected stands have different conditions. What is changed here is changed in each that has it; the
      rest stays.
    </p>
    <div
      v-for="(c, k) in list"
      :key="`${k}/${c.kind}`"
      :class="{ over: over === k && dragged !== null && dragged !== k }"
      class="slot"
      @dragover.prevent="over = k"
      @drop.prevent="dropped(k)"
    >
      <div
        :draggable="!locked && !shared.mixed && dragged === k"
        @dragend="dragged = over = null"
        @pointerdown.capture="dragged = ($event.target as HTMLElement).closest('.grip') ? k : null"
      >
        <p v-if="shared.mixed && differs(k)" class="faint some">{{ differs(k) }}</p>
        <ConditionCard
          :condition="c"
          :index="k"
          :count="list.length"
          :wrong="
            d.fields.value.some(
              (f) => f.startsWith(`settings.conditions.${k}`) || f.startsWith(`conditions.${k}`),
            )
          "
          :disabled="locked"
          @change="set(k, $event)"
          @remove="takeOut(k)"
          @move="shared.mixed || move(k, $event)"
          @bands="takeBands"
        />
      </div>
    </div>
    <p v-if="!list.length" class="faint">No condition: it may stand anywhere.</p>
    <p v-if="trouble" class="oxblood" role="alert" data-test="condition-trouble">{{ trouble }}</p>
    <p v-if="message" class="faint" role="status" data-test="condition-message">{{ message }}</p>
    <div v-if="!locked" class="tools">
      <v-menu max-height="70vh">
        <template #activator="{ props: menu }"
          ><v-btn v-bind="menu" :prepend-icon="mdiPlus" data-test="add-condition">Condition</v-btn></template
        >
        <v-list>
          <v-list-item
            v-for="kind in ORDER"
            :key="kind"
            :title="KINDS[kind].label"
            :subtitle="KINDS[kind].says"
            :data-test="`add-${kind}`"
            @click="add(kind)"
          />
        </v-list>
      </v-menu>
      <CopyTo v-if="store.chosen.length === 1" :draft="d" only="conditions" />
      <SavedMenu
        label="Sets"
        tip="Sets of conditions that all levels can use"
        none="No sets saved yet. They can be used in every level of the team."
        :kept="sets"
        name-label="Name of a set"
        :why="shared.mixed ? 'they differ' : list.length ? '' : 'there is no condition'"
        :usable="!locked"
        :keep="saveSet"
        menu="condition-sets"
        test="set"
        @use="useSet"
        @remove="dropSet"
      />
    </div>
  </template>
</template>

<style scoped>
.slot.over {
  border-top: 2px solid var(--green);
}
.some {
  margin: 6px 0 -2px;
  font-size: 12.5px;
}
.oxblood {
  color: var(--oxblood);
}
.tools {
  display: flex;
  gap: 6px;
  margin: 4px 0 0;
}
</style>

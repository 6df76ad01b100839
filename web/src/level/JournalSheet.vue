<script setup lang="ts">
import { mdiRedo, mdiUndo } from '@mdi/js'
import { useTimeoutFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api, type Entry, type Topic, type View } from '../api/client'
import { signed, whole } from '../budget/budget'
import { useLevel } from './level'
import ActionButton from '../shared/ActionButton.vue'
import { rowsBefore, useServerPages } from '../shared/useServer'

/**
 * Every action in the level: who, when, what, plants and cost; any can be taken back that nothing later
 * depends on.
 */
const shown = defineModel<boolean>({ required: true })
const emit = defineEmits<{ go: [view: Partial<View>] }>()
const store = useLevel()
const who = ref<string | null>(null)
const stand = ref<number | null>(null)
const topic = ref<Topic | null>(null)
const since = ref<string | null>(null)
const busy = ref(0)
const PAGE = 100
const TOPICS: Record<Topic, string> = {
  painting: 'Painting',
  settings: 'Settings of stands',
  plants: 'Single plants',
  stands: 'Stands',
  shapes: 'Shapes',
  ground: 'Ground and masks',
  stock: 'Stock',
  snapshots: 'Snapshots',
  views: 'Kept views and walks',
  air: 'Atmosphere and wind',
  budget: 'Budget, tiers and plots',
  name: 'Name of the level, recipes',
}
const topics = Object.entries(TOPICS).map(([value, title]) => ({ value, title }))
const SINCE = [
  { value: 'hour', title: 'the last hour' },
  { value: 'day', title: 'the last day' },
  { value: 'week', title: 'the last week' },
]
const HOURS: Record<string, number> = { hour: 1, day: 24, week: 168 }
const people = ref<string[]>([])
const filters = computed(() => ({
  who: who.value ?? undefined,
  stand: stand.value ?? undefined,
  topic: topic.value ?? undefined,
}))
const from = () =>
  since.value ? new Date(Date.now() - HOURS[since.value]! * 3600_000).toISOString() : undefined
const {
  pages,
  read,
  more,
  trouble,
  onwards: older,
  again,
} = useServerPages<Entry[]>(
  () => ['journal', store.slug, store.version, filters.value, since.value],
  (before) => {
    const query = { ...filters.value, since: from(), before }
    return api.GET('/api/levels/{slug}/journal', { params: { path: { slug: store.slug }, query } })
  },
  { next: rowsBefore(PAGE), enabled: shown },
)
const entries = computed(() => pages.value.flat())
watch(entries, (list) => (people.value = [...new Set([...people.value, ...list.map((e) => e.who)])].sort()))
/** What an action adds to the dearest view is worked out after it was kept: it is read a little later. */
const JUDGED_MS = 4000
const { start: loadAgain } = useTimeoutFn(() => shown.value && void again(), JUDGED_MS, { immediate: false })
watch([shown, () => store.version], () => shown.value && loadAgain())
const filtered = () => !!(who.value || stand.value !== null || topic.value || since.value)
const time = (at: string) => {
  const d = new Date(at)
  const today = d.toDateString() === new Date().toDateString()
  return today
    ? d.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
    : d.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
}
function milliseconds(ms: number): string {
  const text = ms.toFixed(Math.abs(ms) < 0.1 ? 3 : 2)
  return signed(text, Number(text))
}
function go({ x, y, z, heading }: NonNullable<Entry['worst']>): void {
  shown.value = false
  emit('go', { x, y, z, heading, pitch: 0, fov: 55 })
}
async function flip(e: Entry) {
  busy.value = e.id
  store.trouble = ''
  await store.move(e.undone ? 'redo' : 'undo', e.id)
  busy.value = 0
}
</script>

<template>
  <v-dialog v-model="shown" max-width="860" aria-label="Journal" scrollable>
    <div class="sheet" data-test="journal">
      <div class="head">
        <h2>Journal</h2>
        <v-select
          v-model="who"
          :items="people"
          label="Person"
          clearable
          hide-details
          data-test="journal-who"
        />
        <v-select
          v-model="stand"
          :items="store.stands"
          item-title="name"
          item-value="id"
          label="Stand"
          clearable
          hide-details
          data-test="journal-stand"
        />
        <v-select
          v-model="topic"
          :items="topics"
          label="Kind"
          clearable
          hide-details
          data-test="journal-topic"
        />
        <v-select
          v-model="since"
          :items="SINCE"
          label="Time"
          clearable
          hide-details
          data-test="journal-since"
        />
      </div>
      <p v-if="trouble || store.trouble" class="over" role="alert" data-test="journal-trouble">
        {{ trouble || store.trouble }}
      </p>
      <p v-else-if="read && !entries.length" class="faint" data-test="journal-empty">
        {{ filtered() ? 'Nothing like that has been done.' : 'Nothing has been done in this level yet.' }}
      </p>
      <div class="scroll">
        <table v-if="entries.length">
          <thead>
            <tr class="faint">
              <th>when</th>
              <th>who</th>
              <th>what</th>
              <th class="n">plants</th>
              <th class="n">ms</th>
              <th class="n">undo</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="e in entries" :key="e.id" :class="{ undone: e.undone }" :data-test="`entry-${e.id}`">
              <td class="faint number">{{ time(e.at) }}</td>
              <td>{{ e.who }}</td>
              <td class="what">
                {{ e.what }}<span v-if="e.plot" class="faint"> in {{ e.plot }}</span>
              </td>
              <td class="n number">
                <span v-if="e.gained" class="gained">+{{ whole(e.gained) }}</span> &ensp;
                <span v-if="e.lost" class="over">−{{ whole(e.lost) }}</span>
              </td>
              <td class="n number">
                <ActionButton
                  v-if="e.worst"
                  class="ms number"
                  size="small"
                  variant="text"
                  tip="Go to the dearest view that it reaches"
                  :data-test="`worst-${e.id}`"
                  @click="go(e.worst)"
                  >{{ milliseconds(e.worst.ms) }}</ActionButton
                >
                <span v-else-if="e.cost.ms" class="faint">{{ milliseconds(e.cost.ms) }}</span>
              </td>
              <td class="n">
                <ActionButton
                  :icon="e.undone ? mdiRedo : mdiUndo"
                  size="x-small"
                  variant="text"
                  :tip="e.undone ? `Do again: ${e.what}` : `Take back: ${e.what}`"
                  :disabled="!store.mayPlant || busy !== 0"
                  :data-test="`flip-${e.id}`"
                  @click="flip(e)"
                />
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="entries.some((e) => e.worst)" class="faint note">
          Milliseconds that can be pressed are what an action adds to the dearest view it reaches, by the last
          survey; the others, to the view it was done from.
        </p>
        <p v-if="more" class="older">
          <v-btn size="small" variant="outlined" data-test="older" @click="older()">Older actions</v-btn>
        </p>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.sheet {
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  padding: 12px 24px 18px;
  font: 14px var(--sans);
  max-height: 78vh;
  display: flex;
  flex-direction: column;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 16px;
}
.scroll {
  overflow-y: auto;
  min-height: 0;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  font-size: 12.5px;
}
td,
th {
  padding: 2px 8px 2px 0;
  border-bottom: 1px dotted var(--line);
  vertical-align: baseline;
}
.n {
  text-align: right;
  white-space: nowrap;
}
.what {
  width: 100%;
}
.undone .what {
  text-decoration: line-through;
  color: var(--faint);
}
.gained {
  color: var(--green);
}
.ms {
  min-width: 0;
  padding: 0 4px;
  font-size: 14px;
  text-decoration: underline dotted;
  text-underline-offset: 3px;
}
.note {
  margin: 6px 0 0;
  font-size: 12.5px;
}
.older {
  text-align: center;
  margin: 10px 0 2px;
}
</style>

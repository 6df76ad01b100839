<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from 'vue'
import { ask, askBytes, type Compared, type Snapshot, type View } from '../api/client'
import { amount, signed, whole, type LineName } from '../budget'
import { places, type Draft } from '../composables/useDraft'
import { useLevel } from '../stores/level'

/** Saved states of the planting: taken under a name, compared with another or with now, and gone back to. */
const props = defineProps<{ draft: Draft; view: () => View | null }>()
const d = props.draft
const store = useLevel()
const list = shallowRef<Snapshot[]>([])
const name = ref('')
const open = ref(false)
const before = ref(0)
const after = ref(0)
const told = shallowRef<Compared | null>(null)
const trouble = ref('')
const base = computed(() => `/levels/${store.slug}/snapshots`)

async function guarded(work: () => Promise<void>) {
  trouble.value = ''
  try {
    await work()
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
const load = () => guarded(async () => void (list.value = await ask<Snapshot[]>('GET', base.value)))
onMounted(load)
const take = () =>
  guarded(async () => {
    await ask('POST', base.value, { name: name.value.trim() })
    name.value = ''
    await load()
  })
const compare = () =>
  guarded(async () => {
    const body = { before: before.value, after: after.value }
    told.value = await ask<Compared>('POST', `${base.value}/compare`, { ...body, view: props.view() })
    d.marks.value = places([await askBytes('POST', `${base.value}/difference`, body)])
  })
function close() {
  told.value = null
  d.marks.value = places([])
}
const remove = (id: number) => guarded(async () => {
  list.value = await ask<Snapshot[]>('DELETE', `${base.value}/${id}`)
  if (before.value === id || after.value === id) before.value = after.value = 0
})
const goBack = (s: Snapshot) => guarded(async () => {
  await store.arrange(`snapshots/${s.id}/go-back`, {})
  close()
})
const day = (at: string) => new Date(at).toLocaleString(undefined, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
const changed = computed(() => told.value?.stands.filter((s) => s.gained || s.lost) ?? [])
const costs = computed(() => (['ms', 'triangles', 'draw_calls'] as LineName[]).map((n) => ({ n, text: signed(amount(n, told.value?.cost[n] ?? 0), told.value?.cost[n] ?? 0), value: told.value?.cost[n] ?? 0 })))
</script>

<template>
  <section class="snapshots" data-test="snapshots">
    <h3><button class="plain title" :aria-expanded="open" data-test="snapshots-open" @click="open = !open">Snapshots of the planting {{ open ? '▾' : '▸' }}</button></h3>
    <template v-if="open">
      <p v-if="store.mayPlant" class="row">
        <input v-model="name" class="cell" maxlength="80" data-keys placeholder="a name for it as it is now" aria-label="Name of the snapshot" data-test="snapshot-name" @keydown.enter="name.trim() && take()" />
        <button class="plain" :disabled="!name.trim()" data-test="snapshot-take" @click="take">Take</button>
      </p>
      <ul>
        <li v-for="s in list" :key="s.id" :data-test="`snapshot-${s.name}`">
          <span><span class="name">{{ s.name }}</span> <span class="faint small">{{ s.by }}, {{ day(s.at) }}</span></span>
          <button v-if="store.mayPlant" class="plain" data-test="go-back" title="Make the planting what it was; undo brings this back" @click="goBack(s)">go back</button>
          <button v-if="store.mayPlant" class="plain" :aria-label="`Remove ${s.name}`" @click="remove(s.id)">×</button>
        </li>
      </ul>
      <p v-if="!list.length" class="faint small">A snapshot keeps every stand's settings, painting and single plants, to compare with and go back to.</p>
      <p v-else class="row">
        Compare
        <select v-model="before" class="cell" data-test="compare-before" aria-label="Compare this"><option :value="0">now</option><option v-for="s in list" :key="s.id" :value="s.id">{{ s.name }}</option></select>
        with
        <select v-model="after" class="cell" data-test="compare-after" aria-label="with that"><option :value="0">now</option><option v-for="s in list" :key="s.id" :value="s.id">{{ s.name }}</option></select>
        <button class="plain" :disabled="before === after" data-test="compare" @click="compare">show</button>
      </p>
      <table v-if="told" class="number" data-test="compared">
        <tbody>
          <tr v-for="s in changed" :key="s.stand"><td class="name">{{ s.name }}</td><td>{{ whole(s.before) }} → {{ whole(s.after) }}</td><td class="gained">+{{ whole(s.gained) }}</td><td class="over">−{{ whole(s.lost) }}</td></tr>
          <tr v-if="!changed.length"><td>The two have the same plants.</td></tr>
          <tr class="sum"><td>Cost of this view</td><td colspan="3"><span v-for="c in costs" :key="c.n" :class="c.value > 0 ? 'over' : 'faint'">{{ c.text }}{{ c.n === 'draw_calls' ? ' calls' : c.n === 'triangles' ? ' triangles' : '' }} &ensp;</span></td></tr>
        </tbody>
      </table>
      <p v-if="told" class="row"><span class="faint small">On the plan: ○ gained, × lost.</span> <button class="plain" @click="close">close</button></p>
      <p v-if="trouble" class="over" role="alert" data-test="snapshot-trouble">{{ trouble }}</p>
    </template>
  </section>
</template>

<style scoped>
.title {
  font: inherit;
  margin-left: -7px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 7px;
  align-items: baseline;
  margin: 3px 0;
}
.row input {
  flex: 1;
  text-align: left;
}
select.cell {
  text-align: left;
  max-width: 96px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: flex;
  align-items: baseline;
}
li > span {
  flex: 1;
}
.name {
  font-size: 15px;
}
.small {
  font-size: 12.5px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
td {
  padding: 1px 6px 1px 0;
}
td:nth-child(n + 2) {
  text-align: right;
}
.gained {
  color: var(--green);
}
.sum td {
  border-top: 1px solid var(--line);
  text-align: left;
}
</style>

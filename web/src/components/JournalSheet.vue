<script setup lang="ts">
import { ref, shallowRef, watch } from 'vue'
import { ask, type Entry } from '../api/client'
import { signed, whole } from '../budget'
import { useLevel } from '../stores/level'

/** Every action in the level: who, when, what, plants and cost; any can be taken back that nothing later depends on. */
const shown = defineModel<boolean>({ required: true })
const store = useLevel()
const entries = shallowRef<Entry[]>([])
const who = ref('')
const busy = ref(0)
const PAGE = 100
const more = ref(false)
/** Read the newest page, or the one before what is shown. */
async function load(older = false) {
  const last = older ? entries.value[entries.value.length - 1] : undefined
  const page = await ask<Entry[]>('GET', `/levels/${store.slug}/journal${last ? `?before=${last.id}` : ''}`)
  entries.value = last ? [...entries.value, ...page] : page
  more.value = page.length === PAGE
}
watch([shown, () => store.pulse?.pulse], () => shown.value && load().catch(store.tell))
const people = () => [...new Set(entries.value.map((e) => e.who))].sort()
const rows = () => entries.value.filter((e) => !who.value || e.who === who.value)
const time = (at: string) => {
  const d = new Date(at)
  const today = d.toDateString() === new Date().toDateString()
  return today ? d.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' }) : d.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
}
async function flip(e: Entry) {
  busy.value = e.id
  store.trouble = ''
  await store.move(e.undone ? 'redo' : 'undo', e.id)
  busy.value = 0
  await load().catch(store.tell)
}
</script>

<template>
  <v-dialog v-model="shown" max-width="860" scrollable>
    <div class="sheet" data-test="journal">
      <header>
        <h2>Journal</h2>
        <label class="faint">of <select v-model="who" class="cell" data-test="journal-who"><option value="">everybody</option><option v-for="p in people()" :key="p">{{ p }}</option></select></label>
      </header>
      <p v-if="store.trouble" class="over" role="alert" data-test="journal-trouble">{{ store.trouble }}</p>
      <p v-if="!entries.length" class="faint">Nothing has been done in this level yet.</p>
      <div class="scroll">
        <table v-if="entries.length">
          <thead>
            <tr class="faint"><th>when</th><th>who</th><th>what</th><th class="n">plants</th><th class="n">ms</th><th /></tr>
          </thead>
          <tbody>
            <tr v-for="e in rows()" :key="e.id" :class="{ undone: e.undone }" :data-test="`entry-${e.id}`">
              <td class="faint number">{{ time(e.at) }}</td>
              <td>{{ e.who }}</td>
              <td class="what">{{ e.what }}</td>
              <td class="n number"><span v-if="e.gained" class="gained">+{{ whole(e.gained) }}</span> <span v-if="e.lost" class="over">−{{ whole(e.lost) }}</span></td>
              <td class="n number faint">{{ e.cost.ms ? signed(Math.abs(e.cost.ms).toFixed(2), e.cost.ms) : '' }}</td>
              <td class="n"><button class="plain" :disabled="!store.mayPlant || busy !== 0" :data-test="`flip-${e.id}`" @click="flip(e)">{{ e.undone ? 'do again' : 'take back' }}</button></td>
            </tr>
          </tbody>
        </table>
        <p v-if="more" class="older"><v-btn size="small" variant="outlined" data-test="older" @click="load(true).catch(store.tell)">Older actions</v-btn></p>
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
header {
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
.older {
  text-align: center;
  margin: 10px 0 2px;
}
</style>

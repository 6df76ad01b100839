<script setup lang="ts">
import { mdiCompare, mdiDeleteOutline, mdiDownload, mdiFileMultipleOutline } from '@mdi/js'
import { computed, ref } from 'vue'
import { answer, api, type Handover, type HandoverChanges } from '../api/client'
import { many, whole } from '../budget/budget'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { comparable, size } from './recipes'
import { dayAndTime } from '../shared/time'

/** One handover that is kept: downloaded, looked into, and compared with an earlier one. */
const props = defineProps<{ handover: Handover; earlier: Handover[] }>()
const emit = defineEmits<{ remove: [] }>()
const store = useLevel()
const path = () => ({ slug: store.slug, handover: props.handover.id })
const address = computed(() => `/api/levels/${store.slug}/handovers/${props.handover.id}`)

const says = computed(() => {
  const { plants, files, since } = props.handover
  const what = `${many(plants, 'plant', 'plants')}, ${many(files, 'file', 'files')}`
  return since ? `${what}; the zip holds what had changed` : what
})

const open = ref(false)
const manifest = useServer(
  () => ['handover files', props.handover.id],
  (signal) =>
    api.GET('/api/levels/{slug}/handovers/{handover}/manifest', { params: { path: path() }, signal }),
  { enabled: () => open.value, fixed: true },
)
const files = computed(() => Object.entries(manifest.data.value?.files ?? {}))

const others = computed(() => props.earlier.filter((h) => comparable(h.recipe, props.handover.recipe)))
const changes = ref<{ since: Handover; found: HandoverChanges } | null>(null)
const { trouble, attempt } = useAttempt()
const compare = (since: Handover) =>
  attempt(async () => {
    const params = { path: path(), query: { since: since.id } }
    const found = await answer(api.GET('/api/levels/{slug}/handovers/{handover}/changes', { params }))
    changes.value = { since, found }
  })
const rows = computed(() =>
  Object.entries(changes.value?.found.stands ?? {}).map(([slug, found]) => ({
    name: store.stands.find((s) => s.slug === slug)?.name ?? slug,
    ...found,
  })),
)
const cells = computed(() => Object.keys(changes.value?.found.cells ?? {}).length)
</script>

<template>
  <li :data-test="`handover-${handover.id}`">
    <div class="head">
      <span class="name">{{ handover.name }}</span>
      <span class="faint">{{ dayAndTime(handover.at) }}, {{ handover.who }}</span>
    </div>
    <p class="faint number">{{ says }}</p>
    <div class="row">
      <v-btn
        size="small"
        :prepend-icon="mdiDownload"
        :href="`${address}/zip`"
        :download="`${store.slug}.zip`"
        data-test="download-zip"
        >{{ size(handover.size) }}<v-tooltip activator="parent">Download all of it as a zip</v-tooltip></v-btn
      >
      <ActionButton
        size="small"
        :icon="mdiFileMultipleOutline"
        tip="Its files one by one"
        :on="open"
        data-test="handover-files"
        @click="open = !open"
      />
      <v-menu v-if="others.length">
        <template #activator="{ props: press }"
          ><ActionButton
            v-bind="press"
            size="small"
            :icon="mdiCompare"
            tip="Which plants are other than in an earlier one"
            data-test="handover-compare"
        /></template>
        <v-list>
          <v-list-item
            v-for="h in others"
            :key="h.id"
            :title="`Since ${dayAndTime(h.at)}`"
            :subtitle="h.name"
            data-test="compare-with"
            @click="compare(h)"
          />
        </v-list>
      </v-menu>
      <ActionButton
        v-if="store.mayPlant"
        size="small"
        variant="text"
        :icon="mdiDeleteOutline"
        tip="Remove this handover and its files"
        data-test="remove-handover"
        @click="emit('remove')"
      />
    </div>
    <p v-if="trouble || manifest.trouble.value" class="over" role="alert">
      {{ trouble || manifest.trouble.value }}
    </p>
    <div v-if="changes" data-test="handover-changes">
      <p v-if="!rows.length">No plant is other than on {{ dayAndTime(changes.since.at) }}.</p>
      <table v-else>
        <thead>
          <tr>
            <th scope="col">Since {{ dayAndTime(changes.since.at) }}</th>
            <th scope="col">added</th>
            <th scope="col">removed</th>
            <th scope="col">changed</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.name">
            <td>{{ r.name }}</td>
            <td class="number">{{ whole(r.added) }}</td>
            <td class="number">{{ whole(r.removed) }}</td>
            <td class="number">{{ whole(r.changed) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="cells" class="faint">In {{ many(cells, 'table', 'tables') }}.</p>
    </div>
    <ul v-if="open" class="files" data-test="file-list">
      <li v-for="[name, file] in files" :key="name">
        <a :href="`${address}/files/${encodeURIComponent(name)}`" :download="name">{{ name }}</a>
        <span class="faint number">{{ size(file.bytes) }}</span>
      </li>
      <li v-if="files.length">
        <a :href="`${address}/files/manifest.json`" download="manifest.json">manifest.json</a>
        <span class="faint">digests and counts of all of these</span>
      </li>
    </ul>
  </li>
</template>

<style scoped>
li {
  padding: 10px 0;
  border-top: 1px solid var(--line);
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 4px;
}
p {
  margin: 0;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 8px;
}
.name {
  font-family: var(--serif);
  font-size: 17px;
  min-width: 0;
  overflow-wrap: anywhere;
}
.row {
  display: flex;
  gap: 6px;
  align-items: center;
}
.files {
  list-style: none;
  padding: 0;
}
.files li {
  border: 0;
  padding: 2px 0;
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.files a {
  color: inherit;
  overflow-wrap: anywhere;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  font-weight: 500;
  text-align: right;
}
th:first-child {
  text-align: left;
}
td.number {
  text-align: right;
}
</style>

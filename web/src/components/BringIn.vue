<script setup lang="ts">
import { ref } from 'vue'
import { whole } from '../budget'
import { useBringIn } from '../composables/useBringIn'
import { GROUPS } from '../stores/shelf'
import ItemPicture from './ItemPicture.vue'

/** Bring one's own meshes to the shelf: nothing is kept before it has been looked at. */
const emit = defineEmits<{ kept: [slugs: string[]]; close: [] }>()
const { batch, choices, said, sent, sending, busy, trouble, wanted, send, again, keep, drop } = useBringIn()
const files = ref<File[] | File>([])
const UNITS = [
  { value: null, title: 'guessed from the size' },
  { value: 'm', title: 'metres' },
  { value: 'cm', title: 'centimetres' },
  { value: 'mm', title: 'millimetres' },
  { value: 'in', title: 'inches' },
  { value: 'ft', title: 'feet' },
]
const UPS = [
  { value: 'y', title: 'y is up' },
  { value: 'z', title: 'z is up' },
]
const LODS = [0, 1, 2, 3, 4].map((n) => ({ value: n, title: n ? `${n} made here` : 'none' }))
const chosen = (next: File[] | File) => {
  const list = Array.isArray(next) ? next : [next]
  if (list.length) void send(list)
}
async function put() {
  const slugs = await keep()
  if (slugs) emit('kept', slugs)
}
function leave() {
  drop()
  emit('close')
}
const metres = (m: number) => (m < 1 ? `${Math.round(m * 100)} cm` : `${m.toFixed(2)} m`)
const far = (d: { lods?: number[]; billboard?: number | null }) => [...(d.lods ?? []), ...(d.billboard == null ? [] : [d.billboard])].map((n) => `${Math.round(n)} m`).join(', ')
</script>

<template>
  <v-card class="bring" data-test="bring-in">
    <h2>Bring in meshes</h2>
    <p class="faint">glTF (.glb, or .gltf with what belongs to it), OBJ with its materials and images, or a zip of these; several things at once if you like.</p>
    <v-file-input v-model="files" multiple label="Files" accept=".glb,.gltf,.bin,.obj,.mtl,.png,.jpg,.jpeg,.webp,.zip" hide-details data-test="bring-files" @update:model-value="chosen" />
    <div class="said">
      <v-select v-model="said.unit" :items="UNITS" label="Unit" hide-details data-test="bring-unit" @update:model-value="again" />
      <v-select v-model="said.up" :items="UPS" label="Upright axis" hide-details @update:model-value="again" />
      <v-select v-model="said.lods" :items="LODS" label="LODs where there are none" hide-details @update:model-value="again" />
      <v-checkbox v-model="said.billboard" label="Billboard" hide-details density="compact" @update:model-value="again" />
    </div>
    <p v-if="trouble" class="over" role="alert" data-test="bring-trouble">{{ trouble }}</p>
    <template v-if="busy">
      <v-progress-linear :model-value="(sending ? sent : (batch?.share ?? 0)) * 100" color="primary" aria-label="Reading the files" />
      <p class="faint">{{ sending ? 'Sending the files' : batch?.step }} …</p>
    </template>
    <ul v-else>
      <li v-for="t in batch?.things ?? []" :key="t.id" :data-test="`thing-${t.name}`">
        <template v-if="t.refused">
          <b>{{ t.name }}</b>
          <p class="over" role="alert">{{ t.refused }}</p>
        </template>
        <template v-else-if="choices[t.id]">
          <ItemPicture :picture="t.picture" :name="t.name" :item-scale="t.scale" :scale="Math.min(130 / Math.max(t.height, 1.8), 90 / Math.max(t.crown, 0.4))" />
          <div>
            <div class="named">
              <v-checkbox v-model="choices[t.id].keep" :aria-label="`Keep ${t.name}`" hide-details density="compact" />
              <v-text-field v-model="choices[t.id].name" label="Name" hide-details :data-test="`thing-name-${t.name}`" />
              <v-select v-model="choices[t.id].group" :items="[...GROUPS]" label="Group" hide-details />
            </div>
            <p class="number">
              {{ metres(t.height) }} tall, crown {{ metres(t.crown) }}, trunk {{ metres(t.trunk) }}; {{ t.states.map((s) => whole(s.triangles)).join(' · ') }} triangles<template v-if="far(t.distances)">, from {{ far(t.distances) }}</template>
            </p>
            <p v-for="n in [...t.notes, ...t.findings]" :key="n" class="faint">{{ n }}</p>
            <v-text-field v-model="choices[t.id].note" label="Where it came from, its licence" hide-details />
          </div>
        </template>
      </li>
    </ul>
    <footer>
      <v-btn variant="text" data-test="bring-drop" @click="leave">Drop</v-btn>
      <v-btn color="primary" variant="flat" :disabled="busy || !wanted.length" data-test="bring-keep" @click="put">Put {{ wanted.length > 1 ? `${wanted.length} things` : 'it' }} on the shelf</v-btn>
    </footer>
  </v-card>
</template>

<style scoped>
.bring {
  padding: 18px 24px 16px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  max-height: 88vh;
  overflow-y: auto;
}
h2,
p {
  margin: 0;
}
.said {
  display: grid;
  grid-template-columns: 1.2fr 1fr 1.3fr auto;
  gap: 10px;
  align-items: center;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: grid;
  grid-template-columns: 210px 1fr;
  gap: 18px;
  padding: 12px 0;
  border-top: 1px solid var(--line);
  align-items: end;
}
li > div {
  display: grid;
  gap: 6px;
}
.named {
  display: grid;
  grid-template-columns: auto 1fr 190px;
  gap: 8px;
  align-items: center;
}
footer {
  display: flex;
  justify-content: end;
  gap: 10px;
  border-top: 1px solid var(--ink);
  padding-top: 10px;
}
@media (max-width: 760px) {
  .said,
  li {
    grid-template-columns: 1fr;
  }
}
</style>

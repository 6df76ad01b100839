<script setup lang="ts">
import { mdiDownload, mdiPlus, mdiSprout, mdiTrayMinus } from '@mdi/js'
import { computed } from 'vue'
import { whole } from '../budget'
import { useLevel } from '../stores/level'
import { useShelf } from '../stores/shelf'
import ItemPicture from './ItemPicture.vue'

/** What is known of the item that is looked at, and what can be done with it in this level. */
const props = defineProps<{ item: string }>()
const emit = defineEmits<{ take: [slug: string]; leave: [slug: string]; stand: [slug: string] }>()
const shelf = useShelf()
const store = useLevel()
const shown = computed(() => shelf.items.find((i) => i.slug === props.item))
const used = computed(() => store.level?.stock.some((i) => i.slug === props.item) ?? false)
const stands = computed(() => store.stands.filter((s) => s.items.includes(props.item)))
const scale = computed(() => (shown.value ? Math.min(250 / Math.max(shown.value.height, 1.8), 130 / Math.max(shown.value.crown, 0.4)) : 1))
const metres = (m: number) => (m < 1 ? `${Math.round(m * 100)} cm` : `${m.toFixed(2)} m`)
const bytes = (n: number) => (n < 1e6 ? `${Math.round(n / 1024)} KB` : `${(n / 1048576).toFixed(1)} MB`)
/** From which distance each state is drawn to differ by two pixels at the most. */
const from = (k: number, name: string) => (name === 'billboard' ? shown.value?.distances.billboard : k === 0 ? 0 : (shown.value?.distances.lods as number[] | undefined)?.[k - 1])
</script>

<template>
  <div class="bench" data-test="stock-bench">
    <h2>Stock</h2>
    <p class="faint">{{ store.level?.stock.length ? `This level uses ${store.level.stock.length} items of the shelf.` : 'This level uses nothing of the shelf yet. Take what you want to plant.' }}</p>
    <template v-if="shown">
      <h3>{{ shown.name }}</h3>
      <div class="picture"><ItemPicture :key="shown.slug" :picture="shown.picture" :name="shown.name" :item-scale="shown.scale" :scale="scale" /></div>
      <div class="do">
        <v-btn v-if="!used" color="primary" variant="flat" :prepend-icon="mdiPlus" :disabled="!store.mayPlant" data-test="take" @click="emit('take', shown.slug)">Take into this level</v-btn>
        <v-btn v-else color="primary" variant="flat" :prepend-icon="mdiSprout" :disabled="!store.mayPlant" data-test="begin-stand" @click="emit('stand', shown.slug)">Begin a stand with it</v-btn>
        <v-btn v-if="used && !stands.length" :prepend-icon="mdiTrayMinus" :disabled="!store.mayPlant" data-test="leave" @click="emit('leave', shown.slug)">Leave out</v-btn>
      </div>
      <p v-if="stands.length">Planted in {{ stands.map((s) => s.name).join(', ') }}.</p>
      <dl>
        <dt>Group</dt>
        <dd>{{ shown.group }}<span v-if="shown.tags.length" class="faint">, {{ shown.tags.join(', ') }}</span></dd>
        <dt>Height</dt>
        <dd>{{ metres(shown.height) }}</dd>
        <dt>Crown radius</dt>
        <dd>{{ metres(shown.crown) }}</dd>
        <dt>Trunk radius</dt>
        <dd>{{ metres(shown.trunk) }}</dd>
        <dt>Textures</dt>
        <dd>{{ bytes(shown.texture_bytes) }}</dd>
      </dl>
      <v-table density="compact">
        <thead>
          <tr><th scope="col">State</th><th scope="col" class="n">Triangles</th><th scope="col" class="n">Calls</th><th scope="col" class="n">From</th></tr>
        </thead>
        <tbody>
          <tr v-for="(s, k) in shown.states" :key="s.name">
            <td>{{ s.name === 'billboard' ? 'Billboard' : k === 0 ? 'Full mesh' : `LOD ${k}` }}</td>
            <td class="n">{{ whole(s.triangles) }}</td>
            <td class="n">{{ s.materials }}</td>
            <td class="n">{{ from(k, s.name) === null || from(k, s.name) === undefined ? '' : `${Math.round(Number(from(k, s.name)))} m` }}</td>
          </tr>
        </tbody>
      </v-table>
      <p class="faint">“From” is the nearest distance at which a state differs from the full mesh by at most two pixels of outline at 1,080 lines.</p>
      <ul v-if="shown.findings.length" class="findings"><li v-for="f in shown.findings" :key="f">{{ f }}</li></ul>
      <p class="faint">{{ shown.note }}</p>
      <v-btn size="small" :prepend-icon="mdiDownload" :href="shown.glb" :download="`${shown.slug}.glb`">Its file</v-btn>
    </template>
    <p v-else class="faint">Choose an item on the shelf to see what is known of it.</p>
  </div>
</template>

<style scoped>
.picture {
  display: grid;
  align-items: end;
  min-height: 120px;
  margin: 6px 0 10px;
}
.do {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 8px;
}
dl {
  display: grid;
  grid-template-columns: 120px 1fr;
  margin: 8px 0;
}
dt {
  color: var(--faint);
}
dd {
  margin: 0;
}
.n {
  text-align: right;
}
.findings {
  padding-left: 18px;
  color: var(--ochre);
}
</style>

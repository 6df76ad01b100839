<script setup lang="ts">
import { mdiDeleteOutline } from '@mdi/js'
import { computed, onMounted, ref } from 'vue'
import { ask, upload, type Tip } from '../api/client'
import { useBrush } from '../stores/brush'
import { useLevel } from '../stores/level'
import PairField from './PairField.vue'

/** What the brush works on, its tip, and where alone it works. */
const emit = defineEmits<{ fill: [what: 'area' | 'level'] }>()
const store = useLevel()
const brush = useBrush()
const open = ref(false)
const trouble = ref('')
const file = ref<HTMLInputElement>()
onMounted(() => void brush.loadTips().catch(store.tell))

const limits = computed(() => brush.limits!)
const areas = computed(() => store.shapes.filter((s) => s.kind === 'area'))
const strata = computed(() => [...new Set(store.chosen.map((s) => s.stratum))].join(', '))
const change = (part: Partial<NonNullable<typeof brush.limits>>) => (brush.limits = { ...limits.value, ...part })
const heights = computed<[number, number]>(() => [Math.floor(store.level!.low), Math.ceil(store.level!.high)])
async function add() {
  const picked = file.value?.files?.[0]
  if (!picked) return
  trouble.value = ''
  const form = new FormData()
  form.append('file', picked)
  try {
    const tip = await upload<Tip>('/tips', form)
    await brush.loadTips()
    brush.tip = tip.key
  } catch (error) {
    trouble.value = (error as Error).message
  }
  if (file.value) file.value.value = ''
}
/** The tip in hand, when it is one's own. */
const mine = computed(() => brush.tips.find((t) => t.key === brush.tip && t.own))
async function remove() {
  trouble.value = ''
  try {
    await ask('DELETE', `/tips/${mine.value!.key.replace(/\D/g, '')}`)
    brush.tip = ''
    await brush.loadTips()
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
function fill(what: 'area' | 'level') {
  open.value = false
  emit('fill', what)
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <button v-bind="menu" class="plain" :class="{ on: brush.limited || brush.tip || brush.scope !== 'selected' }" data-test="brush-more">{{ brush.limited ? 'limited ▾' : 'more ▾' }}</button>
    </template>
    <div class="more" data-test="brush-sheet">
      <h3>On</h3>
      <p class="row">
        <label><input v-model="brush.scope" type="radio" value="selected" /> the selected stands</label>
        <label v-if="brush.paints"><input v-model="brush.scope" type="radio" value="stratum" data-test="scope-stratum" /> all of {{ strata }}</label>
        <label v-else><input v-model="brush.scope" type="radio" value="all" data-test="scope-all" /> every stand</label>
      </p>
      <template v-if="brush.paints">
        <h3>Tip</h3>
        <p class="tips">
          <button class="tip" :aria-pressed="brush.tip === ''" title="Round" data-test="tip-round" @click="brush.tip = ''"><i class="round" /></button>
          <button v-for="t in brush.tips" :key="t.key" class="tip" :aria-pressed="brush.tip === t.key" :title="t.name" :data-test="`tip-${t.key}`" @click="brush.tip = t.key"><img :src="t.picture" :alt="t.name" /></button>
          <v-btn v-if="mine" size="x-small" :prepend-icon="mdiDeleteOutline" data-test="tip-remove" @click="remove">Remove {{ mine.name }}</v-btn>
          <button class="plain" @click="file?.click()">add a picture …</button>
          <input ref="file" hidden type="file" accept="image/*" data-test="tip-file" @change="add" />
        </p>
        <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
        <p v-if="brush.tip" class="row">
          <label><input v-model="brush.turn" type="radio" value="along" /> turns with the stroke</label>
          <label><input v-model="brush.turn" type="radio" value="random" /> at random</label>
          <label><input v-model="brush.turn" type="radio" value="still" /> stays</label>
        </p>
        <h3>Works only</h3>
        <p class="row">
          <label>on <select class="cell" :value="limits.layer" data-test="limit-layer" @change="change({ layer: ($event.target as HTMLSelectElement).value })"><option value="">any ground</option><option v-for="l in store.level!.layers" :key="l.name">{{ l.name }}</option></select></label>
          <label>in <select class="cell" :value="limits.area ?? ''" data-test="limit-area" @change="change({ area: Number(($event.target as HTMLSelectElement).value) || null })"><option value="">any place</option><option v-for="a in areas" :key="a.id" :value="a.id">{{ a.name }}</option></select></label>
        </p>
        <p class="row"><label><input type="checkbox" :checked="!!limits.slope" data-test="limit-slope" @change="change({ slope: limits.slope ? null : [0, 20] })" /> on slopes</label></p>
        <PairField v-if="limits.slope" label="Slope" unit="°" :value="limits.slope" :min="0" :max="90" test="limit-slope-band" @change="change({ slope: $event as [number, number] })" />
        <p class="row"><label><input type="checkbox" :checked="!!limits.altitude" data-test="limit-altitude" @change="change({ altitude: limits.altitude ? null : heights })" /> at altitudes</label></p>
        <PairField v-if="limits.altitude" label="Altitude" unit="m" :value="limits.altitude" test="limit-altitude-band" @change="change({ altitude: $event as [number, number] })" />
        <p class="row"><label><input type="checkbox" :checked="limits.present" data-test="limit-present" @change="change({ present: !limits.present })" /> where the stand already is</label></p>
        <h3>At once</h3>
        <p class="row">
          <button class="plain" :disabled="limits.area === null" title="Choose an area above first" data-test="fill-area" @click="fill('area')">all of the area</button>
          <button class="plain" data-test="fill-level" @click="fill('level')">the whole level</button>
        </p>
      </template>
    </div>
  </v-menu>
</template>

<style scoped>
.more {
  width: 330px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  padding: 2px 14px 12px;
  font: 13px var(--sans);
}
.more h3 {
  margin: 9px 0 4px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 3px 12px;
  margin: 3px 0;
}
.row button {
  margin-left: -7px;
}
.tips {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  align-items: center;
  margin: 3px 0;
}
.tip {
  width: 34px;
  height: 34px;
  padding: 2px;
  border: 1px solid var(--line);
  background: #23211d;
}
.tip[aria-pressed='true'] {
  outline: 2px solid var(--green);
}
.tip img,
.tip .round {
  display: block;
  width: 28px;
  height: 28px;
}
.tip .round {
  border-radius: 50%;
  background: radial-gradient(#fff 40%, #fff0 70%);
}
.on {
  color: var(--ochre);
}
</style>

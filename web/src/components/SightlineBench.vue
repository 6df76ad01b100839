<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { Stand } from '../api/client'
import { amount, signed } from '../budget'
import type { Draft } from '../composables/useDraft'
import { useLevel } from '../stores/level'
import DraftFooter from './DraftFooter.vue'
import NumberField from './NumberField.vue'
import SightlineChart from './SightlineChart.vue'

const props = defineProps<{ draft: Draft }>()
const store = useLevel()
const emit = defineEmits<{ wide: [] }>()
const d = props.draft
/** Whether the chart lies wide under the stage, in place of the plan, and not in the panel. */
const wide = useLocalStorage('kt-chart-wide', false)
watch(wide, (now) => now && emit('wide'))
const locked = computed(() => !store.mayPlant)
const fog = ref(store.level?.fog ?? 0.001)
const one = computed(() => (store.chosen.length === 1 ? store.chosen[0] : null))
const now = computed(() => (one.value ? d.settingsOf(one.value).distances : null))
const wrong = computed(() => d.trouble.value !== '')

/** LOD meshes and billboard of a stand's items: the most of its mix. */
const chain = (s: Stand) => {
  const items = s.settings.mix.map((m) => store.level!.stock.find((i) => i.slug === m.item)!)
  return { lods: Math.max(...items.map((i) => i.lods.length)), billboard: items.some((i) => i.billboard) }
}
function setStep(k: number, value: number) {
  const c = one.value ? chain(one.value) : null
  const steps = now.value!.steps.map((s, i) => (i === k ? value : s))
  d.change({ distances: c?.billboard ? { steps } : { steps, billboard: Math.max(...steps, 0) } })
}
const pixels = ref(2)
type Errors = { errors?: number[]; billboard_error?: number | null }
/** The silhouette errors in m of the items of the stand that is selected. */
const errors = computed(() =>
  (one.value?.settings.mix ?? []).map(
    (m) => (store.level!.stock.find((i) => i.slug === m.item)?.distances ?? {}) as Errors,
  ),
)
const measured = computed(() => errors.value.some((e) => e.errors?.length || e.billboard_error))
/** Where an error in m takes so many pixels of 1,080 lines over 55°. */
const nearest = (error: number) =>
  Math.round((error * 1080 * 10) / (2 * Math.tan((27.5 * Math.PI) / 180) * pixels.value)) / 10
function toPixels() {
  const most = (k: number) => Math.max(0, ...errors.value.map((e) => e.errors?.[k] ?? 0))
  let last = 0
  const steps = now.value!.steps.map((s, k) => (last = Math.max(last, most(k) ? nearest(most(k)) : s)))
  const flat = Math.max(0, ...errors.value.map((e) => e.billboard_error ?? 0))
  const billboard = Math.max(last, flat ? nearest(flat) : now.value!.billboard)
  d.change({ distances: { steps, billboard, gone: Math.max(now.value!.gone, billboard) } })
}
function edge(stand: Stand, part: Partial<Stand['settings']['distances']>) {
  if (!store.selected.includes(stand.id) || store.selected.length > 1) store.selected = [stand.id]
  requestAnimationFrame(() => d.change({ distances: part }))
}
const ms = computed(() => d.tried.value?.cost.ms ?? 0)
const triangles = computed(() => d.tried.value?.cost.triangles ?? 0)
</script>

<template>
  <div class="bench" data-test="sightline-bench">
    <h2>Sightline</h2>
    <p class="faint">
      How far each stand is drawn, and as what. Drag an edge; the cost of this view follows.
    </p>
    <v-switch v-model="wide" label="Lay the chart out under the stage" data-test="chart-wide" />
    <Teleport defer to="#under-stage" :disabled="!wide">
      <SightlineChart
        :stands="store.stands"
        :settings="d.settingsOf"
        :chain="chain"
        :fog="fog"
        :selected="store.selected"
        :locked="locked"
        @edge="edge"
      />
    </Teleport>

    <template v-if="one && now">
      <h3>{{ one.name }}</h3>
      <NumberField
        v-for="(s, k) in now.steps"
        :key="k"
        :label="`Mesh ${k + 1} gives way to ${k + 2}`"
        unit="m"
        :value="s"
        :min="0"
        :digits="1"
        :wrong="wrong"
        :disabled="locked"
        :test="`step-${k}`"
        @change="setStep(k, $event)"
      />
      <p class="to-pixels">
        <NumberField
          bare
          label="Pixels"
          unit="px"
          :value="pixels"
          :min="0.5"
          :max="50"
          :step="0.5"
          :digits="1"
          :disabled="locked"
          test="pixels"
          @change="pixels = Math.min(Math.max($event, 0.5), 50)"
        />
        <v-btn size="small" :disabled="locked || !measured" data-test="to-pixels" @click="toPixels">
          Set edges to {{ pixels }} pixels
          <v-tooltip activator="parent"
            >Each coarser state begins where its outline differs from the full mesh's by at most so many
            pixels at 1,080 lines</v-tooltip
          >
        </v-btn>
      </p>
      <NumberField
        v-if="chain(one).billboard"
        label="Billboard from"
        unit="m"
        :value="now.billboard"
        :min="0"
        :digits="1"
        :wrong="wrong"
        :disabled="locked"
        test="billboard"
        @change="d.change({ distances: { billboard: $event } })"
      />
      <NumberField
        label="Gone beyond"
        unit="m"
        :value="now.gone"
        :min="1"
        :step="5"
        :digits="1"
        :wrong="wrong"
        :disabled="locked"
        test="gone"
        @change="d.change({ distances: { gone: $event } })"
      />
      <NumberField
        label="Fade width"
        unit="m"
        :value="now.fade"
        :min="0"
        :digits="1"
        :wrong="wrong"
        :disabled="locked"
        test="fade"
        @change="d.change({ distances: { fade: $event } })"
      />
      <NumberField
        label="Shadow reach"
        unit="m"
        :value="now.shadow"
        :min="0"
        :step="5"
        :digits="1"
        :wrong="wrong"
        :disabled="locked"
        test="shadow"
        @change="d.change({ distances: { shadow: $event } })"
      />
    </template>
    <p v-else class="faint">Select one stand to set its distances by number.</p>

    <DraftFooter :draft="d" :locked="locked">
      <p v-if="!d.trouble.value" class="number" data-test="cost-difference">
        In this view <span :class="ms > 0 ? 'over' : ''">{{ signed(amount('ms', ms), ms) }}</span>,
        {{ signed(amount('triangles', triangles), triangles) }} triangles
      </p>
    </DraftFooter>
  </div>
</template>

<style scoped>
.to-pixels {
  display: grid;
  grid-template-columns: 90px auto;
  gap: 8px;
  align-items: center;
  margin: 4px 0;
}
</style>

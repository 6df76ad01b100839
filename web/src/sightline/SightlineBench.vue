<script setup lang="ts">
import { DistanceSettingsBounds as EDGES } from '../api/bounds'
import type { Bounds } from '../shared/bounds'
import { mdiCrosshairsQuestion } from '@mdi/js'
import { useLocalStorage } from '@vueuse/core'
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import { answer, api, type Distances, type Stand } from '../api/client'
import { amount, signed } from '../budget/budget'
import type { Draft } from '../planting/useDraft'
import {
  at,
  copied,
  errorsOf,
  measured,
  moved,
  neverDrawn,
  rounded,
  toPixels,
  type Chain,
  type DistancesPart,
  type Edge,
} from './distances'
import { drawnDistances } from '../stage/drawing'
import { clearDistance, left, thicker } from '../stage/fog'
import type { Stage } from '../stage/stage'
import { useAtmosphere } from './atmosphere'
import { useDrawing } from './drawing'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import AtmospherePanel from './AtmospherePanel.vue'
import DraftFooter from '../planting/DraftFooter.vue'
import DrawingPanel from './DrawingPanel.vue'
import FoldingPart from '../shared/FoldingPart.vue'
import NumberField from '../shared/NumberField.vue'
import SightlineChart from './SightlineChart.vue'
import WalkPanel from './WalkPanel.vue'

const props = defineProps<{ draft: Draft; stage: Stage | null }>()
const store = useLevel()
const air = useAtmosphere()
const drawing = useDrawing()
/** A stand's distances as they are drawn through the tier. */
const seenThrough = (s: Stand) => drawnDistances(s, drawing.now, d.settingsOf(s).distances)
const emit = defineEmits<{ wide: [] }>()
const d = props.draft
/** Whether the chart lies wide under the stage, in place of the plan, and not in the panel. */
const wide = useLocalStorage('kt-chart-wide', false)
watch(wide, (now) => now && emit('wide'))
const locked = computed(() => !store.mayPlant)
/** How much of a thing is left in the fog at a distance, both as high as the eye. */
function seen(metres: number): number {
  if (!air.now) return 1
  const y = props.stage?.eye.view.y ?? 0
  return left(thicker(air.now.fog, drawing.now.fog), metres, y, y)
}
/** Beyond which distance nothing is drawn, where what the fog hides is left out. */
const clear = computed(() => {
  const fog = air.now?.fog
  if (!fog?.hides || !props.stage) return Infinity
  return clearDistance(thicker(fog, drawing.now.fog), props.stage.eye.view.y, props.stage.ground.high)
})
/** LOD meshes and billboard of a stand's items: the most of its mix. */
const chain = (s: Stand): Chain => {
  const items = s.settings.mix.map((m) => store.level!.stock.find((i) => i.slug === m.item)!)
  return { lods: Math.max(...items.map((i) => i.lods.length)), billboard: items.some((i) => i.billboard) }
}
const wrong = computed(() => d.trouble.value !== '')
const title = computed(() => {
  const [first, ...rest] = store.chosen
  return rest.length ? `${rest.length + 1} stands` : first?.name
})

/** Change the distances of every selected stand, each by its own. */
function every(part: (distances: Distances, stand: Stand) => DistancesPart) {
  d.change({ each: Object.fromEntries(store.chosen.map((s) => [s.id, part(d.settingsOf(s).distances, s)])) })
}
/** What the selected stands have of an edge, and whether they differ. */
function shared(edge: Edge) {
  const all = store.chosen.map((s) => at(d.settingsOf(s).distances, chain(s), edge))
  const values = all.filter((v) => v !== null)
  return { value: values[0], mixed: values.some((v) => v !== values[0]), any: values.length > 0 }
}
const rows = computed(() => {
  const most = Math.max(0, ...store.chosen.map((s) => chain(s).lods - 1))
  const fields: { edge: Edge; label: string; test: string; bounds: Bounds }[] = [
    ...Array.from({ length: most }, (_, index) => ({
      edge: { part: 'step', index } as Edge,
      label: `Mesh ${index + 1} gives way to ${index + 2}`,
      bounds: EDGES.steps,
      test: `step-${index}`,
    })),
    {
      edge: { part: 'billboard' },
      label: 'Billboard from',
      bounds: EDGES.billboard,
      test: 'billboard',
    },
    { edge: { part: 'gone' }, label: 'Gone beyond', bounds: EDGES.gone, test: 'gone' },
    { edge: { part: 'fade' }, label: 'Fade width', bounds: EDGES.fade, test: 'fade' },
    { edge: { part: 'shadow' }, label: 'Shadow reach', bounds: EDGES.shadow, test: 'shadow' },
  ]
  return fields.map((row) => ({ ...row, ...shared(row.edge) })).filter((row) => row.any)
})
/** Meshes of the selected stands that no distance is left for. */
const idle = computed(() =>
  store.chosen.flatMap((s) => {
    const meshes = neverDrawn(d.settingsOf(s).distances, chain(s))
    return meshes.length
      ? [`${s.name}: mesh ${meshes.join(' and ')} is never drawn, for the next begins where it does.`]
      : []
  }),
)
/** A typed number is set as it is; what it does not fit to is shown, not bent. */
function set(edge: Edge, metres: number) {
  every((now, s) => {
    if (at(now, chain(s), edge) === null) return {}
    if (edge.part === 'shadow') return moved(now, chain(s), edge, metres)
    if (edge.part !== 'step') return { [edge.part]: metres }
    const steps = now.steps.map((step, k) => (k === edge.index ? metres : step))
    return chain(s).billboard ? { steps } : { steps, billboard: Math.max(...steps, 0) }
  })
}

const pixels = ref(2)
const known = computed(() => store.chosen.some((s) => measured(errorsOf(s, store.level!.stock))))
const pixelate = () => every((now, s) => toPixels(now, errorsOf(s, store.level!.stock), pixels.value))
const copyFrom = (from: Stand) =>
  every((now, s) => (s.id === from.id ? {} : copied(d.settingsOf(from).distances, now)))

/** What the stands had when an edge was taken hold of. */
let before = new Map<number, Distances>()
function grab(stand: Stand) {
  if (!store.selected.includes(stand.id)) store.selected = [stand.id]
  before = new Map(store.chosen.map((s) => [s.id, { ...d.settingsOf(s).distances }]))
}
/** Move an edge of one lane; those of the other selected stands move by the same factor. */
function drag(stand: Stand, edge: Edge, seenAt: number) {
  // The chart shows distances through the tier; what is kept are the stand's own.
  const metres = edge.part === 'shadow' ? seenAt : rounded(seenAt / drawing.now.distances)
  const from = at(before.get(stand.id) ?? stand.settings.distances, chain(stand), edge)
  if (from === null) return
  // Once what was selected has taken up its draft.
  void nextTick(() =>
    every((_, s) => {
      const was = before.get(s.id) ?? s.settings.distances
      const own = at(was, chain(s), edge)
      if (own === null) return {}
      return moved(was, chain(s), edge, s.id === stand.id || !from ? metres : rounded((own * metres) / from))
    }),
  )
}

/** How many plants of each stand the view has at which distance. */
const crowd = shallowRef<Record<number, number[]>>({})
const reach = computed(() => Math.max(60, ...store.stands.map((s) => drawnDistances(s, drawing.now).gone)))
let round = 0
watch(
  [() => store.cost, () => store.stands],
  async () => {
    const [mine, stage] = [++round, props.stage]
    if (!stage) return
    try {
      const reply = await answer(
        api.POST('/api/levels/{slug}/crowd', {
          params: { path: { slug: store.slug } },
          body: { view: { ...stage.eye.view }, reach: reach.value },
        }),
      )
      if (mine === round) crowd.value = reply.stands
    } catch {
      if (mine === round) crowd.value = {}
    }
  },
  { immediate: true },
)
const ms = computed(() => d.tried.value?.cost.ms ?? 0)
const triangles = computed(() => d.tried.value?.cost.triangles ?? 0)
</script>

<template>
  <div class="bench" data-test="sightline-bench">
    <h2>Sightline</h2>
    <p class="faint">
      How far each stand is drawn, and as what. Drag an edge; the cost of this view follows.
    </p>
    <FoldingPart name="atmosphere" title="Atmosphere" closed>
      <AtmospherePanel :stage="stage" />
    </FoldingPart>
    <DrawingPanel :stage="stage" />
    <FoldingPart name="walks" title="Walks and pops" closed>
      <WalkPanel :stage="stage" :draft="draft" />
    </FoldingPart>
    <ActionButton
      :icon="mdiCrosshairsQuestion"
      tip="Point at a place: what of its drawing cell is drawn from here, as what, and why the rest is not"
      :on="d.asking.value"
      data-test="ask-drawn"
      @click="d.asking.value = !d.asking.value"
      >What is drawn there</ActionButton
    >
    <v-switch v-model="wide" label="Lay the chart out under the stage" data-test="chart-wide" />
    <Teleport defer to="#under-stage" :disabled="!wide">
      <SightlineChart
        :stands="store.stands"
        :distances="seenThrough"
        :chain="chain"
        :seen="seen"
        :clear="clear"
        :crowd="crowd"
        :reach="reach"
        :selected="store.selected"
        :locked="locked"
        @grab="grab"
        @edge="drag"
      />
    </Teleport>

    <template v-if="store.chosen.length">
      <h3>{{ title }}</h3>
      <p v-if="store.chosen.length > 1" class="faint">
        Dragged edges of all of them move by the same factor; a typed number is set for each.
      </p>
      <NumberField
        v-for="f in rows"
        :key="f.test"
        :label="f.label"
        :value="f.value"
        :mixed="f.mixed"
        :bounds="f.bounds"
        :digits="1"
        :wrong="wrong"
        :disabled="locked"
        :test="f.test"
        @change="set(f.edge, $event)"
      />
      <p v-for="line in idle" :key="line" class="faint" data-test="never-drawn">{{ line }}</p>
      <v-switch
        :model-value="store.chosen.every((s) => d.settingsOf(s).distances.by_size)"
        label="Farther for larger plants"
        hint="Distances are those of a plant of size 1; one twice as tall is drawn twice as far"
        :disabled="locked"
        data-test="by-size"
        @update:model-value="every(() => ({ by_size: !!$event }))"
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
        <v-btn size="small" :disabled="locked || !known" data-test="to-pixels" @click="pixelate">
          Set edges to {{ pixels }} pixels
          <v-tooltip activator="parent"
            >Each coarser state begins where its outline differs from the full mesh's by at most so many
            pixels at 1,080 lines</v-tooltip
          >
        </v-btn>
      </p>
      <v-menu v-if="store.chosen.length > 1">
        <template #activator="{ props: press }">
          <v-btn v-bind="press" size="small" :disabled="locked" data-test="copy-from"
            >All as one of them …</v-btn
          >
        </template>
        <v-list>
          <v-list-item
            v-for="s in store.chosen"
            :key="s.id"
            :title="`as ${s.name}`"
            :data-test="`copy-from-${s.slug}`"
            @click="copyFrom(s)"
          />
        </v-list>
      </v-menu>
    </template>
    <p v-else class="faint">Select one or more stands to set their distances by number.</p>

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

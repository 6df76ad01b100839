<script setup lang="ts">
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import BudgetBench from '../budget/BudgetBench.vue'
import CostStrip from './CostStrip.vue'
import FirstDay from './FirstDay.vue'
import DrawnCard from '../sightline/DrawnCard.vue'
import GroundBench from '../ground/GroundBench.vue'
import HandoverBench from '../handover/HandoverBench.vue'
import JournalSheet from './JournalSheet.vue'
import KeySheet from './KeySheet.vue'
import LevelHeader from './LevelHeader.vue'
import PlantingBench from '../planting/PlantingBench.vue'
import SelectionPanel from '../planting/SelectionPanel.vue'
import SightlineBench from '../sightline/SightlineBench.vue'
import SignInAgain from '../pages/SignInAgain.vue'
import ShelfSheet from '../stock/ShelfSheet.vue'
import SideEdge from './SideEdge.vue'
import StageHost from './StageHost.vue'
import StatusLine from '../shared/StatusLine.vue'
import StockBench from '../stock/StockBench.vue'
import StrataColumn from './StrataColumn.vue'
import TrialSheet from './TrialSheet.vue'
import WhyCard from '../planting/WhyCard.vue'
import { answer, api, type DrawnCell, type Why } from '../api/client'
import { connection } from '../api/connection'
import { useDraft } from '../planting/useDraft'
import { useHand } from '../planting/useHand'
import { useLevelKeys } from './useLevelKeys'
import { useMasks } from '../ground/masks'
import { useRelief } from '../ground/useRelief'
import { useSides } from './useSides'
import { useSurfaces } from '../ground/surfaces'
import type { Bench } from '../router'
import type { Drawn, Spot } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import { useStores } from '../shared/stores'
import { useSurvey } from '../budget/survey'
import { useTrial } from './trial'

const props = defineProps<{ slug: string; bench: Bench }>()
const stores = useStores()
const trial = useTrial()
const surfaces = useSurfaces()
const masks = useMasks()
const { level: store, shapes, tool, selection, walks } = stores
const router = useRouter()
const stage = shallowRef<Stage | null>(null)
const host = ref<InstanceType<typeof StageHost>>()
const drawn = shallowRef<Drawn | null>(null)
const keys = ref(false)
const guide = ref(false)
const GuideSheet = defineAsyncComponent(() => import('./GuideSheet.vue'))
const journal = ref(false)
const heightAt = (x: number, z: number) => stage.value?.ground.heightAt(x, z) ?? 0
const view = () => (stage.value ? { ...stage.value.eye.view } : null)
const draft = useDraft(view, stores)
/** Where what is tried would bring and take plants. */
const marks = computed(
  () =>
    trial.marks ??
    (props.bench === 'ground' ? (shapes.places ?? surfaces.places) : null) ??
    draft.marks.value,
)
const hand = useHand(stores)
const relief = useRelief(stores)
const survey = useSurvey()
/** The colours that the bench lays over the ground. */
const sheet = computed(() => {
  if (props.bench === 'ground') return masks.sheet ?? relief.sheet.value
  return props.bench === 'budget' ? survey.sheet : draft.touchSheet.value
})
const sides = useSides()
const at = shallowRef<[number, number] | null>(null)
const why = shallowRef<Why | null>(null)
const groundKey = computed(() => {
  const level = store.level
  return JSON.stringify([level?.slug, [level?.rows, level?.columns, level?.cell], level?.layers])
})

/** Open the level; while the server is away, again and again until it answers. */
async function open() {
  await store.open(props.slug).catch(store.report)
  if (store.level?.slug !== props.slug && connection.away) setTimeout(open, 2000)
}
onMounted(open)
/** After signing in again: send what waits, and read what others did meanwhile. */
const goOn = () =>
  store
    .sendWaiting()
    .then(() => store.refresh())
    .catch(store.report)
const here = () =>
  stage.value
    ? {
        x: stage.value.eye.view.x,
        z: stage.value.eye.view.z,
        heading: stage.value.eye.view.heading,
        bench: props.bench,
      }
    : null
let beating = false
useIntervalFn(() => {
  if (!store.level || beating || connection.signedOut) return
  beating = true
  store
    .beat(here())
    .catch(store.report)
    .finally(() => (beating = false))
}, 1000)
onBeforeUnmount(() => {
  void store.beat(here(), true).catch(() => undefined)
  stage.value = null
})

function ready(made: Stage) {
  stage.value = made
}
watch(
  () => props.bench,
  (b) => {
    tool.inHand = null
    selection.clear()
    draft.forget()
    if (b === 'planting' || b === 'sightline') draft.takeUp()
    if (b !== 'planting') draft.showOverlay.value = false
    why.value = null
    hand.drop()
    shapes.rest()
  },
)
watch(draft.asking, () => (why.value = cell.value = null))
watch(
  () => store.selected.join(),
  () => (why.value = null),
)
watch(
  () => store.version,
  () => asked.value && why.value && void readWhy(asked.value),
)
/** Do at a place what the tool in hand does there. */
async function useAt(spot: Spot) {
  const place: [number, number] = [spot.at[0], spot.at[2]]
  if (tool.point) {
    tool.pointed = stage.value!.facing(spot)
    return void (tool.point = null)
  }
  if (hand.tool.value) return void hand.press(spot)
  if (walks.draws) return walks.corner(...place)
  return props.bench === 'sightline' ? askDrawn(place) : readWhy(spot)
}
/** The place that was asked about. */
const asked = shallowRef<Spot | null>(null)
/** Read why a place carries a plant of the selected stand, under the settings that are tried. */
async function readWhy(spot: Spot) {
  asked.value = spot
  const [x, y, z] = spot.at
  const stand = store.chosen[0]
  if (!stand) return
  try {
    const reply = await answer(
      api.POST('/api/levels/{slug}/stands/{stand}/why', {
        params: { path: { slug: store.slug, stand: stand.id } },
        body: { x, z, on: spot.on && [spot.on[0], y], settings: draft.partOf(stand) },
      }),
    )
    if (draft.asking.value && store.chosen[0]?.id === stand.id) why.value = reply
  } catch (error) {
    store.report(error)
  }
}
/** What is drawn from here of the cell around a place. */
const cell = shallowRef<DrawnCell | null>(null)
async function askDrawn([x, z]: [number, number]) {
  try {
    cell.value = await answer(
      api.POST('/api/levels/{slug}/instances', {
        ...store.here(),
        body: { view: view()!, x, z, hidden: [...store.hidden] },
      }),
    )
  } catch (error) {
    store.report(error)
  }
}
/** The item of the shelf that is looked at. */
const item = ref('')
async function takeItem(slug: string) {
  item.value = slug
  const body = { key: crypto.randomUUID(), items: [slug] }
  await answer(api.POST('/api/levels/{slug}/stock/take', { ...store.here(), body }))
    .then((changed) => store.take(changed))
    .catch(store.report)
}
const leaveItem = (slug: string) =>
  answer(
    api.POST('/api/levels/{slug}/stock/leave', {
      ...store.here(),
      body: { key: crypto.randomUUID(), item: slug },
    }),
  )
    .then((changed) => store.take(changed))
    .catch(store.report)
/** Begin a stand with an item: the form of a new stand opens with it. */
function beginStand(slug: string) {
  store.beginWith = slug
  void router.push(`/levels/${props.slug}/planting`)
}
/** A draft of distances, and of fewer tufts, is seen on the stage at once; nothing of it is stored. */
watch(
  [() => draft.changes.value.distances, () => draft.changes.value.each, () => store.stands],
  ([shared, each, stands]) =>
    stage.value?.setStands(
      stands.map((s) =>
        (shared || each) && store.selected.includes(s.id)
          ? { ...s, settings: { ...s.settings, distances: draft.settingsOf(s).distances } }
          : s,
      ),
    ),
)
const thinned = computed(
  () =>
    new Map(
      store.chosen
        .filter((s) => s.sward)
        .map((s): [number, number] => [s.id, draft.settingsOf(s).fullness / s.settings.fullness])
        .filter(([, share]) => share < 1),
    ),
)
watch(thinned, (shares) => stage.value?.thin(shares))
useLevelKeys({ bench: () => props.bench, host, draft, hand, why, help: keys }, stores)

/**
 * After something was chosen from a list with the pointer, the keys go to the stage again and not to the
 * list.
 */
useEventListener(document, 'click', (event) => {
  if (!(event.target instanceof Element && event.detail && event.target.closest('.v-select__content'))) return
  setTimeout(
    () =>
      document.activeElement instanceof HTMLElement &&
      document.activeElement.closest('.v-select') &&
      document.activeElement.blur(),
  )
})
</script>

<template>
  <main v-if="store.level?.slug === slug" class="level" :style="{ gridTemplateColumns: sides.columns.value }">
    <LevelHeader
      :level="store.level"
      :bench="bench"
      @keys="keys = true"
      @journal="journal = true"
      @guide="guide = true"
    />
    <StrataColumn v-show="!sides.left.folded.value" :view="view" />
    <SideEdge
      v-model:width="sides.left.width.value"
      v-model:folded="sides.left.folded.value"
      side="left"
      label="Strata"
      :least="sides.left.least"
      :most="sides.left.most.value"
      class="second"
    />
    <div class="stage">
      <StageHost
        ref="host"
        :key="groundKey"
        @settled="drawn = $event"
        :overlay="draft.overlay.value"
        :sheet="sheet"
        :contours="draft.contours.value"
        :marks="marks"
        :paints="bench === 'planting'"
        :edits="bench === 'ground'"
        :asking="draft.asking.value || tool.point || hand.tool.value !== null || walks.draws !== null"
        :others="store.others"
        :spot="why ? [why.x, why.z] : hand.plant.value ? [hand.plant.value.x, hand.plant.value.z] : null"
        @ready="ready"
        @point="at = $event"
        @ask="useAt"
      />
      <div id="under-stage" class="under" />
      <ShelfSheet v-if="bench === 'stock'" v-model="item" @take="takeItem" />
      <DrawnCard v-if="cell" :cell="cell" @close="draft.asking.value = false" />
      <WhyCard
        v-if="why"
        :why="why"
        :name="store.chosen[0]?.name ?? ''"
        @close="draft.asking.value = false"
      />
    </div>
    <SideEdge
      v-model:width="sides.right.width.value"
      v-model:folded="sides.right.folded.value"
      side="right"
      label="Bench"
      :least="sides.right.least"
      :most="sides.right.most.value"
    />
    <aside v-show="!sides.right.folded.value" class="panel" aria-label="Bench">
      <FirstDay :bench="bench" />
      <SelectionPanel v-if="selection.plants.length" :view="view" @go="host?.goTo(...$event)" />
      <GroundBench v-if="bench === 'ground'" :relief="relief" :at="at" :height-at="heightAt" />
      <StockBench
        v-else-if="bench === 'stock'"
        :item="item"
        @take="takeItem"
        @leave="leaveItem"
        @stand="beginStand"
      />
      <PlantingBench
        v-else-if="bench === 'planting'"
        :draft="draft"
        :hand="hand"
        :view="view"
        @go="host?.goTo(...$event)"
      />
      <SightlineBench
        v-else-if="bench === 'sightline'"
        :draft="draft"
        :stage="stage"
        @wide="host && (host.shown = 'eye')"
      />
      <BudgetBench v-else-if="bench === 'budget'" :drawn="drawn" :stage="stage" :draft="draft" />
      <HandoverBench v-else />
    </aside>
    <CostStrip />
    <KeySheet v-model="keys" />
    <GuideSheet v-if="guide" v-model="guide" :bench="bench" @keys="((guide = false), (keys = true))" />
    <JournalSheet v-model="journal" @go="stage?.look($event)" />
    <TrialSheet />
    <StatusLine />
    <SignInAgain @back="goOn" />
  </main>
  <main v-else class="waiting">
    <p v-if="store.trouble" class="over" role="alert" data-test="message">
      {{ store.trouble }} <router-link to="/levels">Back to the levels</router-link>
    </p>
    <p v-else class="faint">
      {{ connection.away ? `${connection.away} The level opens as soon as it does.` : 'Opening the level …' }}
    </p>
    <SignInAgain @back="open" />
  </main>
</template>

<style scoped>
.level {
  height: 100vh;
  display: grid;
  grid-template-rows: 46px minmax(0, 1fr) 68px;
}
.stage {
  position: relative;
  display: grid;
  grid-template-rows: minmax(0, 1fr) auto;
  min-width: 0;
  min-height: 0;
}
.second {
  grid-column: 2;
}
.stage {
  grid-column: 3;
}
.under {
  max-height: 46vh;
  overflow-y: auto;
  background: var(--sheet);
}
.panel {
  grid-column: 5;
}
.panel {
  background: var(--sheet);
  overflow-y: auto;
  padding: 14px 18px;
  min-height: 0;
}
.waiting {
  height: 100%;
  display: grid;
  place-items: center;
  font-family: var(--serif);
  font-size: 20px;
}
</style>

<script setup lang="ts">
import {
  mdiAccountOutline,
  mdiBookOpenPageVariantOutline,
  mdiChevronLeft,
  mdiKeyboardOutline,
  mdiLogout,
  mdiRedo,
  mdiUndo,
  mdiWeatherNight,
  mdiWhiteBalanceSunny,
} from '@mdi/js'
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useTheme } from 'vuetify'
import ActionButton from '../components/ActionButton.vue'
import BudgetBench from '../components/BudgetBench.vue'
import CostStrip from '../components/CostStrip.vue'
import GroundBench from '../components/GroundBench.vue'
import HandoverBench from '../components/HandoverBench.vue'
import JournalSheet from '../components/JournalSheet.vue'
import KeySheet from '../components/KeySheet.vue'
import PlantingBench from '../components/PlantingBench.vue'
import SelectionPanel from '../components/SelectionPanel.vue'
import SightlineBench from '../components/SightlineBench.vue'
import SignInAgain from '../components/SignInAgain.vue'
import ShelfSheet from '../components/ShelfSheet.vue'
import SideEdge from '../components/SideEdge.vue'
import StageHost from '../components/StageHost.vue'
import StatusLine from '../components/StatusLine.vue'
import StockBench from '../components/StockBench.vue'
import StrataColumn from '../components/StrataColumn.vue'
import WhyCard from '../components/WhyCard.vue'
import { answer, api, type Why } from '../api/client'
import { connection } from '../api/connection'
import { useDraft } from '../composables/useDraft'
import { overlaid, typing } from '../composables/useFly'
import { useHand } from '../composables/useHand'
import { useRelief } from '../composables/useRelief'
import { useSides } from '../composables/useSides'
import { BENCHES, type Bench } from '../router'
import type { Drawn } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import { useBrush, type Verb } from '../stores/brush'
import { useKeys, type Action } from '../stores/keys'
import { useLevel } from '../stores/level'
import { useSelection } from '../stores/selection'
import { useSession } from '../stores/session'
import { useTool } from '../stores/tool'
import { useShapes, type Tool } from '../stores/shapes'

const props = defineProps<{ slug: string; bench: Bench }>()
const store = useLevel()
const brush = useBrush()
const session = useSession()
const router = useRouter()
const theme = useTheme()
const stage = shallowRef<Stage | null>(null)
const host = ref<InstanceType<typeof StageHost>>()
const drawn = shallowRef<Drawn | null>(null)
const keys = ref(false)
const journal = ref(false)
const keyOf = useKeys()
const view = () => (stage.value ? { ...stage.value.eye.view } : null)
const draft = useDraft(view)
const hand = useHand()
const relief = useRelief()
const shapes = useShapes()
const tool = useTool()
const sides = useSides()
const selection = useSelection()
const at = shallowRef<[number, number] | null>(null)
const why = shallowRef<Why | null>(null)
const groundKey = computed(
  () =>
    `${store.level?.slug}/${store.level?.ground_revision}/${store.level?.layers_revision}/${JSON.stringify(store.level?.layers)}`,
)
const name = (b: Bench) => b[0].toUpperCase() + b.slice(1)

/** Open the level; while the server is away, again and again until it answers. */
async function open() {
  await store.open(props.slug).catch(store.tell)
  if (store.level?.slug !== props.slug && connection.away) setTimeout(open, 2000)
}
onMounted(open)
/** After signing in again: send what waits, and read what others did meanwhile. */
const goOn = () =>
  store
    .sendWaiting()
    .then(() => store.refresh(true))
    .catch(store.tell)
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
    .catch(store.tell)
    .finally(() => (beating = false))
}, 1000)
onBeforeUnmount(() => void store.beat(here(), true).catch(() => undefined))

function ready(made: Stage) {
  stage.value = made
  const reckon = made.onSettled
  made.onSettled = (view, what) => {
    drawn.value = { ...what }
    reckon(view, what)
  }
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
watch(draft.asking, () => (why.value = null))
watch([() => store.selected.join(), () => store.stands], () => (why.value = null))
/** Read why a place carries a plant of the selected stand, under the settings that are tried. */
async function askWhy(place: [number, number]) {
  if (hand.tool.value) return void hand.press(...place)
  const stand = store.chosen[0]
  if (!stand) return
  try {
    why.value = await answer(
      api.POST('/api/levels/{slug}/stands/{stand}/why', {
        params: { path: { slug: store.slug, stand: stand.id } },
        body: { x: place[0], z: place[1], settings: draft.partOf(stand) },
      }),
    )
  } catch (error) {
    store.tell(error)
  }
}
/** The item of the shelf that is looked at. */
const item = ref('')
async function takeItem(slug: string) {
  item.value = slug
  await store
    .stockChanged(
      answer(
        api.POST('/api/levels/{slug}/stock/take', {
          ...store.here(),
          body: { key: crypto.randomUUID(), items: [slug] },
        }),
      ),
    )
    .catch(store.tell)
}
const leaveItem = (slug: string) =>
  store
    .stockChanged(
      answer(
        api.POST('/api/levels/{slug}/stock/leave', {
          ...store.here(),
          body: { key: crypto.randomUUID(), item: slug },
        }),
      ),
    )
    .catch(store.tell)
/** Begin a stand with an item: the form of a new stand opens with it. */
function beginStand(slug: string) {
  store.beginWith = slug
  void router.push(`/levels/${props.slug}/planting`)
}
const onGround = (what: Tool) => () => props.bench === 'ground' && store.mayPlant && shapes.take(what)
/** A draft of distances is seen on the stage at once; nothing of it is stored. */
watch([draft.changes, () => store.stands], () => {
  if (!draft.changes.value.distances) return stage.value?.setStands(store.stands)
  stage.value?.setStands(
    store.stands.map((s) =>
      store.selected.includes(s.id)
        ? { ...s, settings: { ...s.settings, distances: draft.settingsOf(s).distances } }
        : s,
    ),
  )
})

const VIEW_ORDER = ['both', 'eye', 'plan'] as const
const take = (verb: Verb) => () =>
  props.bench === 'planting' && (store.mayPlant || verb === 'lift' || verb === 'select') && brush.take(verb)
const DO: Record<Action, () => void> = {
  thicken: take('thicken'),
  thin: take('thin'),
  ease: take('ease'),
  level: take('level'),
  set: take('set'),
  uproot: take('uproot'),
  lift: take('lift'),
  select: take('select'),
  smaller: () => brush.scaleRadius(1 / 1.2),
  larger: () => brush.scaleRadius(1.2),
  weaker: () => brush.addStrength(-0.1),
  stronger: () => brush.addStrength(0.1),
  back: () =>
    store.before.some((id) => store.stands.some((s) => s.id === id)) && (store.selected = store.before),
  again: () => props.bench === 'planting' && host.value?.again(),
  path: onGround('path'),
  area: onGround('area'),
  circle: onGround('circle'),
  box: onGround('box'),
  polygon: onGround('polygon'),
  views: () => host.value && (host.value.shown = VIEW_ORDER[(VIEW_ORDER.indexOf(host.value.shown) + 1) % 3]),
  shadows: () => host.value && (host.value.shadows = !host.value.shadows),
  everything: () => host.value && (host.value.everything = !host.value.everything),
  walk: () => host.value && (host.value.walking = !host.value.walking),
  overlay: () => props.bench === 'planting' && (draft.showOverlay.value = !draft.showOverlay.value),
  why: () => props.bench === 'planting' && (draft.asking.value = !draft.asking.value),
  pick: () =>
    props.bench === 'planting' &&
    hand.stand.value &&
    (hand.tool.value = hand.tool.value === 'pick' ? null : 'pick'),
  hide,
}
const FIXED: Record<string, () => void> = {
  Enter: () => props.bench === 'ground' && shapes.tool && void shapes.finish(),
  Delete: () =>
    selection.plants.length
      ? selection.movable && void selection.act({ do: 'remove' })
      : props.bench === 'ground' && shapes.chosen && store.mayPlant && void shapes.remove(shapes.chosen),
  '?': () => (keys.value = !keys.value),
  Escape: () =>
    selection.plants.length
      ? selection.clear()
      : why.value || draft.asking.value
        ? (draft.asking.value = false)
        : hand.tool.value || hand.plant.value
          ? hand.drop()
          : props.bench === 'ground'
            ? shapes.drop() || (shapes.chosen = null)
            : draft.dirty.value || draft.trouble.value
              ? draft.drop()
              : (brush.verb = null),
}
function hide() {
  const hidden = new Set(store.hidden)
  const all = store.selected.every((id) => hidden.has(id))
  for (const id of store.selected)
    if (all) hidden.delete(id)
    else hidden.add(id)
  store.hidden = hidden
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    if (typing(event)) return
    event.preventDefault()
    return void store.move(event.shiftKey ? 'redo' : 'undo')
  }
  if (event.ctrlKey || event.metaKey || event.altKey || (typing(event) && event.key !== 'Escape')) return
  if (overlaid()) return
  const bookmark = store.level?.bookmarks[Number(event.key) - 1]
  if (/^[1-9]$/.test(event.key) && bookmark) return host.value?.look(bookmark)
  if (event.key === 'Enter' && shapes.tool) event.preventDefault()
  const action = keyOf.byKey.get(event.key.toLowerCase())
  if (action) DO[action]()
  else FIXED[event.key]?.()
})
function dusk() {
  const next = theme.global.name.value === 'paper' ? 'dusk' : 'paper'
  theme.change(next)
  localStorage.setItem('kt-theme', next)
}
async function leave() {
  await session.signOut()
  await router.replace('/sign-in')
}
const canUndo = computed(() => store.mayPlant && !!store.pulse?.undo)
const canRedo = computed(() => store.mayPlant && !!store.pulse?.redo)
</script>

<template>
  <main v-if="store.level?.slug === slug" class="level" :style="{ gridTemplateColumns: sides.columns.value }">
    <header>
      <v-btn to="/levels" variant="text" :prepend-icon="mdiChevronLeft">Levels</v-btn>
      <h1>{{ store.level.name }}</h1>
      <v-tabs :model-value="bench" class="benches" show-arrows :aria-label="`Benches of ${store.level.name}`">
        <v-tab
          v-for="b in BENCHES"
          :key="b"
          :value="b"
          :to="`/levels/${slug}/${b}`"
          :data-test="`bench-${b}`"
          >{{ name(b) }}</v-tab
        >
      </v-tabs>
      <ActionButton
        variant="text"
        :icon="mdiUndo"
        :tip="canUndo ? `Undo: ${store.pulse?.undo}  Ctrl Z` : 'Undo  Ctrl Z'"
        :why="!canUndo && 'nothing of yours to undo'"
        aria-label="Undo"
        data-test="undo"
        @click="store.move('undo')"
      />
      <ActionButton
        variant="text"
        :icon="mdiRedo"
        :tip="canRedo ? `Do again: ${store.pulse?.redo}  Ctrl Shift Z` : 'Do again  Ctrl Shift Z'"
        :why="!canRedo && 'nothing to do again'"
        aria-label="Do again"
        data-test="redo"
        @click="store.move('redo')"
      />
      <ActionButton
        variant="text"
        :icon="mdiBookOpenPageVariantOutline"
        tip="Journal: every action in this level"
        data-test="open-journal"
        @click="journal = true"
      />
      <ActionButton
        variant="text"
        :icon="theme.global.name.value === 'paper' ? mdiWeatherNight : mdiWhiteBalanceSunny"
        :tip="theme.global.name.value === 'paper' ? 'Dusk: dark paper' : 'Paper: light paper'"
        data-test="theme"
        @click="dusk"
      />
      <ActionButton
        variant="text"
        :icon="mdiKeyboardOutline"
        tip="Keys  ?"
        data-test="help"
        @click="keys = true"
      />
      <v-menu>
        <template #activator="{ props: menu }"
          ><ActionButton
            v-bind="menu"
            variant="text"
            :icon="mdiAccountOutline"
            :tip="`${session.name}, ${store.level.role}`"
            data-test="person"
        /></template>
        <v-list>
          <v-list-item :title="session.name ?? ''" :subtitle="`${store.level.role} of this level`" />
          <v-list-item :prepend-icon="mdiLogout" title="Sign out" data-test="sign-out" @click="leave" />
        </v-list>
      </v-menu>
    </header>
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
        :overlay="draft.overlay.value"
        :sheet="bench === 'ground' ? relief.sheet.value : draft.touchSheet.value"
        :contours="draft.contours.value"
        :marks="draft.marks.value"
        :paints="bench === 'planting'"
        :edits="bench === 'ground'"
        :asking="draft.asking.value || hand.tool.value !== null"
        :others="store.others"
        :spot="why ? [why.x, why.z] : hand.plant.value ? [hand.plant.value.x, hand.plant.value.z] : null"
        @ready="ready"
        @point="at = $event"
        @ask="askWhy"
      />
      <div id="under-stage" class="under" />
      <ShelfSheet v-if="bench === 'stock'" v-model="item" @take="takeItem" />
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
      <SelectionPanel v-if="selection.plants.length" :view="view" @go="host?.goTo(...$event)" />
      <GroundBench v-if="bench === 'ground'" :relief="relief" :at="at" />
      <StockBench
        v-else-if="bench === 'stock'"
        :item="item"
        @take="takeItem"
        @leave="leaveItem"
        @stand="beginStand"
      />
      <PlantingBench v-else-if="bench === 'planting'" :draft="draft" :hand="hand" :view="view" />
      <SightlineBench v-else-if="bench === 'sightline'" :draft="draft" @wide="host && (host.shown = 'eye')" />
      <BudgetBench v-else-if="bench === 'budget'" :drawn="drawn" />
      <HandoverBench v-else />
    </aside>
    <CostStrip />
    <KeySheet v-model="keys" />
    <JournalSheet v-model="journal" />
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
header {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 2px;
  padding: 0 8px 0 4px;
  border-bottom: 1px solid var(--line);
  background: var(--sheet);
  white-space: nowrap;
  min-width: 0;
}
h1 {
  font-size: clamp(16px, 1.8vw, 23px);
  margin: 0 8px 0 2px;
  overflow: hidden;
  text-overflow: ellipsis;
  min-width: 60px;
}
.benches {
  flex: 1 1 auto;
  min-width: 0;
}
.benches :deep(.v-tab) {
  font: 500 17px var(--serif);
  min-width: 0;
  padding: 0 clamp(5px, 0.9vw, 13px);
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

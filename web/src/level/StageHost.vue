<script setup lang="ts">
import {
  useElementSize,
  useEventListener,
  useIntervalFn,
  useSessionStorage,
  useThrottleFn,
} from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { ApiError, type Atmosphere, type Bookmark, type Person } from '../api/client'
import { many, whole } from '../budget/budget'
import { overlaid, useFly } from './useFly'
import { usePointer } from './usePointer'
import { useSwards } from '../planting/useSwards'
import { useTools } from '../planting/useTools'
import type { Raster } from '../stage/isolines'
import type { Drawn, Spot } from '../stage/eyeView'
import { Stage } from '../stage/stage'
import { useStores } from '../shared/stores'
import { useAtmosphere } from '../sightline/atmosphere'
import { useDrawing } from '../sightline/drawing'
import { usePlots } from '../budget/plots'
import { useSurvey } from '../budget/survey'
import { cornersOf } from '../ground/shapes'
import { useSurfaces } from '../ground/surfaces'
import PlanSeen from './PlanSeen.vue'
import PlanPlots from './PlanPlots.vue'
import PlanMarks from './PlanMarks.vue'
import PlanShapes from './PlanShapes.vue'
import EyeSelection from './EyeSelection.vue'
import EyeSurfaces from './EyeSurfaces.vue'
import PlanSurfaces from './PlanSurfaces.vue'
import PlanWalk from './PlanWalk.vue'
import BrushBar from '../planting/BrushBar.vue'
import LiftList from '../planting/LiftList.vue'
import StageBar from './StageBar.vue'

const props = defineProps<{
  overlay: Raster | null
  sheet: Raster | null
  contours: { raster: Raster; signed: boolean } | null
  marks: { came: Float32Array; went: Float32Array }
  paints: boolean
  edits: boolean
  asking: boolean
  spot: [number, number] | null
  others: Person[]
}>()
const emit = defineEmits<{
  ready: [stage: Stage]
  point: [at: [number, number] | null]
  ask: [spot: Spot]
  settled: [drawn: Drawn]
}>()
const stores = useStores()
const { level: store, brush, selection, shapes, touchUp, walks } = stores
const air = useAtmosphere()
const surfaces = useSurfaces()
const drawing = useDrawing()
const plots = usePlots()
const survey = useSurvey()
const stage = shallowRef<Stage | null>(null)
const eyeCanvas = ref<HTMLCanvasElement>()
const planCanvas = ref<HTMLCanvasElement>()
const host = ref<HTMLElement>()
const eyePane = ref<HTMLElement>()
const planPane = ref<HTMLElement>()
const shown = useSessionStorage<'both' | 'eye' | 'plan'>('kt-views', 'both')
const shadows = ref(true)
const everything = ref(false)
const walking = ref(false)
const alone = ref(false)
const trouble = ref('')
const ticks = ref(0)
/** Sheets of plants that are still to come: the picture is not whole before they are here. */
const coming = ref(0)
useIntervalFn(() => (coming.value = stage.value?.store.waiting ?? 0), 400)
const { width, height } = useElementSize(host)
const eyeSize = useElementSize(eyePane)
const planSize = useElementSize(planPane)
const stacked = computed(() => width.value / Math.max(height.value, 1) < 1.5)

const fly = useFly(stage, walking)
const tools = useTools(stage, () => props.paints && !setting.value, stores)
const { painting, armed } = tools

/** Whether the page was left while the stage was being opened. */
let ended = false
onMounted(async () => {
  try {
    const made = await Stage.open(eyeCanvas.value!, planCanvas.value!, store.level!)
    if (ended) return made.dispose()
    stage.value = made
    made.onFrame = fly.step
    made.onSettled = (view, drawn) => {
      emit('settled', { ...drawn })
      void store.computeCost({ ...view })
      void store.loadNear(view.x, view.z).catch(store.report)
    }
    made.onPlan = useThrottleFn((x, z) => void store.loadNear(x, z).catch(store.report), 600, true)
    made.onDrawn = () => ticks.value++
    made.setStands(store.stands)
    void made.setPlaced(surfaces.shown, store.surfaces, surfaces.goAlong).catch(store.report)
    made.setSheet(props.sheet)
    if (air.draft) made.setAtmosphere(air.draft)
    made.setDrawing(drawing.now, drawing.device)
    outline()
    fit()
    made.look({})
    emit('ready', made)
    void loadSward()
  } catch (error) {
    trouble.value = (error as Error).message
  }
})
onBeforeUnmount(() => {
  ended = true
  stage.value?.dispose()
  stage.value = null
})

function fit() {
  const s = stage.value
  if (!s) return
  s.shown = { eye: shown.value !== 'plan', plan: shown.value !== 'eye' }
  if (s.shown.eye) s.eye.resize(eyeSize.width.value, eyeSize.height.value)
  if (s.shown.plan) s.plan.resize(planSize.width.value, planSize.height.value)
  s.touch()
}
watch([eyeSize.width, eyeSize.height, planSize.width, planSize.height, shown], fit)
watch(
  () => walks.stock,
  (stock) => stock && void stage.value?.setStock(stock).catch(store.report),
)
watch(
  () => store.stands,
  (stands) => {
    stage.value?.setStands(stands)
    void loadSward()
  },
)
/** Whether a tile of the ground has been replaced since by another's stroke, which the next beat brings. */
const isGone = (error: unknown) => error instanceof ApiError && error.status === 404
watch(
  () => store.level,
  (now, was) => {
    if (now && JSON.stringify(now.ground_tiles) !== JSON.stringify(was?.ground_tiles))
      void stage.value?.setGround(now).catch((error) => isGone(error) || store.report(error))
  },
)
watch(
  () => props.sheet,
  (raster) => stage.value?.setSheet(raster),
)
/**
 * Lines at a quarter, a half and three quarters; of touch, where it adds in green and where it takes away
 * in red.
 */
const LINES = [64, 128, 191].map((value, k) => ({ value, ink: 0x2f4a22, strength: 0.45 + 0.25 * k }))
const SIGNED = [32, 96, 159, 223].map((value, k) => ({
  value,
  ink: k < 2 ? 0x7b2d26 : 0x2f5a1f,
  strength: k % 3 ? 0.6 : 0.95,
}))
watch(
  () => props.contours,
  (field) => stage.value?.setContours(field?.raster ?? null, field?.signed ? SIGNED : LINES),
)
watch(
  () => props.marks,
  ({ came, went }) => stage.value?.setMarks(came, went),
)
/**
 * Lay the outlines of all shapes that are shown over the ground in the eye view, on the bench where they
 * are edited.
 */
function outline() {
  stage.value?.setShapes(
    (props.edits ? shapes.shown : [])
      .filter((s) => !s.hidden)
      .map((s) => ({ points: cornersOf(s), closed: s.kind !== 'path', strong: s.id === shapes.chosen })),
  )
}
watch(
  [() => surfaces.shown, () => surfaces.goAlong],
  ([placed, along]) => void stage.value?.setPlaced(placed, store.surfaces, along).catch(store.report),
)
watch(
  () => surfaces.standing,
  (found) => found && stage.value?.setStanding(found.id, found.lies, found.plants),
)
watch([() => shapes.shown, () => shapes.chosen, () => props.edits], outline)
watch(
  () => props.overlay,
  (raster) => stage.value?.setOverlay(raster),
)
watch(
  () => [...store.hidden],
  (ids) => {
    stage.value?.hide(new Set(ids))
    void loadSward()
  },
)
watch(
  () => air.now,
  (atmosphere) => atmosphere && showAir(atmosphere),
)
/** Not at every step of a drag: what the sun lights again takes a moment. */
const showAir = useThrottleFn((a: Atmosphere) => stage.value?.setAtmosphere(a), 120, true)
watch([() => drawing.now, () => drawing.device], () => showDrawing())
const showDrawing = useThrottleFn(() => stage.value?.setDrawing(drawing.now, drawing.device), 120, true)
watch(shadows, (on) => stage.value?.look({ shadows: on }))
watch([alone, () => store.selected.join(), () => store.stands], () => {
  const others = alone.value
    ? store.stands.filter((s) => !store.selected.includes(s.id)).map((s) => s.id)
    : []
  stage.value?.setGhosts(new Set(others))
})
watch(everything, (on) => stage.value?.setEverything(on))

const loadSward = useSwards(stage, stores)
function finish(): boolean {
  const draws = walks.draws || (props.edits && shapes.tool)
  if (draws) void (walks.draws ? walks : shapes).finish()
  return !!draws
}
const { setting, cursor, over, pointer, down, moved, up, left, hover, away, wheel, stand } = usePointer(
  stage,
  {
    edits: () => props.edits,
    asking: () => props.asking,
    finish,
    tools,
    fly,
    point: (at) => emit('point', at),
    choose: (id) => void (surfaces.chosen = id),
    ask: (spot) => emit('ask', spot),
  },
  stores,
)

watch([() => brush.verb, () => brush.scope, () => store.selected.join()], tools.rest)
watch([() => brush.verb, () => touchUp.verb, () => brush.radius, () => brush.soft, armed], () =>
  tools.reach(),
)

const POINTS = ['north', 'north-east', 'east', 'south-east', 'south', 'south-west', 'west', 'north-west']
const eyePlace = computed(() => {
  void ticks.value
  const s = stage.value
  if (!s) return ''
  const v = s.eye.view
  const toward = POINTS[Math.round((((v.heading % 360) + 360) % 360) / 45) % 8]
  const high = (v.y - s.ground.heightAt(v.x, v.z)).toFixed(1)
  return `${v.x.toFixed(0)} m east, ${v.z.toFixed(0)} m south, ${high} m above the ground, looking ${toward}`
})
/** What the brush in hand does, and to whom. */
const inHand = computed(() => {
  const all = brush.targets
  const names = all.length > 2 ? `${all.length} stands` : all.map((s) => s.name).join(', ') || 'no stand'
  const verb = brush.verb!
  if (verb === 'set')
    return `Set ${names}: the wheel turns it, Shift and the wheel size it; draw to set a row`
  if (verb === 'uproot')
    return tools.uproot.marked.value
      ? `Uproot ${names}: ${tools.uproot.marked.value} would go`
      : `Uproot ${names}: what is taken out stays away, and the place stays clear`
  if (verb === 'lift') return 'Lift: a click takes up the topmost stand; hold to see all'
  if (verb === 'select') return `Select ${selection.every ? 'of every stand' : names}`
  return `${verb === 'level' ? 'Even' : verb[0]!.toUpperCase() + verb.slice(1)} ${names}`
})
/** Whose ground the pointer is over, when that is not one's own; and whose share a stroke overruns. */
const beware = computed(() => {
  const spot = tools.spot.value
  const alone = brush.paints && spot ? brush.leftAlone(spot.on) : ''
  const words = over.value ? [alone, plots.warning(...over.value), ...plots.triedOver] : []
  return words.filter(Boolean).join('; ')
})
const look = (b: Bookmark) =>
  stage.value?.look({ x: b.x, y: b.y, z: b.z, heading: b.heading, pitch: b.pitch, fov: b.fov })
function goTo(x: number, z: number) {
  const s = stage.value!
  const far = 14
  s.look({ x, z: z + far, y: s.ground.heightAt(x, z + far) + 3, heading: 0, pitch: -8 })
  painting.unseen.value = null
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (event.key === 'Escape' && !overlaid()) tools.cancel()
})
/** Select all plants of an item that the eye sees. */
function inView(item: string) {
  const far = Math.max(...store.stands.map((s) => s.settings.distances.gone))
  void selection.ofItem(item, tools.select.seen(far))
}
/** Do the last stroke again where the pointer is. */
const again = () => tools.at.value && painting.again(...tools.at.value)
defineExpose({ shown, shadows, everything, walking, look, again, goTo })
</script>

<template>
  <section class="pictures" data-test="stage" :data-busy="ticks">
    <div v-if="stage" class="bar" role="toolbar" aria-label="Stage">
      <BrushBar v-if="paints" @fill="painting.fill" @in-view="inView" />
      <StageBar
        v-model:shown="shown"
        v-model:shadows="shadows"
        v-model:everything="everything"
        v-model:alone="alone"
        v-model:walking="walking"
        :stage="stage"
        @go="look"
      />
    </div>
    <div ref="host" class="host" :class="[shown, { stacked }]">
      <div
        v-show="shown !== 'plan'"
        ref="eyePane"
        class="pane eye"
        @pointermove="hover('eye', $event)"
        @pointerleave="away"
      >
        <canvas
          ref="eyeCanvas"
          data-test="eye"
          :class="{ armed: armed || setting }"
          @pointerdown="down('eye', $event)"
          @pointermove="moved('eye', $event)"
          @pointerup="up('eye', $event)"
          @pointercancel="tools.cancel"
          @pointerleave="left"
          @wheel.prevent="wheel('eye', $event)"
          @mousedown.middle.prevent
          @dblclick="finish"
          @contextmenu.prevent
        />
        <EyeSurfaces v-if="stage && edits && !shapes.tool && !touchUp.verb" :stage="stage" :ticks="ticks" />
        <EyeSelection
          v-if="stage && paints && brush.verb === 'select' && selection.plants.length"
          :stage="stage"
          :ticks="ticks"
          :ring="tools.select.show"
        />
        <p v-if="stage" class="caption right number" data-test="eye-place">{{ eyePlace }}</p>
      </div>
      <div
        v-show="shown !== 'eye'"
        ref="planPane"
        class="pane plan"
        @pointermove="hover('plan', $event)"
        @pointerleave="away"
        @wheel.prevent="wheel('plan', $event)"
      >
        <canvas
          ref="planCanvas"
          data-test="plan"
          :class="{ armed: armed || setting }"
          @pointerdown="down('plan', $event)"
          @pointermove="moved('plan', $event)"
          @pointerup="up('plan', $event)"
          @pointercancel="tools.cancel"
          @pointerleave="left"
          @dblclick="stand"
          @contextmenu.prevent
        />
        <PlanShapes
          v-if="stage"
          :stage="stage"
          :ticks="ticks"
          :edits="edits && !touchUp.verb"
          :pointer="pointer"
        />
        <PlanSurfaces
          v-if="stage"
          :stage="stage"
          :ticks="ticks"
          :edits="edits && !shapes.tool && !touchUp.verb"
        />
        <PlanMarks
          v-if="stage"
          :quiet="setting || armed"
          :spot="spot ?? cursor"
          :stage="stage"
          :ticks="ticks"
          :others="others"
          @go="look"
        />
        <PlanSeen v-if="stage && survey.seen" :stage="stage" :ticks="ticks" />
        <PlanPlots v-if="stage && plots.shown" :stage="stage" :ticks="ticks" />
        <PlanWalk v-if="stage && walks.shown" :stage="stage" :ticks="ticks" :pointer="pointer" />
      </div>
      <LiftList
        v-if="tools.lift.list.value"
        :found="tools.lift.list.value.found"
        :at="tools.lift.list.value.at"
        @take="tools.lift.take"
        @close="tools.lift.close"
      />
      <p v-if="!stage && !trouble" class="wait faint">Opening the level …</p>
      <p v-if="paints && brush.verb" class="caption left" data-test="brush-on">
        {{ inHand
        }}<template v-if="beware"
          ><br /><span class="over" data-test="beware">{{ beware }}</span></template
        >
      </p>
      <p v-if="coming" class="coming faint number" role="status" data-test="coming">
        Plants are still being loaded: {{ many(coming, 'sheet') }} to come
      </p>
      <p v-if="trouble" class="wait over" role="alert">{{ trouble }}</p>
      <p v-if="painting.unseen.value" class="unseen" role="status" data-test="unseen">
        {{ whole(painting.unseen.value.plants) }} of {{ painting.unseen.value.stand.name }}
        {{ painting.unseen.value.gone ? 'taken away' : 'painted' }}, drawn only within
        {{ painting.unseen.value.stand.settings.distances.gone }} m of the eye.
        <v-btn data-test="go-there" @click="goTo(painting.unseen.value.x, painting.unseen.value.z)"
          >Go there</v-btn
        >
        <v-btn
          v-if="!painting.unseen.value.stand.sward"
          data-test="ignore-distances"
          @click="((everything = true), (painting.unseen.value = null))"
          >Ignore distances</v-btn
        >
      </p>
    </div>
  </section>
</template>

<style scoped>
.pictures {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  min-width: 0;
  min-height: 0;
}
/* In a window that is wide enough, a second line of the bar lies over the stage, which stays where it is. */
@media (min-width: 1000px) {
  .pictures {
    grid-template-rows: 43px minmax(0, 1fr);
  }
  .bar {
    position: relative;
    z-index: 4;
    align-self: start;
  }
}
.bar {
  container: bar / inline-size;
  background: var(--sheet);
  border-bottom: 1px solid var(--line);
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  min-height: 43px;
  box-sizing: border-box;
  padding: 3px 8px;
}
.caption {
  position: absolute;
  bottom: 6px;
  margin: 0;
  padding: 1px 8px;
  max-width: calc(100% - 16px);
  background: color-mix(in srgb, var(--sheet) 88%, transparent);
  font-size: 12.5px;
  pointer-events: none;
  white-space: normal;
}
.caption.right {
  right: 8px;
}
.caption.left {
  left: 8px;
  bottom: auto;
  top: 6px;
  border: 1px solid var(--line);
}
.coming {
  position: absolute;
  left: 10px;
  top: 34px;
  margin: 0;
  padding: 1px 8px;
  background: var(--sheet);
  border: 1px solid var(--line);
  font-size: 12.5px;
}
.host {
  position: relative;
  display: grid;
  min-width: 0;
  min-height: 0;
  gap: 1px;
  background: var(--line);
}
.host.both {
  grid-template-columns: 1fr 1fr;
}
.host.both.stacked {
  grid-template-columns: none;
  grid-template-rows: 1.15fr 1fr;
}
.pane {
  position: relative;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
  background: var(--paper);
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  display: block;
  touch-action: none;
  cursor: grab;
}
canvas.armed {
  cursor: crosshair;
}
.wait {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  font-family: var(--serif);
  font-size: 20px;
  pointer-events: none;
}
.unseen {
  position: absolute;
  left: 50%;
  bottom: 14px;
  transform: translateX(-50%);
  margin: 0;
  padding: 5px 12px;
  width: max-content;
  max-width: calc(100% - 16px);
  background: var(--sheet);
  border: 1px solid var(--ochre);
}
</style>

<script setup lang="ts">
import { mdiChevronDown, mdiChevronUp, mdiClose, mdiCrosshairsGps, mdiDragVertical } from '@mdi/js'
import { computed, onScopeDispose, ref, shallowRef, watch } from 'vue'
import { answer, api, type Condition, type Look } from '../api/client'
import { KINDS } from '../api/kinds'
import { asksFor, fieldOf, has, inBand, measuredBy, measureOf, noneAbove } from './conditions'
import { inverted, STRAIGHT, through, type Curve } from './curve'
import { useLevel } from '../level/level'
import { useTool } from './tool'
import ActionButton from '../shared/ActionButton.vue'
import BandField from './BandField.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import CurveField from './CurveField.vue'
import FacingRose from './FacingRose.vue'
import NoiseField from './NoiseField.vue'
import NumberField from '../shared/NumberField.vue'
import { ConditionSettingsBounds, NoiseSettingsBounds } from '../api/bounds'

const props = defineProps<{
  condition: Condition
  index: number
  count: number
  wrong?: boolean
  disabled?: boolean
  alone?: boolean
}>()
const emit = defineEmits<{
  change: [condition: Condition]
  remove: []
  move: [to: number]
  bands: [layer: string]
}>()
const store = useLevel()
const found = shallowRef<Look | null>(null)
const trouble = ref('')
const open = ref(true)
const c = computed(() => props.condition)
const look = computed(() => KINDS[c.value.kind])
/** The stand whose places on placed meshes are looked at; 0 for the terrain. */
const onMeshes = computed(() => {
  const stand = store.chosen.length === 1 ? store.chosen[0] : null
  return stand?.settings.on?.length ? stand.id : 0
})
let round = 0
let timer = 0

const complete = computed(
  () =>
    (!has(c.value.kind, 'layers') || c.value.layers.length > 0) &&
    (!has(c.value.kind, 'stand') || c.value.stand !== 0) &&
    (!has(c.value.kind, 'mask') || c.value.mask !== ''),
)
async function load() {
  const mine = ++round
  trouble.value = ''
  if (!complete.value) return void (found.value = null)
  try {
    const reply = await answer(
      api.POST('/api/levels/{slug}/conditions/look', {
        params: { path: { slug: store.slug }, query: onMeshes.value ? { stand: onMeshes.value } : {} },
        body: { ...c.value, lo: Math.min(c.value.lo, c.value.hi) },
      }),
    )
    if (mine === round) found.value = reply
  } catch (error) {
    if (mine === round) trouble.value = (error as Error).message
  }
}
watch(
  [
    () => fieldOf(c.value),
    () => store.level?.ground_revision,
    () => store.level?.layers_revision,
    () => store.shapes,
    onMeshes,
    () => (onMeshes.value || c.value.kind === 'mesh' ? store.surfaces : 0),
    () => (has(c.value.kind, 'stand') ? store.stands : 0),
  ],
  () => {
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void load(), found.value ? 150 : 0)
  },
  { immediate: true },
)

const share = computed(() => {
  if (!found.value) return null
  const { counts, edges } = found.value
  let inside = 0
  counts.forEach((n, k) => {
    const mid = (edges[k]! + edges[k + 1]!) / 2
    const away = Math.abs(((mid - c.value.centre + 540) % 360) - 180)
    inside +=
      n *
      (c.value.curve?.length
        ? through(c.value.curve, mid)
        : inBand(c.value, has(c.value.kind, 'centre') ? away : mid))
  })
  const held =
    inside /
    Math.max(
      counts.reduce((a, b) => a + b, 0),
      1,
    )
  return Math.round((c.value.join === 'except' ? 1 - held : held) * 100)
})
const above = computed(() => {
  const first = store.chosen[0]!
  const at = store.stands.indexOf(first)
  return store.stands.filter((s, k) => asksFor(c.value.kind, s) && k < at)
})
/** What a distance can be taken to: the level's shapes of its kind, or its placed meshes. */
const ofKind = computed(() =>
  c.value.kind === 'mesh' ? store.surfaces : store.shapes.filter((s) => s.kind === c.value.kind),
)
/** Groups of them by name, and each by its id. */
const choices = computed(() => {
  const groups = new Set([...ofKind.value.map((s) => s.group ?? ''), ...c.value.groups!].filter((g) => g))
  return [
    ...[...groups].map((g) => ({ value: g, title: g, props: { subtitle: 'all of this group' } })),
    ...ofKind.value.map((s) => ({ value: s.id, title: s.name })),
  ]
})
const countThese = (wanted: (number | string)[]) =>
  set({
    shapes: wanted.filter((v) => typeof v === 'number'),
    groups: wanted.filter((v) => typeof v === 'string'),
  })
const several = computed(() => (c.value.kind === 'mesh' ? 'placed meshes' : `${c.value.kind}s`))
const set = (part: Partial<Condition>) => emit('change', { ...c.value, ...part })
const flip = <T,>(list: T[], item: T) =>
  list.includes(item) ? list.filter((x) => x !== item) : [...list, item]
onScopeDispose(() => window.clearTimeout(timer))
const tool = useTool()
/** Whether the next press on the stage sets its direction. */
const waiting = ref(false)
const pointing = computed(() => waiting.value && tool.point === true)
function point() {
  waiting.value = !pointing.value
  tool.point = waiting.value || null
}
watch(
  () => tool.pointed,
  (way) => {
    if (!waiting.value || !way) return
    waiting.value = false
    tool.pointed = null
    set({ toward: way })
  },
)
const isDistance = computed(() => has(c.value.kind, 'shapes'))
const measures = computed(() => [
  { value: 'metres' as const, title: 'in metres' },
  { value: 'border' as const, title: 'over a border' },
  ...(has(c.value.kind, 'depth') ? [{ value: 'depth' as const, title: 'by relative depth' }] : []),
])
/** Whether its values lie between 0 and 1, and may go through a curve. */
const inShares = computed(
  () => has(c.value.kind, 'curve') && !(has(c.value.kind, 'border') && measureOf(c.value) === 'metres'),
)
const curveSays = computed(() =>
  has(c.value.kind, 'mask')
    ? { label: 'What each grey of the mask becomes', ends: 'black to white' }
    : has(c.value.kind, 'stand')
      ? { label: 'What each density becomes', ends: 'nowhere to as dense as can be' }
      : measureOf(c.value) === 'depth'
        ? { label: 'What each depth becomes', ends: 'the edge to the deepest' }
        : { label: 'What each part of the border becomes', ends: `the edge to ${c.value.border} m away` },
)
/** What a condition may set beside density, and what is left of it where the condition fails. */
const SETS = [
  { name: 'size', title: 'size', label: 'Size where it fails', begin: 0.5 },
  { name: 'lean', title: 'lean', label: 'Random lean where it fails', begin: 0 },
  { name: 'tint', title: 'tint', label: 'Tint where it fails', begin: 0 },
] as const
const DRIVES = [
  { value: 'density', title: 'density' },
  ...SETS.map((s) => ({ value: s.name, title: s.title })),
]
const sets = computed(() => SETS.filter((s) => c.value[s.name] !== null && c.value[s.name] !== undefined))
const driven = computed(() => [
  ...(c.value.density ? ['density'] : []),
  ...sets.value.map((s) => s.name as string),
])
/** At least one of them stays. */
function drives(chosen: string[]) {
  if (!chosen.length) return
  const part: Partial<Condition> = { density: chosen.includes('density') }
  for (const s of SETS) part[s.name] = chosen.includes(s.name) ? (c.value[s.name] ?? s.begin) : null
  set(part)
}
const VALUES = [
  { value: 'band', title: 'within a band' },
  { value: 'curve', title: 'as density, by a curve' },
] as const
const joins = computed(() => [
  { value: 'and', title: props.index ? 'and' : 'where' },
  ...(props.index ? [{ value: 'or', title: 'or' }] : []),
  { value: 'except', title: 'except' },
])
function keys(event: KeyboardEvent) {
  const way = { ArrowUp: -1, ArrowDown: 1 }[event.key]
  if (!way || props.disabled) return
  event.preventDefault()
  emit('move', props.index + way)
}
</script>

<template>
  <div class="card" :class="{ off: !c.on }" :data-test="`band-${c.kind}`">
    <header>
      <span
        v-if="!alone"
        v-tooltip="'Drag to move it, or arrow up and down'"
        class="grip"
        tabindex="0"
        role="button"
        data-keys
        :aria-label="`Move ${look.label}: arrow up or down`"
        :data-test="`grip-${index}`"
        @keydown="keys"
        ><v-icon :icon="mdiDragVertical" size="18"
      /></span>
      <v-select
        v-if="!alone"
        variant="plain"
        class="join"
        :class="c.join"
        :model-value="c.join"
        :items="joins"
        :disabled="disabled"
        :aria-label="`How ${look.label} joins`"
        :data-test="`join-${c.kind}`"
        hide-details
        @update:model-value="set({ join: $event })"
      />
      <v-checkbox
        class="use"
        :model-value="c.on"
        :disabled="disabled"
        :aria-label="`Use ${look.label}`"
        :data-test="`on-${c.kind}`"
        @update:model-value="set({ on: !!$event })"
      />
      <span class="name">{{ c.depth ? 'Depth in areas' : look.label }}</span>
      <v-btn
        v-tooltip="{
          text: share === null ? look.says : `${look.says}; ${share} % of the ground suits`,
          openDelay: 400,
        }"
        variant="text"
        size="x-small"
        :append-icon="open ? mdiChevronUp : mdiChevronDown"
        :aria-expanded="open"
        @click="open = !open"
        ><span class="number">{{ share === null ? '…' : `${share} %` }}</span></v-btn
      >
      <ActionButton
        v-if="!disabled"
        variant="text"
        size="x-small"
        :icon="mdiClose"
        :tip="`Remove ${look.label}`"
        :data-test="`remove-${c.kind}`"
        @click="emit('remove')"
      />
    </header>
    <template v-if="open">
      <p v-if="trouble" class="over">{{ trouble }}</p>
      <template v-if="has(c.kind, 'layers')">
        <div class="choices">
          <v-checkbox
            v-for="l in store.level!.layers"
            :key="l.name"
            :label="l.name"
            :model-value="c.layers!.includes(l.name)"
            :disabled="disabled"
            :data-test="`layer-${l.name}`"
            @update:model-value="set({ layers: flip(c.layers!, l.name) })"
          />
        </div>
        <ActionButton
          v-if="c.layers!.length === 1 && !disabled"
          size="x-small"
          data-test="take-bands"
          tip="Fill in the altitude and slope that hold its middle nine tenths"
          @click="emit('bands', c.layers![0])"
          >take its altitude and slope</ActionButton
        >
      </template>
      <ChoiceField
        v-if="has(c.kind, 'stand')"
        label="Stand"
        :value="c.stand || null"
        :items="above.map((s) => ({ value: s.number, title: s.name }))"
        hint="choose one"
        :disabled="disabled"
        test="stand-choice"
        @change="set({ stand: $event ?? 0 })"
      />
      <p v-if="has(c.kind, 'stand') && !above.length" class="faint">
        {{ noneAbove(c.kind) }}
      </p>
      <ChoiceField
        v-if="has(c.kind, 'mask')"
        label="Mask image"
        :value="c.mask || null"
        :items="store.masks.map((m) => ({ value: m.name, title: m.name }))"
        hint="choose one"
        :disabled="disabled"
        test="mask-choice"
        @change="set({ mask: $event ?? '' })"
      />
      <v-checkbox
        v-if="has(c.kind, 'wrapped') && onMeshes"
        label="laid round the mesh by its texture coordinates"
        :model-value="c.wrapped"
        :disabled="disabled"
        data-test="mask-wrapped"
        @update:model-value="set({ wrapped: !!$event })"
      />
      <p v-if="has(c.kind, 'mask') && !store.masks.length" class="faint">
        This level has no mask images; bring one in on the Ground bench.
      </p>
      <NumberField
        v-if="has(c.kind, 'radius')"
        :label="look.radiusLabel"
        :value="c.radius!"
        :bounds="ConditionSettingsBounds.radius"
        :step="look.radiusStep"
        :digits="1"
        :disabled="disabled"
        :test="`${c.kind}-radius`"
        @change="set({ radius: $event })"
      />
      <v-select
        v-if="isDistance && ofKind.length"
        multiple
        chips
        closable-chips
        clearable
        :model-value="[...c.groups!, ...c.shapes!]"
        :items="choices"
        :label="`Of these ${several}`"
        :placeholder="`all ${several}`"
        persistent-placeholder
        hide-details
        :disabled="disabled"
        class="which"
        @update:model-value="countThese($event ?? [])"
      />
      <p v-if="isDistance && !ofKind.length" class="faint">
        This level has no {{ several }} yet; {{ c.kind === 'mesh' ? 'place one' : 'draw one' }} on the Ground
        bench.
      </p>
      <template v-if="has(c.kind, 'border')">
        <ChoiceField
          label="Measured"
          :value="measureOf(c)"
          :items="measures"
          :disabled="disabled"
          :test="`${c.kind}-measure`"
          @change="set(measuredBy(c.kind, $event))"
        />
        <NumberField
          v-if="measureOf(c) === 'border'"
          :label="c.kind === 'area' ? 'Wide, inward' : 'Wide, outward'"
          :value="c.border!"
          :bounds="{ ...ConditionSettingsBounds.border, min: 0.1 }"
          :digits="1"
          :disabled="disabled"
          :test="`${c.kind}-border`"
          @change="set({ border: $event })"
        />
        <template v-if="measureOf(c) !== 'depth'">
          <NumberField
            label="Edge roughened by"
            :value="c.rough!"
            :bounds="ConditionSettingsBounds.rough"
            :digits="1"
            :disabled="disabled"
            :test="`${c.kind}-rough`"
            @change="set({ rough: $event })"
          />
          <NumberField
            v-if="c.rough"
            label="in waves of"
            :value="c.noise!.wavelength!"
            :bounds="NoiseSettingsBounds.wavelength"
            :digits="1"
            :disabled="disabled"
            :test="`${c.kind}-waves`"
            @change="set({ noise: { ...c.noise, wavelength: $event } })"
          />
        </template>
      </template>
      <ChoiceField
        v-if="inShares"
        label="Its values"
        :value="c.curve!.length ? 'curve' : 'band'"
        :items="VALUES"
        :disabled="disabled"
        :test="`${c.kind}-values`"
        @change="set({ curve: $event === 'curve' ? STRAIGHT : [] })"
      />
      <NoiseField
        v-if="has(c.kind, 'noise')"
        :condition="c"
        :disabled="disabled"
        @change="emit('change', $event)"
      />
      <template v-if="has(c.kind, 'toward')">
        <NumberField
          v-for="(label, k) in ['Bearing', 'Rises by'] as const"
          :key="label"
          :label="label"
          :value="c.toward![k]"
          :bounds="ConditionSettingsBounds.toward[k]"
          :digits="0"
          :disabled="disabled"
          :test="`toward-${k}`"
          @change="set({ toward: k ? [c.toward![0], $event] : [$event, c.toward![1]] })"
        />
        <ActionButton
          :icon="mdiCrosshairsGps"
          :on="pointing"
          :disabled="disabled"
          tip="Press on the ground or a mesh: the way that it faces there"
          data-test="toward-point"
          @click="point"
          >{{ pointing ? 'Press on the stage' : 'Point at a surface' }}</ActionButton
        >
      </template>
      <FacingRose
        v-if="has(c.kind, 'centre')"
        :condition="c"
        :histogram="found"
        :wrong="wrong"
        :disabled="disabled"
        @change="emit('change', $event)"
      />
      <template v-else-if="c.curve?.length">
        <CurveField
          :curve="c.curve as Curve"
          :label="curveSays.label"
          :counts="found?.counts"
          :disabled="disabled"
          @change="set({ curve: $event })"
        />
        <p class="row">
          <span class="faint">{{ curveSays.ends }}; click to add a point, Delete takes one away</span>
          <v-btn
            size="x-small"
            :disabled="disabled"
            data-test="curve-invert"
            @click="set({ curve: inverted(c.curve as Curve) })"
            >Invert</v-btn
          >
        </p>
      </template>
      <BandField
        v-else
        :condition="c"
        :histogram="found"
        :wrong="wrong"
        :disabled="disabled"
        @change="emit('change', $event)"
      />
      <template v-if="!alone">
        <div class="sets">
          <span>It sets</span>
          <v-select
            :model-value="driven"
            :items="DRIVES"
            multiple
            hide-details
            aria-label="What it sets"
            :disabled="disabled"
            :data-test="`drives-${c.kind}`"
            @update:model-value="drives"
          >
            <template #selection="{ index }">
              <span v-if="index === 0">{{ driven.join(', ') }}</span>
            </template>
          </v-select>
        </div>
        <NumberField
          v-for="s in sets"
          :key="s.name"
          :label="s.label"
          :value="c[s.name]! * 100"
          :bounds="ConditionSettingsBounds[s.name]"
          :digits="0"
          :normal="s.begin * 100"
          :disabled="disabled"
          :test="`${s.name}-${c.kind}`"
          @change="set({ [s.name]: $event / 100 })"
        />
      </template>
    </template>
  </div>
</template>

<style scoped>
.card {
  margin: 2px 0 10px;
  padding-bottom: 6px;
  border-bottom: 1px dotted var(--line);
}
.sets {
  display: grid;
  grid-template-columns: auto minmax(0, var(--choice-width, 190px));
  justify-content: space-between;
  gap: 8px;
  align-items: center;
}
.card.off > :not(header) {
  opacity: 0.45;
}
header {
  display: flex;
  align-items: center;
  gap: 3px;
}
.grip {
  cursor: grab;
  color: var(--faint);
  margin-left: -4px;
}
.join {
  flex: none;
  width: 72px;
}
.join :deep(.v-select__selection) {
  font: italic 15px var(--serif);
}
.join.except :deep(.v-select__selection) {
  color: var(--oxblood);
}
.use {
  flex: none;
}
.name {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 16px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
  margin: 2px 0;
}
.row {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  margin: 0;
}
.which {
  margin: 8px 0 4px;
}
</style>

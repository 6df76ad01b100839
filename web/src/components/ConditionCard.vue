<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, type Condition, type Look } from '../api/client'
import { fieldOf, inBand, KINDS } from '../conditions'
import { useLevel } from '../stores/level'
import BandField from './BandField.vue'
import FacingRose from './FacingRose.vue'
import NoiseField from './NoiseField.vue'
import NumberField from './NumberField.vue'

const props = defineProps<{ condition: Condition; index: number; count: number; wrong?: boolean; disabled?: boolean; alone?: boolean }>()
const emit = defineEmits<{ change: [condition: Condition]; remove: []; move: [to: number]; bands: [layer: string] }>()
const store = useLevel()
const found = shallowRef<Look | null>(null)
const trouble = ref('')
const open = ref(true)
const c = computed(() => props.condition)
const look = computed(() => KINDS[c.value.kind])
let round = 0
let timer = 0

const complete = computed(() => (c.value.kind !== 'layer' || c.value.layers!.length > 0) && (c.value.kind !== 'stand' || c.value.stand !== 0) && (c.value.kind !== 'mask' || c.value.mask !== ''))
async function load() {
  const mine = ++round
  trouble.value = ''
  if (!complete.value) return void (found.value = null)
  try {
    const told = await ask<Look>('POST', `/levels/${store.slug}/conditions/look`, { ...c.value, lo: Math.min(c.value.lo, c.value.hi) })
    if (mine === round) found.value = told
  } catch (error) {
    if (mine === round) trouble.value = (error as Error).message
  }
}
watch(() => [fieldOf(c.value), store.level?.ground_revision, store.level?.layers_revision, store.shapes, c.value.kind === 'stand' ? store.stands : 0], () => {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => void load(), found.value ? 150 : 0)
}, { immediate: true })

const share = computed(() => {
  if (!found.value) return null
  const { counts, edges } = found.value
  let inside = 0
  counts.forEach((n, k) => {
    const mid = (edges[k] + edges[k + 1]) / 2
    const away = Math.abs(((mid - c.value.centre! + 540) % 360) - 180)
    inside += n * inBand(c.value, c.value.kind === 'facing' ? away : mid)
  })
  const held = inside / Math.max(counts.reduce((a, b) => a + b, 0), 1)
  return Math.round((c.value.join === 'except' ? 1 - held : held) * 100)
})
const above = computed(() => {
  const first = store.chosen[0]
  const at = store.stands.indexOf(first)
  return store.stands.filter((s, k) => !s.sward && k < at)
})
const ofKind = computed(() => store.shapes.filter((s) => s.kind === c.value.kind))
const set = (part: Partial<Condition>) => emit('change', { ...c.value, ...part })
const flip = <T,>(list: T[], item: T) => (list.includes(item) ? list.filter((x) => x !== item) : [...list, item])
const isDistance = computed(() => ['path', 'area', 'obstacle'].includes(c.value.kind))
function setDepth(on: boolean) {
  set(on ? { depth: true, lo: 0.3, hi: 1, soft_lo: 0.2, soft_hi: 0 } : { depth: false, lo: -1e5, hi: 0, soft_lo: 0, soft_hi: 4 })
}
function drives(what: 'density' | 'size' | 'both') {
  set({ density: what !== 'size', size: what === 'density' ? null : (c.value.size ?? 0.5) })
}
const driven = computed(() => (c.value.size === null || c.value.size === undefined ? 'density' : c.value.density ? 'both' : 'size'))
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
      <span v-if="!alone" class="grip" tabindex="0" role="button" data-keys :aria-label="`Move ${look.label}: arrow up or down`" :data-test="`grip-${index}`" title="drag, or arrow up and down" @keydown="keys">⋮⋮</span>
      <select v-if="!alone" class="cell join" :class="c.join" :value="c.join" :disabled="disabled" :aria-label="`How ${look.label} joins`" :data-test="`join-${c.kind}`" @change="set({ join: ($event.target as HTMLSelectElement).value as Condition['join'] })">
        <option value="and">{{ index ? 'and' : 'where' }}</option>
        <option v-if="index" value="or">or</option>
        <option value="except">except</option>
      </select>
      <label class="title"><input type="checkbox" :checked="c.on" :disabled="disabled" :aria-label="`Use ${look.label}`" :data-test="`on-${c.kind}`" @change="set({ on: ($event.target as HTMLInputElement).checked })" /> <span class="name">{{ c.depth ? 'Depth in areas' : look.label }}</span></label>
      <button class="plain small" :aria-expanded="open" :title="look.says" @click="open = !open"><span v-if="share !== null" class="number faint">{{ share }} % suits</span> {{ open ? '▾' : '▸' }}</button>
      <button v-if="!disabled" class="plain small" :aria-label="`Remove ${look.label}`" :data-test="`remove-${c.kind}`" @click="emit('remove')">×</button>
    </header>
    <template v-if="open">
      <p v-if="trouble" class="over">{{ trouble }}</p>
      <p v-if="c.kind === 'layer'" class="choices">
        <label v-for="l in store.level!.layers" :key="l.name"><input type="checkbox" :checked="c.layers!.includes(l.name)" :disabled="disabled" :data-test="`layer-${l.name}`" @change="set({ layers: flip(c.layers!, l.name) })" /> {{ l.name }}</label>
        <button v-if="c.layers!.length === 1 && !disabled" class="plain small" data-test="take-bands" title="Fill in the altitude and slope that hold its middle nine tenths" @click="emit('bands', c.layers![0])">take its altitude and slope</button>
      </p>
      <label v-if="c.kind === 'stand'" class="wide">Stand <select class="cell" :value="c.stand" :disabled="disabled" data-test="stand-choice" @change="set({ stand: Number(($event.target as HTMLSelectElement).value) })"><option :value="0" disabled>choose one</option><option v-for="s in above" :key="s.id" :value="s.number">{{ s.name }}</option></select></label>
      <p v-if="c.kind === 'stand' && !above.length" class="faint">No stand with single plants stands above this one.</p>
      <label v-if="c.kind === 'mask'" class="wide">Mask image <select class="cell" :value="c.mask" :disabled="disabled" data-test="mask-choice" @change="set({ mask: ($event.target as HTMLSelectElement).value })"><option value="" disabled>choose one</option><option v-for="m in store.masks" :key="m.name">{{ m.name }}</option></select></label>
      <p v-if="c.kind === 'mask' && !store.masks.length" class="faint">This level has no mask images; bring one in on the Ground bench.</p>
      <NumberField v-if="c.kind === 'hollow' || c.kind === 'flat'" :label="c.kind === 'flat' ? 'Within a radius of' : 'Against the ground within'" unit="m" :value="c.radius!" :min="0.5" :max="250" :step="c.kind === 'flat' ? 0.5 : 5" :digits="1" :disabled="disabled" :test="`${c.kind}-radius`" @change="$event > 0 && set({ radius: $event })" />
      <p v-if="isDistance && ofKind.length" class="choices">
        <label><input type="checkbox" :checked="!c.shapes!.length" :disabled="disabled" @change="set({ shapes: [] })" /> all</label>
        <label v-for="s in ofKind" :key="s.id"><input type="checkbox" :checked="c.shapes!.includes(s.id)" :disabled="disabled" @change="set({ shapes: flip(c.shapes!, s.id) })" /> {{ s.name }}</label>
      </p>
      <p v-if="isDistance && !ofKind.length" class="faint">This level has no {{ c.kind }}s yet; draw one on the Ground bench.</p>
      <label v-if="c.kind === 'area'" class="small"><input type="checkbox" :checked="c.depth" :disabled="disabled" data-test="area-depth" @change="setDepth(($event.target as HTMLInputElement).checked)" /> by relative depth, 0 at the edge to 1 at the deepest</label>
      <NoiseField v-if="c.kind === 'noise'" :condition="c" :disabled="disabled" @change="emit('change', $event)" />
      <FacingRose v-if="c.kind === 'facing'" :condition="c" :histogram="found" :wrong="wrong" :disabled="disabled" @change="emit('change', $event)" />
      <BandField v-else :condition="c" :histogram="found" :wrong="wrong" :disabled="disabled" @change="emit('change', $event)" />
      <p v-if="!alone" class="drive small">
        It sets <select class="cell plain-select" aria-label="What this condition sets" :value="driven" :disabled="disabled" :data-test="`drives-${c.kind}`" @change="drives(($event.target as HTMLSelectElement).value as 'density')"><option value="density">density</option><option value="size">size</option><option value="both">density and size</option></select>
        <template v-if="driven !== 'density'">, where it fails <NumberField bare label="Size where it fails" :value="c.size! * 100" unit="% of size" :min="5" :max="100" :step="5" :digits="0" :disabled="disabled" :test="`size-${c.kind}`" @change="$event >= 5 && $event <= 100 && set({ size: $event / 100 })" /></template>
      </p>
    </template>
  </div>
</template>

<style scoped>
.card {
  margin: 2px 0 10px;
  padding-bottom: 6px;
  border-bottom: 1px dotted var(--line);
}
.card.off > :not(header) {
  opacity: 0.45;
}
header {
  display: flex;
  align-items: baseline;
  gap: 5px;
}
.grip {
  cursor: grab;
  color: var(--faint);
  letter-spacing: -3px;
  padding: 0 4px 0 0;
  user-select: none;
}
.join {
  font-family: var(--serif);
  font-style: italic;
  font-size: 15px;
  text-align: left;
  border: 0;
  padding: 0;
  appearance: none;
  min-width: 44px;
}
.join.except {
  color: var(--oxblood);
}
.title {
  flex: 1;
  white-space: nowrap;
}
.name {
  font-size: 16px;
}
.small {
  font-size: 12.5px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  margin: 2px 0;
}
.wide {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.drive {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  align-items: baseline;
  margin: 4px 0 0;
  color: var(--faint);
}
.plain-select {
  text-align: left;
  border-bottom-style: dotted;
}
.drive :deep(.field.bare) {
  display: inline-grid;
  grid-template-columns: 34px auto;
}
</style>

<script setup lang="ts">
import { computed, ref } from 'vue'
import { ApiError, upload, type ShapeIn, type ShapesKept } from '../api/client'
import { whole } from '../budget'
import { useLevel } from '../stores/level'
import { useShapes, type Tool } from '../stores/shapes'
import NumberField from './NumberField.vue'
import { STRATA, type Stratum } from '../strata'

const store = useLevel()
const shapes = useShapes()
const TOOLS: [Tool, string, string][] = [
  ['path', 'Path', 'P'],
  ['area', 'Area', 'A'],
  ['circle', 'Round', 'R'],
  ['box', 'Box', 'B'],
  ['polygon', 'Outline', 'U'],
]
const HINTS: Record<Tool, string> = {
  path: 'Click the corners of its line; Enter or a double click ends it.',
  area: 'Click the corners of its outline; Enter or a double click closes it.',
  polygon: 'Click the corners of its outline; Enter or a double click closes it.',
  circle: 'Click its middle, then its rim.',
  box: 'Click its middle, then the middle of its front.',
}
const TITLES: Record<Tool, string> = { path: 'Path', area: 'Area', circle: 'Round obstacle', box: 'Box-shaped obstacle', polygon: 'Obstacle by its outline' }
const HATCHES = ['slant', 'cross', 'dots', 'upright', 'blank'] as const
const WORDS = { path: 'path', area: 'area', obstacle: 'obstacle' }
const s = computed<ShapeIn | null>(() => (shapes.draft?.id === shapes.chosen && shapes.draft ? shapes.draft : shapes.shape))
const can = computed(() => store.mayPlant && !!s.value && !s.value.locked)
const file = ref<HTMLInputElement>()
const instead = ref(false)

const TROD = { reach: 1.5, lean: 50, flatten: 0.4, strata: ['Field', 'Moss'] as Stratum[] }
/** Have the trail lay plants of a stratum over, or not. */
function flip(k: Stratum) {
  const now = s.value!.trail!.strata!
  set({ trail: { ...s.value!.trail!, strata: now.includes(k) ? now.filter((x) => x !== k) : [...now, k] } })
}
function set(part: Partial<ShapeIn>) {
  if (s.value) void shapes.keep({ ...s.value, ...part })
}
async function bringIn(event: Event) {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  if (!chosen) return
  shapes.trouble = ''
  try {
    const path = `/levels/${store.slug}/shapes.geojson?key=${crypto.randomUUID()}&name=${encodeURIComponent(chosen.name)}&instead=${instead.value}`
    const kept = await upload<ShapesKept>(path, await chosen.text())
    store.shapes = kept.shapes
    store.note(kept.entry)
    await store.refresh()
  } catch (error) {
    shapes.trouble = error instanceof ApiError ? error.message : String(error)
  }
  input.value = ''
}
const reach = (x: { kind: string; reach: number }) => (x.kind === 'path' ? `${whole(x.reach)} m` : x.reach >= 1e4 ? `${(x.reach / 1e4).toFixed(1)} ha` : `${whole(x.reach)} m²`)
</script>

<template>
  <div data-test="shape-list">
    <p v-if="store.mayPlant" class="tools">
      <span class="faint">draw</span>
      <button v-for="[t, label, key] in TOOLS" :key="t" class="plain" :aria-pressed="shapes.tool === t" :title="`${TITLES[t]} (${key})`" :data-test="`tool-${t}`" @click="shapes.take(t)">{{ label }}</button>
    </p>
    <p v-if="shapes.tool" class="hint" role="status">{{ HINTS[shapes.tool] }}</p>
    <p v-if="shapes.trouble" class="over" role="alert" data-test="shape-trouble">{{ shapes.trouble }}</p>
    <ol>
      <li v-for="x in store.shapes" :key="x.id" :class="{ chosen: x.id === shapes.chosen, dim: x.hidden }">
        <button class="row" :aria-pressed="x.id === shapes.chosen" :data-test="`shape-row-${x.id}`" @click="shapes.chosen = x.id === shapes.chosen ? null : x.id">
          <svg class="swatch" width="20" height="14"><rect x="0.5" y="0.5" width="19" height="13" :fill="x.hatch === 'blank' || x.kind === 'path' ? 'none' : `url(#hatch-${x.hatch})`" :rx="x.form === 'circle' ? 7 : 0" /><path v-if="x.kind === 'path'" d="M0 10 Q8 2 20 5" /></svg>
          <span class="name">{{ x.name }}</span>
          <span class="faint number">{{ WORDS[x.kind] }}, {{ reach(x) }}</span>
        </button>
        <button v-if="store.mayPlant" class="plain small" :title="x.hidden ? 'Show' : 'Hide'" :aria-label="`${x.hidden ? 'Show' : 'Hide'} ${x.name}`" @click="shapes.keep({ ...x, hidden: !x.hidden })">{{ x.hidden ? 'show' : 'hide' }}</button>
        <button v-if="store.mayPlant" class="plain small" :aria-label="`${x.locked ? 'Unlock' : 'Lock'} ${x.name}`" :data-test="`lock-${x.id}`" @click="shapes.keep({ ...x, locked: !x.locked })">{{ x.locked ? 'unlock' : 'lock' }}</button>
      </li>
    </ol>
    <p v-if="!store.shapes.length" class="faint">No shapes yet. Paths, areas and obstacles keep plants away, and conditions can ask how far they are.</p>

    <section v-if="s" class="one" data-test="shape-form">
      <label class="wide">Name <input class="cell" :value="s.name" maxlength="80" data-keys :disabled="!can" data-test="shape-name" @change="set({ name: ($event.target as HTMLInputElement).value })" /></label>
      <NumberField v-if="s.kind === 'path'" label="Width" unit="m" :value="s.width!" :min="0.1" :max="200" :step="0.5" :disabled="!can" test="shape-width" @change="$event > 0 && set({ width: $event })" />
      <template v-if="s.form === 'circle' && s.round">
        <NumberField label="Radius" unit="m" :value="s.round.radius" :min="0.1" :step="0.5" :disabled="!can" test="shape-radius" @change="$event > 0 && set({ round: { ...s.round!, radius: $event } })" />
      </template>
      <template v-if="s.form === 'box' && s.box">
        <NumberField label="Width" unit="m" :value="s.box.width" :min="0.1" :step="0.5" :disabled="!can" test="box-width" @change="$event > 0 && set({ box: { ...s.box!, width: $event } })" />
        <NumberField label="Length" unit="m" :value="s.box.length" :min="0.1" :step="0.5" :disabled="!can" test="box-length" @change="$event > 0 && set({ box: { ...s.box!, length: $event } })" />
        <NumberField label="Heading" unit="°" :value="s.box.heading" :min="0" :max="360" :step="1" :digits="1" :disabled="!can" test="box-heading" @change="set({ box: { ...s.box!, heading: $event } })" />
      </template>
      <label class="switch"><input type="checkbox" :checked="s.clear !== null" :disabled="!can" data-test="shape-clears" @change="set({ clear: ($event.target as HTMLInputElement).checked ? 0.5 : null })" /> keeps plants away</label>
      <NumberField v-if="s.clear !== null" label="Clear margin beyond its edge" unit="m" :value="s.clear!" :min="0" :max="500" :step="0.5" :disabled="!can" test="shape-clear" @change="$event >= 0 && set({ clear: $event })" />
      <template v-if="s.kind === 'path'">
        <label class="switch"><input type="checkbox" :checked="!!s.trail" :disabled="!can" data-test="shape-trail" @change="set({ trail: ($event.target as HTMLInputElement).checked ? { ...TROD } : null })" /> a trail: lays plants over beside it</label>
        <template v-if="s.trail">
          <NumberField label="Reach beyond its edge" unit="m" :value="s.trail.reach!" :min="0" :max="20" :step="0.1" :disabled="!can" test="trail-reach" @change="set({ trail: { ...s.trail, reach: $event } })" />
          <NumberField label="Leaned away by up to" unit="°" :value="s.trail.lean!" :min="0" :max="85" :step="1" :disabled="!can" test="trail-lean" @change="set({ trail: { ...s.trail, lean: $event } })" />
          <NumberField label="Pressed down by up to" unit="%" :value="s.trail.flatten! * 100" :min="0" :max="95" :step="1" :disabled="!can" test="trail-flatten" @change="set({ trail: { ...s.trail, flatten: +($event / 100).toFixed(4) } })" />
          <p class="strata"><label v-for="k in STRATA" :key="k"><input type="checkbox" :checked="s.trail.strata!.includes(k)" :disabled="!can || (s.trail.strata!.length === 1 && s.trail.strata![0] === k)" @change="flip(k)" /> {{ k }}</label></p>
        </template>
      </template>
      <label v-if="s.kind !== 'path'" class="wide">Hatching <select class="cell" :value="s.hatch" :disabled="!can" @change="set({ hatch: ($event.target as HTMLSelectElement).value as ShapeIn['hatch'] })"><option v-for="h in HATCHES" :key="h">{{ h }}</option></select></label>
      <p v-if="s.locked" class="faint">Locked: unlock it to change it.</p>
      <button v-if="can" class="plain over" data-test="shape-remove" @click="shapes.remove(s.id!)">Remove {{ s.name }}</button>
    </section>

    <p class="files">
      <a class="plain" :href="`/api/levels/${store.slug}/shapes.geojson`" download data-test="shapes-out">Save as GeoJSON</a>
      <template v-if="store.mayPlant">
        <button class="plain" data-test="shapes-in" @click="file?.click()">Bring in GeoJSON …</button>
        <label class="faint switch instead"><input v-model="instead" type="checkbox" /> in place of those that are not locked</label>
        <input ref="file" type="file" accept=".geojson,.json" hidden data-test="shapes-file" @change="bringIn" />
      </template>
    </p>
  </div>
</template>

<style scoped>
.tools {
  margin: 0 0 4px;
}
.files {
  margin: 0 0 4px -7px;
}
.instead {
  display: block;
  margin-left: 7px;
}
.files {
  margin-top: 8px;
}
.hint {
  margin: 0 0 4px;
  color: var(--oxblood);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--line);
}
li {
  display: flex;
  align-items: center;
  border-bottom: 1px solid var(--line);
}
li.chosen {
  background: color-mix(in srgb, var(--green) 13%, transparent);
}
li.dim .name {
  opacity: 0.5;
}
.row {
  flex: 1;
  min-width: 0;
  display: grid;
  grid-template-columns: 24px 1fr auto;
  gap: 4px;
  align-items: center;
  padding: 4px 2px;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  text-align: left;
  cursor: pointer;
}
.row .name {
  font-size: 16px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.row .faint {
  font-size: 12.5px;
}
.small {
  font-size: 12.5px;
  padding: 1px 4px;
}
.swatch rect,
.swatch path {
  stroke: var(--ink);
  fill-opacity: 1;
}
.swatch path {
  fill: none;
  stroke-width: 2.5;
}
.one {
  padding: 6px 0 2px;
}
.wide {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
  align-items: baseline;
}
.switch {
  font-size: 13px;
}
.strata {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  margin: 2px 0 0;
  font-size: 13px;
}
</style>

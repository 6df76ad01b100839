<script setup lang="ts">
import {
  mdiCircleOutline,
  mdiDeleteOutline,
  mdiDownload,
  mdiEyeOffOutline,
  mdiEyeOutline,
  mdiLockOpenVariantOutline,
  mdiLockOutline,
  mdiSquareOutline,
  mdiTextureBox,
  mdiUpload,
  mdiVectorPolygon,
  mdiVectorPolyline,
} from '@mdi/js'
import { computed, ref } from 'vue'
import { ApiError, upload, type ShapeIn, type ShapesKept } from '../api/client'
import { whole } from '../budget'
import { useLevel } from '../stores/level'
import { useShapes, type Tool } from '../stores/shapes'
import ActionButton from './ActionButton.vue'
import ChoiceField from './ChoiceField.vue'
import NumberField from './NumberField.vue'
import { STRATA, type Stratum } from '../strata'

const store = useLevel()
const shapes = useShapes()
const TOOLS: [Tool, string, string][] = [
  ['path', 'Path', mdiVectorPolyline],
  ['area', 'Area', mdiTextureBox],
  ['circle', 'Round', mdiCircleOutline],
  ['box', 'Box', mdiSquareOutline],
  ['polygon', 'Outline', mdiVectorPolygon],
]
const HINTS: Record<Tool, string> = {
  path: 'Click the corners of its line; Enter or a double click ends it.',
  area: 'Click the corners of its outline; Enter or a double click closes it.',
  polygon: 'Click the corners of its outline; Enter or a double click closes it.',
  circle: 'Click its middle, then its rim.',
  box: 'Click its middle, then the middle of its front.',
}
const TITLES: Record<Tool, string> = {
  path: 'Path',
  area: 'Area',
  circle: 'Round obstacle',
  box: 'Box-shaped obstacle',
  polygon: 'Obstacle by its outline',
}
const HATCHES = (['slant', 'cross', 'dots', 'upright', 'blank'] as const).map((value) => ({
  value,
  title: value,
}))
const WORDS = { path: 'path', area: 'area', obstacle: 'obstacle' }
const s = computed<ShapeIn | null>(() => shapes.draft ?? shapes.shape)
const can = computed(() => store.mayPlant && !!s.value && !s.value.locked)
const chosen = ref<File | null>(null)
const instead = ref(false)

const TROD = { reach: 1.5, lean: 50, flatten: 0.4, strata: ['Field', 'Moss'] as Stratum[] }
/** Have the trail lay plants of a stratum over, or not. */
function flip(k: Stratum) {
  const now = s.value!.trail!.strata!
  set({ trail: { ...s.value!.trail!, strata: now.includes(k) ? now.filter((x) => x !== k) : [...now, k] } })
}
function set(part: Partial<ShapeIn>) {
  if (s.value) shapes.attempt({ ...s.value, ...part })
}
async function bringIn(picked: File | File[] | null) {
  const file = Array.isArray(picked) ? picked[0] : picked
  if (!file) return
  shapes.trouble = ''
  try {
    const path = `/levels/${store.slug}/shapes.geojson?key=${crypto.randomUUID()}&name=${encodeURIComponent(file.name)}&instead=${instead.value}`
    const kept = await upload<ShapesKept>(path, await file.text())
    store.shapes = kept.shapes
    store.note(kept.entry)
    await store.refresh()
  } catch (error) {
    shapes.trouble = error instanceof ApiError ? error.message : String(error)
  }
  chosen.value = null
}
const changes = computed(() => {
  const by = shapes.tried ?? {}
  return store.stands.flatMap((stand) =>
    by[stand.id]?.some((n) => n)
      ? [{ name: stand.name, gained: by[stand.id][0], lost: by[stand.id][1] }]
      : [],
  )
})
const reach = (x: { kind: string; reach: number }) =>
  x.kind === 'path'
    ? `${whole(x.reach)} m`
    : x.reach >= 1e4
      ? `${(x.reach / 1e4).toFixed(1)} ha`
      : `${whole(x.reach)} m²`
</script>

<template>
  <div data-test="shape-list">
    <div v-if="store.mayPlant" class="tools">
      <ActionButton
        v-for="[t, label, icon] in TOOLS"
        :key="t"
        :icon="icon"
        :on="shapes.tool === t"
        :action="t"
        :tip="`Draw: ${TITLES[t].toLowerCase()}`"
        :data-test="`tool-${t}`"
        @click="shapes.take(t)"
        >{{ label }}</ActionButton
      >
    </div>
    <p v-if="shapes.tool" class="hint" role="status">{{ HINTS[shapes.tool] }}</p>
    <p v-if="shapes.trouble" class="over" role="alert" data-test="shape-trouble">{{ shapes.trouble }}</p>
    <ol>
      <li v-for="x in shapes.shown" :key="x.id" :class="{ chosen: x.id === shapes.chosen, dim: x.hidden }">
        <v-btn
          variant="text"
          class="row"
          :aria-pressed="x.id === shapes.chosen"
          :data-test="`shape-row-${x.id}`"
          @click="shapes.chosen = x.id === shapes.chosen ? null : x.id"
        >
          <svg class="swatch" width="20" height="14">
            <rect
              x="0.5"
              y="0.5"
              width="19"
              height="13"
              :fill="x.hatch === 'blank' || x.kind === 'path' ? 'none' : `url(#hatch-${x.hatch})`"
              :rx="x.form === 'circle' ? 7 : 0"
            />
            <path v-if="x.kind === 'path'" d="M0 10 Q8 2 20 5" />
          </svg>
          <span class="name">{{ x.name }}</span>
          <span class="faint number">{{
            shapes.drafts[x.id] ? 'not kept yet' : `${WORDS[x.kind]}, ${reach(x)}`
          }}</span>
        </v-btn>
        <ActionButton
          v-if="store.mayPlant && !shapes.drafts[x.id]"
          variant="text"
          size="x-small"
          :icon="x.hidden ? mdiEyeOffOutline : mdiEyeOutline"
          :tip="`${x.hidden ? 'Show' : 'Hide'} ${x.name}`"
          @click="shapes.keep({ ...x, hidden: !x.hidden })"
        />
        <ActionButton
          v-if="store.mayPlant && !shapes.drafts[x.id]"
          variant="text"
          size="x-small"
          :icon="x.locked ? mdiLockOutline : mdiLockOpenVariantOutline"
          :tip="`${x.locked ? 'Unlock' : 'Lock'} ${x.name}`"
          :data-test="`lock-${x.id}`"
          @click="shapes.keep({ ...x, locked: !x.locked })"
        />
      </li>
    </ol>
    <p v-if="!shapes.shown.length" class="faint">
      No shapes yet. Paths, areas and obstacles keep plants away, and conditions can ask how far they are.
    </p>

    <section v-if="s" class="one" data-test="shape-form">
      <v-text-field
        :model-value="s.name"
        label="Name"
        maxlength="80"
        data-keys
        hide-details
        :disabled="!can"
        data-test="shape-name"
        @change="set({ name: ($event.target as HTMLInputElement).value })"
      />
      <NumberField
        v-if="s.kind === 'path'"
        label="Width"
        unit="m"
        :value="s.width!"
        :min="0.1"
        :max="200"
        :step="0.5"
        :disabled="!can"
        test="shape-width"
        @change="set({ width: $event })"
      />
      <template v-if="s.form === 'circle' && s.round">
        <NumberField
          label="Radius"
          unit="m"
          :value="s.round.radius"
          :min="0.1"
          :max="1e5"
          :step="0.5"
          :disabled="!can"
          test="shape-radius"
          @change="set({ round: { ...s.round!, radius: $event } })"
        />
      </template>
      <template v-if="s.form === 'box' && s.box">
        <NumberField
          label="Width"
          unit="m"
          :value="s.box.width"
          :min="0.1"
          :step="0.5"
          :disabled="!can"
          test="box-width"
          @change="set({ box: { ...s.box!, width: $event } })"
        />
        <NumberField
          label="Length"
          unit="m"
          :value="s.box.length"
          :min="0.1"
          :step="0.5"
          :disabled="!can"
          test="box-length"
          @change="set({ box: { ...s.box!, length: $event } })"
        />
        <NumberField
          label="Heading"
          unit="°"
          :value="s.box.heading"
          :min="0"
          :max="360"
          :step="1"
          :digits="1"
          :disabled="!can"
          test="box-heading"
          @change="set({ box: { ...s.box!, heading: $event } })"
        />
      </template>
      <v-checkbox
        label="keeps plants away"
        :model-value="s.clear !== null"
        :disabled="!can"
        data-test="shape-clears"
        @update:model-value="set({ clear: $event ? 0.5 : null })"
      />
      <NumberField
        v-if="s.clear !== null"
        label="Clear margin beyond its edge"
        unit="m"
        :value="s.clear!"
        :min="0"
        :max="500"
        :step="0.5"
        :disabled="!can"
        test="shape-clear"
        @change="set({ clear: $event })"
      />
      <template v-if="s.kind === 'path'">
        <v-checkbox
          label="a trail: lays plants over beside it"
          :model-value="!!s.trail"
          :disabled="!can"
          data-test="shape-trail"
          @update:model-value="set({ trail: $event ? { ...TROD } : null })"
        />
        <template v-if="s.trail">
          <NumberField
            label="Reach beyond its edge"
            unit="m"
            :value="s.trail.reach!"
            :min="0"
            :max="20"
            :step="0.1"
            :disabled="!can"
            test="trail-reach"
            @change="set({ trail: { ...s.trail, reach: $event } })"
          />
          <NumberField
            label="Leaned away by up to"
            unit="°"
            :value="s.trail.lean!"
            :min="0"
            :max="85"
            :step="1"
            :disabled="!can"
            test="trail-lean"
            @change="set({ trail: { ...s.trail, lean: $event } })"
          />
          <NumberField
            label="Pressed down by up to"
            unit="%"
            :value="s.trail.flatten! * 100"
            :min="0"
            :max="95"
            :step="1"
            :disabled="!can"
            test="trail-flatten"
            @change="set({ trail: { ...s.trail, flatten: +($event / 100).toFixed(4) } })"
          />
          <div class="strata">
            <v-checkbox
              v-for="k in STRATA"
              :key="k"
              :label="k"
              :model-value="s.trail.strata!.includes(k)"
              :disabled="!can || (s.trail.strata!.length === 1 && s.trail.strata![0] === k)"
              @update:model-value="flip(k)"
            />
          </div>
        </template>
      </template>
      <ChoiceField
        v-if="s.kind !== 'path'"
        label="Hatching"
        :value="s.hatch!"
        :items="HATCHES"
        :disabled="!can"
        @change="set({ hatch: $event })"
      />
      <p v-if="s.locked" class="faint">Locked: unlock it to change it.</p>
      <footer v-if="shapes.draft" class="tried" data-test="shape-try">
        <template v-if="shapes.tried">
          <p v-for="c in changes" :key="c.name" class="number">
            {{ c.name }} <span class="gained">+{{ whole(c.gained) }}</span>
            <span class="over">−{{ whole(c.lost) }}</span>
          </p>
          <p v-if="!changes.length" class="faint">No plant comes or goes.</p>
        </template>
        <p v-else-if="!shapes.trouble" class="faint">Counting …</p>
        <p class="do">
          <v-btn color="primary" variant="flat" data-test="shape-keep" @click="shapes.keep(shapes.draft)"
            >Keep</v-btn
          >
          <ActionButton tip="Give the draft up  Esc" data-test="shape-drop" @click="shapes.drop"
            >Drop</ActionButton
          >
        </p>
      </footer>
      <ActionButton
        v-else-if="can"
        :icon="mdiDeleteOutline"
        tip="Remove the shape; undo brings it back  Delete"
        data-test="shape-remove"
        @click="shapes.remove(s.id!)"
        >Remove {{ s.name }}</ActionButton
      >
    </section>

    <div class="files">
      <ActionButton
        :icon="mdiDownload"
        tip="Save all shapes as GeoJSON"
        :href="`/api/levels/${store.slug}/shapes.geojson`"
        download
        data-test="shapes-out"
        >GeoJSON</ActionButton
      >
      <v-file-input
        v-if="store.mayPlant"
        v-model="chosen"
        label="Bring in GeoJSON"
        accept=".geojson,.json"
        prepend-icon=""
        :prepend-inner-icon="mdiUpload"
        hide-details
        data-test="shapes-file"
        @update:model-value="bringIn"
      />
    </div>
    <v-checkbox v-if="store.mayPlant" v-model="instead" label="in place of those that are not locked" />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  margin: 0 0 8px;
}
.files {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
  align-items: center;
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
  grid-template-columns: 0 minmax(0, 1fr) 0;
  padding: 0 2px;
}
.row[aria-pressed='true'] {
  background: none;
}
.row :deep(.v-btn__content) {
  width: 100%;
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) auto;
  gap: 4px;
  align-items: center;
  text-align: left;
}
.row .name {
  font-size: 16px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.row .faint {
  font-size: 12.5px;
}
.tried {
  margin-top: 8px;
  padding-top: 6px;
  border-top: 1px solid var(--ink);
}
.tried p {
  margin: 0 0 4px;
}
.gained {
  color: var(--green);
}
.do {
  display: flex;
  gap: 8px;
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
  padding: 10px 0 2px;
}
.strata {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
}
</style>

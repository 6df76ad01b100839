<script setup lang="ts">
import { mdiChevronDown, mdiChevronRight, mdiEyeOffOutline, mdiEyeOutline } from '@mdi/js'
import { useElementSize, useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import { api, type Item, type Stand, type View } from '../api/client'
import { inkOf, many, whole } from '../budget/budget'
import { useLevel } from './level'
import { rowsOf } from './standGroups'
import { useTrial } from './trial'
import ActionButton from '../shared/ActionButton.vue'
import type { Stratum } from '../shared/strata'
import NewStand from '../planting/NewStand.vue'

defineProps<{ view: () => View | null }>()
const store = useLevel()
const trial = useTrial()
const TOP = 24
const TALL = 250
const FOOT = TOP + TALL

const itemOf = (s: Stand): Item | undefined =>
  store.level?.stock.find((i) => i.slug === s.settings.mix[0]!.item)
const heightOf = (s: Stand) => (itemOf(s)?.height ?? 1) * s.settings.variation.size[1]
const highest = computed(() => Math.max(2, ...store.stands.map(heightOf)))
/** Metres to the drawing: a root scale, so that moss and trees both have room. */
const up = (m: number) => FOOT - TALL * Math.sqrt(m / (highest.value * 1.06))
const ticks = computed(() => [0, 0.5, 1, 2, 5, 10, 20, 40].filter((m) => m <= highest.value * 1.06))
const column = ref<HTMLElement>()
const { width: wide } = useElementSize(column)
const slot = computed(() => Math.max(wide.value - 58, 60) / Math.max(store.stands.length, 1))
const soil = computed(() => Math.max(wide.value - 44, 40) / 8)
const waves = computed(() => [2, -1, 1].map((dip) => `t ${2 * soil.value} ${dip}`).join(' '))
const total = computed(() => Math.max(store.cost?.total.ms ?? 0, 1e-9))
const share = (s: Stand) => store.spentBy(s.id, 'ms') / total.value

/** How wide a stand's silhouette is drawn, in px: in proportion to its height. */
function broad(s: Stand): number {
  const item = itemOf(s)
  return item
    ? ((FOOT - up(heightOf(s))) * Math.max(item.crown * 2.6, item.height * 0.5)) / (item.height * 1.06)
    : 40
}

function choose(s: Stand, event: MouseEvent | KeyboardEvent) {
  const many = event.ctrlKey || event.metaKey || event.shiftKey
  if (!many) store.selected = [s.id]
  else if (store.selected.includes(s.id)) store.selected = store.selected.filter((id) => id !== s.id)
  else store.selected = [...store.selected, s.id]
}
const dragged = ref<number | null>(null)
const over = ref<number | null>(null)
/** Put a stand before another, or at the end of its stratum. */
async function move(s: Stand, stratum: Stratum, before: number | null) {
  if (before === s.id) return
  const next = store.stands.find((x) => x.id === before)
  const into = s.stratum === stratum ? '' : ` into ${stratum},`
  const place = next ? `before ${next.name}` : 'last there'
  await trial
    .ask(`${s.name}${into} ${place}`, (view, headers) =>
      api.POST('/api/levels/{slug}/stands/{stand}/move', {
        params: { path: { slug: store.slug, stand: s.id } },
        body: { key: crypto.randomUUID(), stratum, before, view },
        headers,
      }),
    )
    .catch(store.report)
}
async function dropOn(target: Stand) {
  const s = store.stands.find((x) => x.id === dragged.value)
  dragged.value = over.value = null
  if (s && s.id !== target.id) await move(s, target.stratum, target.id)
}
/** Alt and an arrow move a stand past its neighbour in the column, into that one's stratum. */
async function nudge(s: Stand, event: KeyboardEvent) {
  const way = event.altKey ? { ArrowUp: -1, ArrowDown: 1 }[event.key] : undefined
  if (!way || !store.mayPlant) return
  event.preventDefault()
  const shown = rows.value.flatMap((r) => r.stands)
  const at = shown.findIndex((x) => x.id === s.id)
  const next = shown[at + way]
  if (!next) return
  const after = shown[at + 2]
  await move(s, next.stratum, way < 0 ? next.id : after && after.stratum === next.stratum ? after.id : null)
  requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-test=stand-${s.slug}]`)?.focus())
}
/** Hide stands for oneself; show them again when all of them are hidden. */
function flip(stands: Stand[]) {
  const hidden = new Set(store.hidden)
  const show = stands.every((s) => hidden.has(s.id))
  for (const s of stands)
    if (show) hidden.delete(s.id)
    else hidden.add(s.id)
  store.hidden = hidden
}
const rows = computed(() => rowsOf(store.stands))
/** Groups that this browser shows folded in this level. */
const folded = useLocalStorage<string[]>(() => `kt-folded-${store.slug}`, [])
const fold = (group: string) =>
  (folded.value = folded.value.includes(group)
    ? folded.value.filter((g) => g !== group)
    : [...folded.value, group])
const mask = (s: Stand) => {
  const url = itemOf(s)?.silhouette
  return url ? { maskImage: `url(${url})`, WebkitMaskImage: `url(${url})` } : {}
}
</script>

<template>
  <aside ref="column" class="column" aria-label="Strata" data-test="strata">
    <div class="drawing" aria-hidden="true">
      <svg :width="wide" height="300">
        <g v-for="m in ticks" :key="m">
          <line x1="34" :x2="wide - 10" :y1="up(m)" :y2="up(m)" class="tick" :class="{ foot: m === 0 }" />
          <text x="28" :y="up(m) + 4" text-anchor="end">{{ m }}</text>
        </g>
        <text x="28" y="12" text-anchor="end" class="unit">m</text>
        <path class="soil" :d="`M34 275 q ${soil} 5 ${2 * soil} 1 ${waves} v 14 h${-8 * soil} z`" />
      </svg>
      <div
        v-for="(s, k) in store.stands"
        :key="s.id"
        class="figure"
        :class="{ dim: store.hidden.has(s.id) || s.off, lit: store.selected.includes(s.id) }"
        :style="{
          left: `${36 + (k + 0.5) * slot}px`,
          width: `${Math.min(broad(s), slot * 1.5)}px`,
          top: `${up(heightOf(s))}px`,
          height: `${FOOT - up(heightOf(s))}px`,
          background: inkOf(s),
          ...mask(s),
        }"
      />
    </div>
    <ol>
      <template v-for="r in rows" :key="r.group || r.stands[0]!.id">
        <li v-if="r.group" class="group" :class="{ off: r.stands.every((s) => s.off) }">
          <ActionButton
            variant="text"
            size="x-small"
            :icon="folded.includes(r.group) ? mdiChevronRight : mdiChevronDown"
            :tip="`${folded.includes(r.group) ? 'Unfold' : 'Fold'} ${r.group}`"
            :aria-expanded="!folded.includes(r.group)"
            :data-test="`fold-${r.group}`"
            @click="fold(r.group)"
          />
          <v-btn
            variant="text"
            class="row"
            :data-test="`group-${r.group}`"
            :aria-pressed="r.stands.every((s) => store.selected.includes(s.id))"
            @click="store.selected = r.stands.map((s) => s.id)"
          >
            <span class="title name">{{ r.group }}</span>
            <span class="count number">{{ whole(r.stands.reduce((n, s) => n + s.count, 0)) }}</span>
            <span class="stratum faint">{{ many(r.stands.length, 'stand', 'stands') }}</span>
            <span class="share number faint"
              >{{ Math.round(r.stands.reduce((n, s) => n + share(s), 0) * 100) }} % of time</span
            >
          </v-btn>
          <ActionButton
            variant="text"
            size="x-small"
            class="eye"
            :icon="r.stands.every((s) => store.hidden.has(s.id)) ? mdiEyeOffOutline : mdiEyeOutline"
            :tip="`${r.stands.every((s) => store.hidden.has(s.id)) ? 'Show' : 'Hide'} all of ${r.group}`"
            :data-test="`hide-group-${r.group}`"
            @click="flip(r.stands)"
          />
        </li>
        <li
          v-for="s in folded.includes(r.group) && r.group ? [] : r.stands"
          :key="s.id"
          :class="{
            grouped: r.group,
            off: s.off,
            chosen: store.selected.includes(s.id),
            over: over === s.id && dragged !== s.id,
          }"
          :draggable="store.mayPlant"
          @dragstart="dragged = s.id"
          @dragover.prevent="over = s.id"
          @dragend="dragged = over = null"
          @drop.prevent="dropOn(s)"
        >
          <v-btn
            variant="text"
            class="row"
            data-keys
            :data-test="`stand-${s.slug}`"
            :aria-pressed="store.selected.includes(s.id)"
            @keydown="nudge(s, $event)"
            @click="choose(s, $event)"
          >
            <span class="ink" :style="{ background: inkOf(s) }" />
            <span class="title name">{{ s.name }}</span>
            <span class="stratum faint"
              >{{ s.stratum }}{{ s.sward ? ', sward' : '' }}{{ s.locked ? ', locked' : ''
              }}{{ s.off ? ', off' : '' }}</span
            >
            <span class="count number" :data-test="`count-${s.slug}`"
              >{{ s.counted ? '' : '≈ ' }}{{ whole(s.count) }}</span
            >
            <span class="share number faint">{{ Math.round(share(s) * 100) }} % of time</span>
            <span class="gauge"><i :style="{ width: `${share(s) * 100}%`, background: inkOf(s) }" /></span>
          </v-btn>
          <ActionButton
            variant="text"
            size="x-small"
            class="eye"
            :icon="store.hidden.has(s.id) ? mdiEyeOffOutline : mdiEyeOutline"
            :tip="`${store.hidden.has(s.id) ? 'Show' : 'Hide'} ${s.name}`"
            :data-test="`hide-${s.slug}`"
            @click="flip([s])"
          />
        </li>
      </template>
    </ol>
    <NewStand v-if="store.mayPlant" :view="view" />
    <p class="faint hint">
      Earlier strata and higher rows claim room first. Drag a row, or Alt ↑ ↓, to move it. Ctrl-click selects
      several.
    </p>
  </aside>
</template>

<style scoped>
.column {
  grid-column: 1;
  background: var(--sheet);
  overflow-y: auto;
  overflow-x: hidden;
  min-height: 0;
}
.drawing {
  position: relative;
  height: 300px;
}
.drawing text {
  font-size: 11.5px;
  fill: var(--faint);
}
.tick {
  stroke: var(--line);
  stroke-dasharray: 1 3;
}
.tick.foot {
  stroke: var(--ink);
  stroke-dasharray: none;
}
.soil {
  fill: color-mix(in srgb, var(--ochre) 20%, transparent);
}
.figure {
  position: absolute;
  transform: translateX(-50%);
  mask-size: 100% 100%;
  mask-repeat: no-repeat;
  mask-position: bottom center;
  opacity: 0.62;
}
.figure.lit {
  opacity: 1;
}
.figure.dim {
  opacity: 0.18;
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
li.grouped {
  padding-left: 14px;
}
.group .row :deep(.v-btn__content) {
  grid-template-columns: minmax(0, 1fr) auto;
}
.group .row {
  padding-left: 2px;
}
.group > .v-btn[aria-expanded='true'] {
  background: none;
}
.group .title {
  font-weight: 500;
}
.group .stratum {
  grid-column: 1;
}
.group .share {
  grid-column: 2;
}
li.over {
  border-top: 2px solid var(--green);
}
li.off .name,
li.off .count {
  color: var(--faint);
}
li.off .name {
  text-decoration: line-through;
}
li.chosen {
  background: color-mix(in srgb, var(--green) 13%, transparent);
}
.row {
  flex: 1;
  min-width: 0;
  grid-template-columns: 0 minmax(0, 1fr) 0;
  height: auto !important;
  padding: 8px 2px 8px 10px;
}
.row[aria-pressed='true'] {
  background: none;
}
.row :deep(.v-btn__content) {
  width: 100%;
  display: grid;
  grid-template-columns: 12px minmax(0, 1fr) auto;
  gap: 0 6px;
  align-items: baseline;
  text-align: left;
  font-weight: 400;
  font-size: 14px;
}
.ink {
  width: 9px;
  height: 9px;
  align-self: center;
}
.title {
  font-size: 17px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.stratum,
.share {
  font-size: 12.5px;
}
.stratum {
  grid-column: 2;
  grid-row: 2;
}
.share {
  grid-column: 3;
  grid-row: 2;
  text-align: right;
}
.gauge {
  grid-column: 2 / 4;
  height: 2px;
  background: var(--line);
  margin-top: 4px;
}
.gauge i {
  display: block;
  height: 100%;
}
.eye {
  margin-right: 4px;
}
.hint {
  padding: 8px 12px;
  font-size: 12.5px;
  margin: 0;
}
</style>

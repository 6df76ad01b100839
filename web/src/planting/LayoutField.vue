<script setup lang="ts">
import { computed } from 'vue'
import type { Layout } from '../api/client'
import type { Draft } from './useDraft'
import { useLevel } from '../level/level'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { LayoutSettingsBounds } from '../api/bounds'

/** How a stand's places lie: freely, along paths, over or round areas, or on another stand's plants. */
const props = defineProps<{ draft: Draft; locked: boolean }>()
const store = useLevel()
const shared = computed(() => props.draft.shared((s) => s.layout))
const l = computed(() => shared.value.value)
/** Change some of it, for all; what differs otherwise stays so. */
function set(part: Partial<Layout>, more: { fullness?: number } = {}) {
  if (!shared.value.mixed) props.draft.change({ layout: { ...l.value, ...part }, ...more })
  else props.draft.changeEach((s) => ({ layout: { ...s.layout, ...part }, ...more }))
}
/** How all of them lie; null where they differ in that. */
const kind = computed(() => (props.draft.shared((s) => s.layout.kind).mixed ? null : l.value.kind))
const isMixed = (part: keyof Layout) => props.draft.shared((s) => s.layout[part]).mixed
const KINDS = [
  { value: 'free', title: 'freely, evenly apart' },
  { value: 'path', title: 'along paths' },
  { value: 'rows', title: 'in rows over areas' },
  { value: 'round', title: 'round the edge of areas' },
  { value: 'inside', title: 'so many inside areas' },
  { value: 'anchors', title: 'on another stand’s plants' },
] as const
const BY = [
  { value: 'every', title: 'every so many metres' },
  { value: 'count', title: 'so often on each' },
] as const
const SIDES = [
  { value: 'on', title: 'on its line' },
  { value: 'left', title: 'left of it' },
  { value: 'right', title: 'right of it' },
  { value: 'both', title: 'both sides' },
] as const
const FACES = [
  { value: 'along', title: 'along it' },
  { value: 'across', title: 'across it' },
  { value: 'free', title: 'as they like' },
] as const
const WHERE = [
  { value: 'each', title: 'one on each anchor point' },
  { value: 'around', title: 'along the line through them' },
  { value: 'inside', title: 'inside that line' },
] as const
const follows = computed(() => (l.value.kind === 'path' ? 'path' : 'area'))
const ofKind = computed(() => store.shapes.filter((s) => s.kind === follows.value))
const laid = computed(() => l.value.kind !== 'free' && l.value.kind !== 'anchors')
const hosts = computed(() => {
  const at = store.stands.indexOf(store.chosen[0]!)
  return store.stands.filter((s, k) => !s.sward && k < at)
})
const anchored = (number: number) =>
  store.stands
    .find((s) => s.number === number)
    ?.items.some((i) => store.level!.stock.find((x) => x.slug === i)?.anchors.length)
/** The groups of anchor points that the host's items have. */
const groups = computed(() => {
  const items = store.stands.find((s) => s.number === l.value.host)?.items ?? []
  const names = items.flatMap((i) => store.level!.stock.find((x) => x.slug === i)?.anchors ?? [])
  return [...new Set(names.map((n) => n.replace(/[\d ]+$/, '') || n))]
})
const where = computed(() => (!l.value.around ? 'each' : l.value.inside ? 'inside' : 'around'))
const stand = (value: string) =>
  set({ around: value === 'each' ? 0 : l.value.around || 5, inside: value === 'inside' })
function take(next: Layout['kind']) {
  // So many are wanted, so none is thinned out.
  if (next === 'inside') return set({ kind: next, shapes: [], count: l.value.count || 20 }, { fullness: 1 })
  if (next !== 'anchors')
    return set({
      kind: next,
      shapes: [],
      ...(next === 'path' && l.value.side !== 'on' && !l.value.offset ? { side: 'on' as const } : {}),
    })
  const host = hosts.value.find((s) => anchored(s.number)) ?? hosts.value[0]
  set({ kind: next, host: host?.number ?? 0 })
}
const side = (value: Layout['side']) =>
  set({ side: value, offset: value !== 'on' && !l.value.offset ? 2 : l.value.offset })
</script>

<template>
  <div data-test="layout">
    <p v-if="shared.mixed" class="faint" data-test="layout-mixed">
      The selected stands lie differently. What is changed here is changed for all of them; the rest stays.
    </p>
    <ChoiceField
      label="They stand"
      :value="kind"
      hint="mixed"
      :items="KINDS"
      :disabled="locked"
      test="layout-kind"
      @change="$event && take($event)"
    />
    <template v-if="kind && laid">
      <v-select
        v-if="ofKind.length"
        multiple
        chips
        closable-chips
        clearable
        :model-value="l.shapes"
        :items="ofKind"
        item-title="name"
        item-value="id"
        :label="follows === 'path' ? 'Paths' : 'Areas'"
        :placeholder="`all ${follows}s`"
        persistent-placeholder
        hide-details
        :disabled="locked"
        class="which"
        data-test="layout-shapes"
        @update:model-value="set({ shapes: $event ?? [] })"
      />
      <p v-else class="faint">This level has no {{ follows }}s yet; draw one on the Ground bench.</p>
    </template>
    <template v-if="kind === 'path' || kind === 'round'">
      <ChoiceField
        label="A plant"
        :value="l.count ? 'count' : 'every'"
        :items="BY"
        :disabled="locked"
        test="layout-by"
        @change="set({ count: $event === 'count' ? 20 : 0 })"
      />
      <NumberField
        v-if="!l.count"
        label="Every"
        :value="l.every"
        :mixed="isMixed('every')"
        :bounds="LayoutSettingsBounds.every"
        :disabled="locked"
        test="layout-every"
        @change="set({ every: $event })"
      />
      <NumberField
        v-else
        :label="`On each ${follows}`"
        unit="plants"
        :value="l.count"
        :mixed="isMixed('count')"
        :bounds="LayoutSettingsBounds.count"
        :min="1"
        :digits="0"
        :disabled="locked"
        test="layout-count"
        @change="set({ count: Math.round($event) })"
      />
    </template>
    <NumberField
      v-if="kind === 'inside'"
      label="In each area"
      unit="plants"
      :value="l.count"
      :mixed="isMixed('count')"
      :bounds="LayoutSettingsBounds.count"
      :min="1"
      :digits="0"
      :disabled="locked"
      test="layout-inside"
      @change="set({ count: Math.round($event) })"
    />
    <template v-if="kind === 'path'">
      <ChoiceField
        label="Side"
        :value="l.side!"
        :items="SIDES"
        :disabled="locked"
        test="layout-side"
        @change="side"
      />
      <NumberField
        v-if="l.side !== 'on'"
        label="Away from its line"
        :value="l.offset"
        :mixed="isMixed('offset')"
        :bounds="LayoutSettingsBounds.offset"
        :min="0.05"
        :disabled="locked"
        test="layout-offset"
        @change="set({ offset: $event })"
      />
    </template>
    <template v-if="kind === 'rows'">
      <NumberField
        label="Rows run toward"
        :value="l.bearing"
        :mixed="isMixed('bearing')"
        :bounds="LayoutSettingsBounds.bearing"
        :digits="0"
        :normal="LayoutSettingsBounds.bearing.default"
        :disabled="locked"
        test="layout-bearing"
        @change="set({ bearing: $event })"
      />
      <NumberField
        label="Rows apart"
        :value="l.apart"
        :mixed="isMixed('apart')"
        :bounds="LayoutSettingsBounds.apart"
        :disabled="locked"
        test="layout-apart"
        @change="set({ apart: $event })"
      />
      <NumberField
        label="In a row, every"
        :value="l.every"
        :mixed="isMixed('every')"
        :bounds="LayoutSettingsBounds.every"
        :disabled="locked"
        test="layout-every"
        @change="set({ every: $event })"
      />
    </template>
    <template v-if="laid">
      <ChoiceField
        v-if="kind !== 'inside'"
        label="They face"
        :value="l.face!"
        :items="FACES"
        :disabled="locked"
        test="layout-face"
        @change="set({ face: $event })"
      />
      <NumberField
        label="Off their place, up to"
        :value="l.jitter"
        :mixed="isMixed('jitter')"
        :bounds="LayoutSettingsBounds.jitter"
        :normal="LayoutSettingsBounds.jitter.default"
        :disabled="locked"
        test="layout-jitter"
        @change="set({ jitter: $event })"
      />
      <v-checkbox
        v-if="kind === 'rows' || (kind === 'path' && l.side === 'both')"
        label="staggered, half a step apart"
        :model-value="l.stagger"
        :disabled="locked"
        data-test="layout-stagger"
        @update:model-value="set({ stagger: !!$event })"
      />
    </template>
    <template v-if="kind === 'anchors'">
      <ChoiceField
        label="Host"
        :value="l.host || null"
        :items="hosts.map((s) => ({ value: s.number, title: s.name }))"
        hint="choose a stand above"
        :disabled="locked"
        test="layout-host"
        @change="set({ host: $event ?? 0 })"
      />
      <p v-if="l.host && !anchored(l.host)" class="over">None of its items has anchor points to stand on.</p>
      <ChoiceField
        v-if="groups.length > 1"
        label="Points"
        :value="l.group!"
        :items="[{ value: '', title: 'all of them' }, ...groups.map((g) => ({ value: g, title: g }))]"
        :disabled="locked"
        test="layout-group"
        @change="set({ group: $event })"
      />
      <ChoiceField
        label="Where"
        :value="where"
        :items="WHERE"
        :disabled="locked"
        test="layout-around"
        @change="stand"
      />
      <NumberField
        v-if="l.around"
        label="On each host"
        unit="plants"
        :value="l.around"
        :mixed="isMixed('around')"
        :bounds="LayoutSettingsBounds.around"
        :min="1"
        :digits="0"
        :disabled="locked"
        test="layout-number"
        @change="set({ around: Math.round($event) })"
      />
      <p class="faint small">
        They move, turn, scale and vanish with their host. Fullness sets the share of the points that carry
        one.
      </p>
    </template>
  </div>
</template>

<style scoped>
.which {
  margin: 8px 0 4px;
}
p.small {
  font-size: 12.5px;
  margin: 4px 0 0;
}
</style>

<script setup lang="ts">
import { computed } from 'vue'
import type { Layout } from '../api/client'
import type { Draft } from '../composables/useDraft'
import { useLevel } from '../stores/level'
import NumberField from './NumberField.vue'

/** How a stand's places lie: thrown freely, along paths, in rows, or on the plants of a stand above it. */
const props = defineProps<{ draft: Draft; locked: boolean }>()
const store = useLevel()
const shared = computed(() => props.draft.shared((s) => s.layout!))
const l = computed(() => shared.value.value)
const set = (part: Partial<Layout>) => props.draft.change({ layout: { ...l.value, ...part } })
const KINDS = { free: 'freely, evenly apart', path: 'along paths', rows: 'in rows over areas', anchors: 'on the plants of another stand' } as const
const ofKind = computed(() => store.shapes.filter((s) => s.kind === (l.value.kind === 'path' ? 'path' : 'area')))
const hosts = computed(() => {
  const at = store.stands.indexOf(store.chosen[0])
  return store.stands.filter((s, k) => !s.sward && k < at)
})
const anchored = (number: number) => store.stands.find((s) => s.number === number)?.items.some((i) => store.level!.stock.find((x) => x.slug === i)?.anchors.length)
/** The groups of anchor points that the host's items have. */
const groups = computed(() => {
  const items = store.stands.find((s) => s.number === l.value.host)?.items ?? []
  const names = items.flatMap((i) => store.level!.stock.find((x) => x.slug === i)?.anchors ?? [])
  return [...new Set(names.map((n) => n.replace(/[\d ]+$/, '') || n))]
})
const where = computed(() => (!l.value.around ? 'each' : l.value.inside ? 'inside' : 'around'))
const stand = (value: string) => set({ around: value === 'each' ? 0 : l.value.around || 5, inside: value === 'inside' })
function take(kind: Layout['kind']) {
  if (kind !== 'anchors') return set({ kind, shapes: [], ...(kind === 'path' && l.value.side !== 'on' && !l.value.offset ? { side: 'on' as const } : {}) })
  const host = hosts.value.find((s) => anchored(s.number)) ?? hosts.value[0]
  set({ kind, host: host?.number ?? 0 })
}
const flip = (id: number) => set({ shapes: l.value.shapes!.includes(id) ? l.value.shapes!.filter((x) => x !== id) : [...l.value.shapes!, id] })
const side = (value: Layout['side']) => set({ side: value, offset: value !== 'on' && !l.value.offset ? 2 : l.value.offset })
</script>

<template>
  <p v-if="shared.mixed" class="faint">The selected stands lie differently; select one to change that.</p>
  <div v-else data-test="layout">
    <label class="wide">They stand <select class="cell" :value="l.kind" :disabled="locked" data-test="layout-kind" @change="take(($event.target as HTMLSelectElement).value as Layout['kind'])"><option v-for="(says, kind) in KINDS" :key="kind" :value="kind">{{ says }}</option></select></label>
    <template v-if="l.kind === 'path' || l.kind === 'rows'">
      <p v-if="ofKind.length" class="choices">
        <label><input type="checkbox" :checked="!l.shapes!.length" :disabled="locked" @change="set({ shapes: [] })" /> all</label>
        <label v-for="s in ofKind" :key="s.id"><input type="checkbox" :checked="l.shapes!.includes(s.id)" :disabled="locked" @change="flip(s.id)" /> {{ s.name }}</label>
      </p>
      <p v-else class="faint">This level has no {{ l.kind === 'path' ? 'paths' : 'areas' }} yet; draw one on the Ground bench.</p>
    </template>
    <template v-if="l.kind === 'path'">
      <label class="wide">A plant <select class="cell" :value="l.count ? 'count' : 'every'" :disabled="locked" data-test="layout-by" @change="set({ count: ($event.target as HTMLSelectElement).value === 'count' ? 20 : 0 })"><option value="every">every so many metres</option><option value="count">so often on each path</option></select></label>
      <NumberField v-if="!l.count" label="Every" unit="m" :value="l.every" :min="0.1" :max="1000" :step="0.1" :disabled="locked" test="layout-every" @change="$event > 0 && set({ every: $event })" />
      <NumberField v-else label="On each path" unit="plants" :value="l.count" :min="1" :max="100000" :digits="0" :disabled="locked" test="layout-count" @change="$event >= 1 && set({ count: Math.round($event) })" />
      <label class="wide">Side <select class="cell" :value="l.side" :disabled="locked" data-test="layout-side" @change="side(($event.target as HTMLSelectElement).value as Layout['side'])"><option value="on">on its line</option><option value="left">left of it</option><option value="right">right of it</option><option value="both">both sides</option></select></label>
      <NumberField v-if="l.side !== 'on'" label="Away from its line" unit="m" :value="l.offset" :min="0.05" :max="200" :step="0.25" :disabled="locked" test="layout-offset" @change="$event > 0 && set({ offset: $event })" />
    </template>
    <template v-if="l.kind === 'rows'">
      <NumberField label="Rows run toward" unit="°" :value="l.bearing" :min="0" :max="360" :step="5" :digits="0" :disabled="locked" test="layout-bearing" @change="$event >= 0 && $event <= 360 && set({ bearing: $event })" />
      <NumberField label="Rows apart" unit="m" :value="l.apart" :min="0.1" :max="1000" :step="0.25" :disabled="locked" test="layout-apart" @change="$event > 0 && set({ apart: $event })" />
      <NumberField label="In a row, every" unit="m" :value="l.every" :min="0.1" :max="1000" :step="0.25" :disabled="locked" test="layout-every" @change="$event > 0 && set({ every: $event })" />
    </template>
    <template v-if="l.kind === 'path' || l.kind === 'rows'">
      <label class="wide">They face <select class="cell" :value="l.face" :disabled="locked" data-test="layout-face" @change="set({ face: ($event.target as HTMLSelectElement).value as Layout['face'] })"><option value="along">along it</option><option value="across">across it</option><option value="free">as they like</option></select></label>
      <NumberField label="Off their place, up to" unit="m" :value="l.jitter" :min="0" :max="20" :step="0.05" :disabled="locked" test="layout-jitter" @change="$event >= 0 && set({ jitter: $event })" />
      <label v-if="l.kind === 'rows' || l.side === 'both'" class="small"><input type="checkbox" :checked="l.stagger" :disabled="locked" data-test="layout-stagger" @change="set({ stagger: !l.stagger })" /> staggered, half a step apart</label>
    </template>
    <template v-if="l.kind === 'anchors'">
      <label class="wide">Host <select class="cell" :value="l.host" :disabled="locked" data-test="layout-host" @change="set({ host: Number(($event.target as HTMLSelectElement).value) })"><option :value="0" disabled>choose a stand above</option><option v-for="s in hosts" :key="s.id" :value="s.number">{{ s.name }}</option></select></label>
      <p v-if="l.host && !anchored(l.host)" class="over">None of its items has anchor points to stand on.</p>
      <label v-if="groups.length > 1" class="wide">Points <select class="cell" :value="l.group" :disabled="locked" data-test="layout-group" @change="set({ group: ($event.target as HTMLSelectElement).value })"><option value="">all of them</option><option v-for="g in groups" :key="g" :value="g">{{ g }}</option></select></label>
      <label class="wide">Where <select class="cell" :value="where" :disabled="locked" data-test="layout-around" @change="stand(($event.target as HTMLSelectElement).value)"><option value="each">one on each anchor point</option><option value="around">spread along the line through them</option><option value="inside">spread inside that line</option></select></label>
      <NumberField v-if="l.around" label="On each host" unit="plants" :value="l.around" :min="1" :max="64" :digits="0" :disabled="locked" test="layout-number" @change="$event >= 1 && set({ around: Math.round($event) })" />
      <p class="faint small">They move, turn, scale and vanish with their host. Fullness sets the share of the points that carry one.</p>
    </template>
  </div>
</template>

<style scoped>
.wide {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: baseline;
  padding: 2px 0;
}
.wide select {
  text-align: left;
  max-width: 210px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  margin: 2px 0;
  font-size: 13px;
}
.small {
  font-size: 12.5px;
}
p.small {
  margin: 4px 0 0;
}
</style>

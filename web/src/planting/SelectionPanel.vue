<script setup lang="ts">
import { HandInBounds, RangesInBounds } from '../api/bounds'
import { mdiContentCopy, mdiDeleteOutline, mdiEyeOutline, mdiTuneVariant } from '@mdi/js'
import { computed, ref } from 'vue'
import type { Selected, View } from '../api/client'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import { useSelection } from './selection'
import ActionButton from '../shared/ActionButton.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import NumberField from '../shared/NumberField.vue'
import PairField from '../shared/PairField.vue'

/** Single plants that are selected: numbers for all of them, mixed ones shown as mixed. */
const props = defineProps<{ view: () => View | null }>()
const emit = defineEmits<{ go: [at: [number, number]] }>()
const store = useLevel()
const selection = useSelection()
const plants = computed(() => selection.plants)
const locked = computed(() => !selection.movable)
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const standOf = (id: number) => store.stands.find((s) => s.id === id)?.name ?? ''
const title = computed(() => {
  const names = [...new Set(plants.value.map((p) => standOf(p.stand)))]
  const of = names.length > 2 ? `${names.length} stands` : names.join(' and ')
  return `${whole(plants.value.length)} ${plants.value.length === 1 ? 'plant' : 'plants'} of ${of}`
})
type Name = 'turn' | 'lean' | 'width' | 'height' | 'lift'
/** A number that all of them share, to a thousandth, or mixed. */
function shared(name: Name) {
  const first = plants.value[0]?.[name] ?? 0
  return { value: first, mixed: plants.value.some((p) => Math.abs(p[name] - first) > 1e-3) }
}
const item = computed(() =>
  plants.value.every((p) => p.item === plants.value[0]!.item) ? plants.value[0]!.item : '',
)
const byHand = computed(() => plants.value.filter((p) => p.state === 'pinned').length)
const FIELDS: [Name, string, number][] = [
  ['turn', 'Turn', 0],
  ['lean', 'Lean', 1],
  ['height', 'Height', 2],
  ['width', 'Width', 2],
  ['lift', 'Above the ground', 2],
]
const RANDOM = [
  { name: 'turn', title: 'turn' },
  { name: 'size', title: 'size' },
  { name: 'lean', title: 'lean' },
  { name: 'item', title: 'item' },
] as const
const RANGES = [
  { name: 'turn', title: 'Turn' },
  { name: 'size', title: 'Size' },
  { name: 'lean', title: 'Lean' },
] as const
const ALIGN = [
  { to: 'surface', title: 'to the ground' },
  { to: 'upright', title: 'upright' },
  { to: 'eye', title: 'to the eye' },
] as const
/** Whether values are drawn from ranges given here, not from those of each plant's stand. */
const ownRanges = ref(false)
const ranges = ref<Record<'turn' | 'size' | 'lean', [number, number]>>({
  turn: [0, 360],
  size: [0.8, 1.2],
  lean: [0, 5],
})
const random = (name: (typeof RANDOM)[number]['name']) =>
  selection.act({ random: [name], ...(ownRanges.value ? { ranges: ranges.value } : {}) })
const eye = (): [number, number] | null => {
  const v = props.view()
  return v ? [v.x, v.z] : null
}
const SHOWN = 60
const listed = computed(() => {
  const v = props.view()
  const far = (p: Selected) => (v ? Math.hypot(p.x - v.x, p.z - v.z) : 0)
  return plants.value
    .map((p) => ({ p, far: far(p) }))
    .sort((a, b) => a.far - b.far)
    .slice(0, SHOWN)
})
</script>

<template>
  <div class="picks" data-test="selection">
    <h2>{{ title }}</h2>
    <p class="faint small">
      {{ byHand ? `${whole(byHand)} set by hand. ` : '' }}What is changed stays so under any rule. Drag one of
      them to move all; plants keep their lean and height above the ground.
    </p>
    <p v-if="selection.over" class="over small">
      {{ whole(selection.over) }} more were asked for; 10,000 can be selected at once.
    </p>
    <p v-if="selection.trouble" class="over" role="alert" data-test="selection-trouble">
      {{ selection.trouble }}
    </p>
    <ItemPicker
      :model-value="item ?? ''"
      label="mixed"
      :disabled="locked"
      test="selection-item"
      @update:model-value="selection.act({ item: $event })"
    />
    <NumberField
      v-for="[name, label, digits] in FIELDS"
      :key="name"
      late
      :label="label"
      :value="shared(name).value"
      :mixed="shared(name).mixed"
      :bounds="HandInBounds[name]"
      :digits="digits"
      :disabled="locked"
      :test="`selection-${name}`"
      @change="selection.act({ [name]: $event })"
    />
    <div class="row">
      <span class="faint">Turn by</span>
      <v-btn
        v-for="d in [-45, -15, 15, 45]"
        :key="d"
        size="x-small"
        :disabled="locked"
        :data-test="`turn-${d}`"
        @click="selection.act({ turn_by: d })"
        >{{ d > 0 ? '+' : '−' }}{{ Math.abs(d) }}°</v-btn
      >
    </div>
    <div class="row">
      <span class="faint">Size by</span>
      <v-btn
        v-for="f in [0.8, 1.25]"
        :key="f"
        size="x-small"
        :disabled="locked"
        :data-test="`size-${f}`"
        @click="selection.act({ size_by: f })"
        >× {{ f }}</v-btn
      >
    </div>
    <div class="row">
      <span class="faint">Draw anew</span>
      <v-btn
        v-for="r in RANDOM"
        :key="r.name"
        size="x-small"
        :disabled="locked"
        :data-test="`random-${r.name}`"
        @click="random(r.name)"
        >{{ r.title }}</v-btn
      >
      <ActionButton
        size="x-small"
        :icon="mdiTuneVariant"
        :on="ownRanges"
        tip="From ranges of your own in place of the stand’s"
        data-test="random-ranges"
        @click="ownRanges = !ownRanges"
      />
    </div>
    <template v-if="ownRanges">
      <PairField
        v-for="r in RANGES"
        :key="r.name"
        :label="r.title"
        :value="ranges[r.name]"
        :bounds="RangesInBounds[r.name]"
        :disabled="locked"
        :test="`range-${r.name}`"
        @change="ranges = { ...ranges, [r.name]: $event }"
      />
    </template>
    <div class="row">
      <span class="faint">Align</span>
      <v-btn
        v-for="a in ALIGN"
        :key="a.to"
        size="x-small"
        :disabled="locked"
        :data-test="`align-${a.to}`"
        @click="selection.act({ align: a.to, eye: eye() })"
        >{{ a.title }}</v-btn
      >
    </div>
    <div class="row">
      <ActionButton
        :icon="mdiContentCopy"
        :disabled="locked"
        tip="Set a copy of each beside it, 1 m east"
        data-test="selection-copy"
        @click="selection.act({ do: 'copy', east: 1 })"
        >Duplicate</ActionButton
      >
      <ActionButton
        :icon="mdiDeleteOutline"
        :disabled="locked"
        tip="Take them out for good  Delete"
        data-test="selection-remove"
        @click="selection.act({ do: 'remove' })"
        >Remove</ActionButton
      >
      <ActionButton
        :disabled="locked"
        :why="!byHand && 'none of them was set by hand'"
        tip="Back to what the rule makes of them"
        data-test="selection-release"
        @click="selection.act({ do: 'release' })"
        >Release to the rule</ActionButton
      >
      <ActionButton tip="Select none  Esc" data-test="selection-clear" @click="selection.clear"
        >Let go</ActionButton
      >
    </div>
    <v-checkbox v-model="selection.push" label="push through what is in the way" data-test="selection-push" />
    <ul class="list">
      <li v-for="{ p, far: m } in listed" :key="`${p.stand}/${p.plant}`">
        <span
          >{{ nameOf(p.item) }}
          <span class="faint number">{{ Math.round(p.x) }} east, {{ Math.round(p.z) }} south</span></span
        >
        <span class="faint number">{{ Math.round(m) }} m</span>
        <ActionButton
          size="x-small"
          variant="text"
          :icon="mdiEyeOutline"
          tip="Look at it"
          @click="emit('go', [p.x, p.z])"
        />
      </li>
    </ul>
    <p v-if="plants.length > SHOWN" class="faint small">
      The nearest {{ SHOWN }} of {{ whole(plants.length) }}.
    </p>
  </div>
</template>

<style scoped>
.picks {
  border-bottom: 1px solid var(--ink);
  margin-bottom: 14px;
  padding-bottom: 8px;
}
.small {
  font-size: 12.5px;
  margin: 3px 0;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin: 6px 0;
}
.list {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  font-size: 13px;
  max-height: 190px;
  overflow-y: auto;
}
.list li {
  display: flex;
  gap: 8px;
  align-items: center;
}
.list li > span:first-child {
  flex: 1;
}
</style>

<script setup lang="ts">
import type { Drawing } from '../api/client'
import { STRATA } from '../shared/strata'
import { CELLS, GROUND_ERROR } from '../stage/drawing'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { DrawingSettingsBounds } from '../api/bounds'

/** How a level is drawn, or what a tier takes away from it. */
const props = defineProps<{ value: Drawing; tier?: boolean; disabled?: boolean; fields: string[] }>()
const emit = defineEmits<{ change: [part: Partial<Drawing>] }>()
const put = (part: Partial<Drawing>) => emit('change', part)
const wrong = (name: string) => props.fields.some((field) => field.endsWith(name))
const test = (name: string) => `${props.tier ? 'tier' : 'drawing'}-${name}`

type Number = {
  name: 'distances' | 'fades' | 'shadows' | 'sward_share' | 'fog' | 'lod_offset'
  label: string
  tip: string
}
/** Shares are shown as per cent. */
const scale = (name: Number['name']) => (name === 'lod_offset' ? 1 : 100)
const NUMBERS: Number[] = [
  {
    name: 'distances',
    label: 'All distances',
    tip: 'Mesh steps, billboards and the end of every stand, so many times as far',
  },
  {
    name: 'fades',
    label: 'All fades',
    tip: 'The width of every fade',
  },
  {
    name: 'shadows',
    label: 'All shadow reaches',
    tip: 'How far the shadows of every stand reach',
  },
  {
    name: 'lod_offset',
    label: 'Finest meshes left out',
    tip: 'So many of every item’s finest meshes are never drawn; the coarsest always is',
  },
  {
    name: 'sward_share',
    label: 'Tufts of swards',
    tip: 'The share of tufts that is drawn: always the same ones, so nothing moves',
  },
  {
    name: 'fog',
    label: 'Fog',
    tip: 'How thick the level’s fog is',
  },
]
type Ceiling = {
  name: 'full_meshes' | 'sward_reach' | 'shadow_reach' | 'ground_detail'
  label: string
  first: number
  tip: string
}
const CEILINGS: Ceiling[] = [
  {
    name: 'full_meshes',
    label: 'Trees as full meshes',
    first: 50,
    tip: 'The most trees that are drawn as their finest mesh at once; the others step down',
  },
  {
    name: 'sward_reach',
    label: 'Swards end at',
    first: 60,
    tip: 'No tuft is drawn farther off',
  },
  {
    name: 'shadow_reach',
    label: 'Shadows end at',
    first: 80,
    tip: 'Nothing casts shadow farther off',
  },
  {
    name: 'ground_detail',
    label: 'Ground in detail to',
    first: 80,
    tip: 'Farther off, the ground is drawn in plain colours, without the grain and pictures of its layers',
  },
]
const cells = CELLS.map((side) => ({ value: side, title: `${side} m` }))
const strata = [
  { name: 'casts' as const, label: 'Cast shadow' },
  { name: 'receives' as const, label: 'Receive shadow' },
]
</script>

<template>
  <v-switch
    v-if="!tier"
    :model-value="value.plants"
    label="Draw plants"
    :disabled="disabled"
    :data-test="test('plants')"
    @update:model-value="put({ plants: !!$event })"
  />
  <v-switch
    :model-value="value.billboards"
    label="Draw billboards"
    :disabled="disabled"
    :data-test="test('billboards')"
    @update:model-value="put({ billboards: !!$event })"
  />
  <NumberField
    v-for="f in NUMBERS"
    :key="f.name"
    :label="f.label"
    :tip="f.tip"
    :value="value[f.name] * scale(f.name)"
    :bounds="DrawingSettingsBounds[f.name]"
    :digits="0"
    :normal="DrawingSettingsBounds[f.name].default * scale(f.name)"
    :wrong="wrong(f.name)"
    :disabled="disabled"
    :test="test(f.name)"
    @change="put({ [f.name]: $event / scale(f.name) })"
  />
  <div v-for="f in CEILINGS" :key="f.name" class="ceiling">
    <v-checkbox
      :model-value="value[f.name] != null"
      :label="f.label"
      :disabled="disabled"
      hide-details
      :data-test="test(`${f.name}-on`)"
      @update:model-value="put({ [f.name]: $event ? f.first : null })"
    />
    <NumberField
      v-if="value[f.name] != null"
      bare
      :label="f.label"
      :tip="f.tip"
      :value="value[f.name]"
      :bounds="DrawingSettingsBounds[f.name]"
      :digits="0"
      :wrong="wrong(f.name)"
      :disabled="disabled"
      :test="test(f.name)"
      @change="put({ [f.name]: $event })"
    />
    <span v-else class="faint">no limit</span>
  </div>
  <v-switch
    :model-value="value.ground_shaded"
    label="Shadows fall on the ground"
    :disabled="disabled"
    :data-test="test('ground_shaded')"
    @update:model-value="put({ ground_shaded: !!$event })"
  />
  <div v-for="s in strata" :key="s.name" class="strata">
    <span>{{ s.label }}</span>
    <v-select
      :model-value="value[s.name]"
      :items="STRATA"
      multiple
      hide-details
      :aria-label="s.label"
      :disabled="disabled"
      :data-test="test(s.name)"
      @update:model-value="put({ [s.name]: $event })"
    >
      <template #selection="{ index }">
        <span v-if="index === 0">{{
          value[s.name].length === STRATA.length ? 'all strata' : value[s.name].join(', ')
        }}</span>
      </template>
      <template #no-data />
    </v-select>
  </div>
  <NumberField
    label="Ground, off by about"
    tip="Each tile of the ground is as coarse as it may be without being off by more, at 1,080 lines"
    :value="value.ground_error ?? (tier ? 0.1 : GROUND_ERROR)"
    :bounds="DrawingSettingsBounds.ground_error"
    :digits="1"
    :normal="tier ? 0.1 : GROUND_ERROR"
    :wrong="wrong('ground_error')"
    :disabled="disabled"
    :test="test('ground_error')"
    @change="put({ ground_error: $event })"
  />
  <ChoiceField
    v-if="!tier"
    label="Drawing cells"
    :value="value.cell"
    :items="cells"
    :disabled="disabled"
    :test="test('cell')"
    @change="put({ cell: $event })"
  />
</template>

<style scoped>
.ceiling,
.strata {
  display: grid;
  grid-template-columns: minmax(0, 1fr) var(--field-width, 128px);
  gap: 8px;
  align-items: center;
  padding: 2px 0;
}
.strata {
  grid-template-columns: minmax(0, 1fr) 176px;
}
.ceiling .faint {
  text-align: right;
}
</style>

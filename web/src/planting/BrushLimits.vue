<script setup lang="ts">
import { computed } from 'vue'
import { LimitsInBounds } from '../api/bounds'
import type { Stroke } from '../api/client'
import { useLevel } from '../level/level'
import ChoiceField from '../shared/ChoiceField.vue'
import PairField from '../shared/PairField.vue'

/** The ground on which alone a brush works. */
const limits = defineModel<NonNullable<Stroke['limits']>>({ required: true })
const store = useLevel()
const areas = computed(() => store.shapes.filter((s) => s.kind === 'area'))
const heights = computed<[number, number]>(() => [Math.floor(store.level!.low), Math.ceil(store.level!.high)])
const change = (part: Partial<typeof limits.value>) => (limits.value = { ...limits.value, ...part })
</script>

<template>
  <div>
    <ChoiceField
      label="on"
      :value="limits.layer!"
      :items="[
        { value: '', title: 'any ground' },
        ...store.level!.layers.map((l) => ({ value: l.name, title: l.name })),
      ]"
      test="limit-layer"
      @change="change({ layer: $event })"
    />
    <ChoiceField
      label="in"
      :value="limits.area ?? null"
      :items="[{ value: null, title: 'any place' }, ...areas.map((a) => ({ value: a.id, title: a.name }))]"
      test="limit-area"
      @change="change({ area: $event })"
    />
    <v-checkbox
      label="on slopes"
      :model-value="!!limits.slope"
      data-test="limit-slope"
      @update:model-value="change({ slope: limits.slope ? null : [0, 20] })"
    />
    <PairField
      v-if="limits.slope"
      label="Slope"
      :value="limits.slope as [number, number]"
      :bounds="LimitsInBounds.slope"
      test="limit-slope-band"
      @change="change({ slope: $event })"
    />
    <v-checkbox
      label="at altitudes"
      :model-value="!!limits.altitude"
      data-test="limit-altitude"
      @update:model-value="change({ altitude: limits.altitude ? null : heights })"
    />
    <PairField
      v-if="limits.altitude"
      label="Altitude"
      :value="limits.altitude as [number, number]"
      :bounds="LimitsInBounds.altitude"
      test="limit-altitude-band"
      @change="change({ altitude: $event })"
    />
  </div>
</template>

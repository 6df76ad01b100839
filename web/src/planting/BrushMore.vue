<script setup lang="ts">
import { LimitsInBounds } from '../api/bounds'
import { mdiDotsHorizontal } from '@mdi/js'
import { computed, ref } from 'vue'
import { useBrush } from './brush'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import PairField from '../shared/PairField.vue'
import TipPicker from './TipPicker.vue'

/** What the brush works on, its tip, and where alone it works. */
const emit = defineEmits<{ fill: [what: 'area' | 'level'] }>()
const store = useLevel()
const brush = useBrush()
const open = ref(false)

const limits = computed(() => brush.limits)
const areas = computed(() => store.shapes.filter((s) => s.kind === 'area'))
const strata = computed(() => [...new Set(store.chosen.map((s) => s.stratum))].join(', '))
const change = (part: Partial<NonNullable<typeof brush.limits>>) =>
  (brush.limits = { ...limits.value, ...part })
const heights = computed<[number, number]>(() => [Math.floor(store.level!.low), Math.ceil(store.level!.high)])
function fill(what: 'area' | 'level') {
  open.value = false
  emit('fill', what)
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <ActionButton
        v-bind="menu"
        :icon="mdiDotsHorizontal"
        :on="brush.limited || brush.tip !== '' || brush.scope !== 'selected'"
        tip="What the brush works on, its tip, and where alone it works"
        data-test="brush-more"
      />
    </template>
    <v-card class="more" data-test="brush-sheet">
      <h2 class="minor">On</h2>
      <v-radio-group
        v-model="brush.scope"
        inline
        density="compact"
        hide-details
        aria-label="What the brush works on"
      >
        <v-radio value="selected" label="the selected stands" />
        <v-radio v-if="brush.paints" value="stratum" :label="`all of ${strata}`" data-test="scope-stratum" />
        <v-radio v-else value="all" label="every stand" data-test="scope-all" />
      </v-radio-group>
      <template v-if="brush.paints">
        <TipPicker />
        <h2 class="minor">Works only</h2>
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
          :items="[
            { value: null, title: 'any place' },
            ...areas.map((a) => ({ value: a.id, title: a.name })),
          ]"
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
        <v-checkbox
          label="where the stand already is"
          :model-value="limits.present"
          data-test="limit-present"
          @update:model-value="change({ present: !limits.present })"
        />
        <h2 class="minor">At once</h2>
        <p class="row">
          <ActionButton
            tip="Paint all of the area at once"
            :why="limits.area === null && 'choose an area above first'"
            data-test="fill-area"
            @click="fill('area')"
            >all of the area</ActionButton
          >
          <ActionButton tip="Paint the whole level at once" data-test="fill-level" @click="fill('level')"
            >the whole level</ActionButton
          >
        </p>
      </template>
    </v-card>
  </v-menu>
</template>

<style scoped>
.more {
  width: 340px;
  padding: 2px 14px 12px;
}
.more h2 {
  margin: 9px 0 4px;
}
.row {
  display: flex;
  gap: 6px;
  margin: 3px 0;
}
</style>

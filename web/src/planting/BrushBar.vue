<script setup lang="ts">
import {
  mdiBlur,
  mdiBlurRadial,
  mdiEqual,
  mdiEyedropper,
  mdiGauge,
  mdiGrass,
  mdiLasso,
  mdiRadiusOutline,
  mdiSelection,
  mdiSelectionDrag,
  mdiShovel,
  mdiSprout,
  mdiTarget,
  mdiTree,
} from '@mdi/js'
import { computed } from 'vue'
import { ScatterInBounds, StrokeInBounds } from '../api/bounds'
import { useBrush, type Verb } from './brush'
import { useKeys } from '../level/keys'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import NumberField from '../shared/NumberField.vue'
import OneOf from '../shared/OneOf.vue'
import { useSelection } from './selection'
import BrushMix from './BrushMix.vue'
import BrushMore from './BrushMore.vue'

/** The brush in hand, and how it works. */
const emit = defineEmits<{ fill: [what: 'area' | 'level']; inView: [item: string] }>()
const store = useLevel()
const brush = useBrush()
const keys = useKeys()
const selection = useSelection()
const VERBS: [Verb, string, string, string][] = [
  ['thicken', 'Thicken', mdiGrass, 'more plants, also where the rule has few'],
  ['thin', 'Thin', mdiSprout, 'fewer plants, down to none'],
  ['ease', 'Ease', mdiBlur, 'smooth what is painted'],
  ['level', 'Even', mdiEqual, 'bring what is painted toward one value'],
  ['set', 'Set', mdiTree, 'set single plants by hand'],
  ['uproot', 'Uproot', mdiShovel, 'take single plants out for good'],
  [
    'select',
    'Select',
    mdiSelectionDrag,
    'select single plants: click, or draw round them; drag them to move them',
  ],
  ['lift', 'Lift', mdiEyedropper, 'take up the stand under the pointer; hold to list what stands there'],
]
const SHAPES = [
  { value: 'box', title: 'Draw a box', icon: mdiSelection, test: 'select-box', tip: 'Draw a box' },
  { value: 'lasso', title: 'Draw round them', icon: mdiLasso, test: 'select-lasso', tip: 'Draw round them' },
] as const
const items = computed(() => [
  ...new Set((selection.every ? store.stands : store.chosen).filter((s) => !s.sward).flatMap((s) => s.items)),
])
const seen = (item: string) => emit('inView', item)
const sized = computed(() => brush.paints || brush.verb === 'uproot')
</script>

<template>
  <div class="brush" data-test="brush-bar">
    <v-btn-group divided density="compact" class="verbs">
      <ActionButton
        v-for="[key, label, icon, what] in VERBS"
        :key="key"
        :on="brush.verb === key"
        :disabled="!store.mayPlant && key !== 'lift' && key !== 'select'"
        :aria-label="label"
        :data-test="key"
        :tip="`${label}: ${what}`"
        :action="key"
        @click="brush.take(key)"
        ><v-icon :icon="icon" size="17" /><span class="word">{{ label }}</span></ActionButton
      >
    </v-btn-group>
    <template v-if="sized">
      <NumberField
        bare
        class="short"
        label="Radius"
        :icon="mdiRadiusOutline"
        :tip="`Radius of the brush (${keys.of('smaller')} ${keys.of('larger')}, Ctrl drag aside)`"
        :value="brush.radius"
        :bounds="StrokeInBounds.radius"
        :digits="1"
        test="brush-radius"
        @change="brush.radius = $event"
      />
      <template v-if="brush.paints">
        <NumberField
          bare
          class="short"
          label="Soft edge"
          :icon="mdiBlurRadial"
          tip="How much of the radius is soft edge"
          :value="brush.soft * 100"
          :bounds="StrokeInBounds.soft"
          :digits="0"
          test="brush-soft"
          @change="brush.soft = $event / 100"
        />
        <NumberField
          bare
          class="short"
          label="Strength"
          :icon="mdiGauge"
          :tip="`Strength of one pass (${keys.of('weaker')} ${keys.of('stronger')}, Ctrl drag up and down)`"
          :value="brush.strength * 100"
          :bounds="StrokeInBounds.strength"
          :min="5"
          :digits="0"
          test="brush-strength"
          @change="brush.strength = $event / 100"
        />
        <NumberField
          v-if="brush.verb === 'level'"
          bare
          class="short"
          label="Toward"
          :icon="mdiTarget"
          tip="Toward: -100 % clears, 0 leaves the rule alone, 100 % plants everywhere"
          :value="brush.toward * 100"
          :bounds="StrokeInBounds.toward"
          :digits="0"
          test="brush-toward"
          @change="brush.toward = $event / 100"
        />
      </template>
      <BrushMore @fill="$emit('fill', $event)" />
    </template>
    <template v-else-if="brush.verb === 'select'">
      <OneOf
        label="Shape of the selection"
        :value="selection.shape"
        :items="SHAPES"
        @change="selection.shape = $event"
      />
      <v-checkbox v-model="selection.every" label="of every stand" data-test="select-every" />
      <ActionButton
        tip="Select all plants that were set by hand"
        data-test="select-pins"
        @click="selection.pinned"
        >set by hand</ActionButton
      >
      <ItemPicker
        :model-value="''"
        label="all in view of …"
        :only="items"
        test="select-item"
        @update:model-value="seen"
      />
      <v-checkbox
        v-model="selection.scatters"
        :disabled="!store.mayPlant"
        data-test="select-scatter"
        title="Fill what you draw round with plants of the selected stand, set by hand"
        ><template #label>scatter</template></v-checkbox
      >
      <v-checkbox
        v-if="selection.scatters"
        v-model="selection.piles"
        label="pile up"
        title="Drop them there: they roll down and come to rest on the ground and on one another"
        data-test="scatter-pile"
      />
      <BrushMix v-if="selection.scatters" />
      <NumberField
        v-if="selection.scatters"
        bare
        label="How many are scattered"
        :value="selection.scatterCount"
        :bounds="ScatterInBounds.count"
        :digits="0"
        test="scatter-count"
        @change="selection.scatterCount = $event"
      />
      <span v-if="selection.trouble && !selection.plants.length" class="over small" role="alert">{{
        selection.trouble
      }}</span>
    </template>
    <template v-else-if="brush.verb === 'set'">
      <ItemPicker v-model="brush.setItem" label="Item" none="from the mix" test="set-item" />
      <BrushMix v-if="!brush.setItem" />
      <v-checkbox v-model="brush.push" label="push through" data-test="brush-push" />
    </template>
  </div>
</template>

<style scoped>
.brush {
  display: contents;
}
.brush > .v-checkbox {
  flex: none;
}
.verbs :deep(.v-btn) {
  min-width: 27px;
  padding: 0 4px;
}
.word {
  display: none;
  margin-left: 4px;
}
@container bar (min-width: 1080px) {
  .word {
    display: inline;
  }
}
.short {
  width: 74px;
}
.short :deep(.v-field) {
  --v-field-padding-start: 4px;
  --v-field-padding-end: 4px;
}
.short :deep(.v-field__prepend-inner .v-icon) {
  margin-inline-end: 0;
}
.small {
  font-size: 13px;
}
</style>

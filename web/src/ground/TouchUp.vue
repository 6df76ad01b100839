<script setup lang="ts">
import {
  mdiArrowCollapseDown,
  mdiArrowExpandUp,
  mdiBlur,
  mdiFormatPaint,
  mdiFormatVerticalAlignCenter,
  mdiSlopeUphill,
} from '@mdi/js'
import { computed } from 'vue'
import { GroundStrokeInBounds } from '../api/bounds'
import { useKeys } from '../level/keys'
import { useBrush } from '../planting/brush'
import TipPicker from '../planting/TipPicker.vue'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { useLevel } from '../level/level'
import { useTouchUp, type GroundVerb } from './touchUp'

/** The brush for the ground, and how it works. */
const store = useLevel()
const brush = useBrush()
const keys = useKeys()
const touchUp = useTouchUp()
const VERBS: [GroundVerb, string, string, string][] = [
  ['raise', 'Raise', mdiArrowExpandUp, 'lift the ground under the brush'],
  ['lower', 'Lower', mdiArrowCollapseDown, 'sink the ground under the brush'],
  ['smooth', 'Smooth', mdiBlur, 'take bumps out of the ground'],
  [
    'flatten',
    'Flatten',
    mdiFormatVerticalAlignCenter,
    'bring the ground to the altitude where the stroke begins',
  ],
  ['slope', 'Slope', mdiSlopeUphill, 'lay an even slope from where the stroke begins to where it ends'],
  ['cover', 'Cover', mdiFormatPaint, 'lay a ground layer over the others'],
]
const inHand = computed(() => VERBS.find(([key]) => key === touchUp.verb))
</script>

<template>
  <div data-test="touch-up">
    <v-btn-group divided density="compact" class="verbs">
      <ActionButton
        v-for="[key, label, icon, what] in VERBS"
        :key="key"
        :on="touchUp.verb === key"
        :disabled="!store.mayPlant"
        :aria-label="label"
        :data-test="`ground-${key}`"
        :tip="`${label}: ${what}`"
        @click="touchUp.take(key)"
        ><v-icon :icon="icon" size="17"
      /></ActionButton>
    </v-btn-group>
    <p v-if="!inHand" class="faint">Take one up and draw on the stage. Plants follow the ground.</p>
    <template v-if="inHand">
      <p class="faint" data-test="ground-says">{{ inHand[1] }}: {{ inHand[3] }}. Plants follow the ground.</p>
      <NumberField
        label="Radius"
        :tip="`Radius of the brush (${keys.of('smaller')} ${keys.of('larger')})`"
        :value="brush.radius"
        :bounds="GroundStrokeInBounds.radius"
        :digits="1"
        test="ground-radius"
        @change="brush.radius = $event"
      />
      <NumberField
        label="Soft edge"
        :value="brush.soft * 100"
        :bounds="GroundStrokeInBounds.soft"
        :digits="0"
        test="ground-soft"
        @change="brush.soft = $event / 100"
      />
      <NumberField
        label="Strength"
        :tip="`Strength of one pass (${keys.of('weaker')} ${keys.of('stronger')})`"
        :value="brush.strength * 100"
        :bounds="GroundStrokeInBounds.strength"
        :min="5"
        :digits="0"
        test="ground-strength"
        @change="brush.strength = $event / 100"
      />
      <NumberField
        v-if="touchUp.verb === 'raise' || touchUp.verb === 'lower'"
        label="By"
        tip="How far one pass goes at full strength"
        :value="touchUp.amount"
        :bounds="GroundStrokeInBounds.amount"
        :min="0.01"
        :digits="2"
        test="ground-amount"
        @change="touchUp.amount = $event"
      />
      <ChoiceField
        v-if="touchUp.verb === 'cover'"
        label="With"
        :value="touchUp.layer"
        :items="store.level!.layers.map((l) => ({ value: l.name, title: l.name }))"
        test="ground-layer"
        @change="touchUp.layer = $event"
      />
      <TipPicker />
    </template>
    <p v-if="touchUp.trouble" class="over" role="alert" data-test="ground-stroke-trouble">
      {{ touchUp.trouble }}
    </p>
  </div>
</template>

<style scoped>
.verbs {
  width: 100%;
  margin: 2px 0 4px;
}
.verbs :deep(.v-btn) {
  flex: 1;
  min-width: 0;
  padding: 0;
}
</style>

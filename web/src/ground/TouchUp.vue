<script setup lang="ts">
import {
  mdiArrowCollapseDown,
  mdiArrowExpandUp,
  mdiBlur,
  mdiCircle,
  mdiCircleOutline,
  mdiEqual,
  mdiFormatPaint,
  mdiFormatVerticalAlignCenter,
  mdiSlopeUphill,
} from '@mdi/js'
import { computed, ref } from 'vue'
import { GroundStrokeInBounds } from '../api/bounds'
import { useKeys } from '../level/keys'
import { everywhere, isLimited, useBrush } from '../planting/brush'
import BrushLimits from '../planting/BrushLimits.vue'
import TipPicker from '../planting/TipPicker.vue'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { useLevel } from '../level/level'
import { useTouchUp, type GroundVerb } from './touchUp'

/** The brush for the ground, or for a mask image, and how it works. */
const { mask = '' } = defineProps<{ mask?: string }>()
const store = useLevel()
const brush = useBrush()
const keys = useKeys()
const touchUp = useTouchUp()
type Way = [GroundVerb, string, string, string]
const GROUND: Way[] = [
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
const MASK: Way[] = [
  ['whiten', 'Whiten', mdiCircleOutline, 'bring the mask toward white'],
  ['blacken', 'Blacken', mdiCircle, 'bring the mask toward black'],
  ['smooth', 'Smooth', mdiBlur, 'even out what lies side by side'],
  ['even', 'Even', mdiEqual, 'bring the mask toward one grey'],
]
const verbs = computed(() => (mask ? MASK : GROUND))
const inHand = computed(() =>
  touchUp.mask === mask ? verbs.value.find(([key]) => key === touchUp.verb) : undefined,
)
/** Whether it works only on some of the ground. */
const chosen = ref(isLimited(touchUp.limits))
const bounded = computed({
  get: () => chosen.value,
  set: (on) => {
    chosen.value = on
    if (!on) touchUp.limits = everywhere()
  },
})
const beginsAt = computed(() => Math.round(store.level!.low + store.level!.high) / 2)
</script>

<template>
  <div :data-test="mask ? 'paint-mask' : 'touch-up'">
    <v-btn-group divided density="compact" class="verbs">
      <ActionButton
        v-for="[key, label, icon, what] in verbs"
        :key="key"
        :on="inHand?.[0] === key"
        :disabled="!store.mayPlant"
        :aria-label="label"
        :data-test="`ground-${key}`"
        :tip="`${label}: ${what}`"
        @click="touchUp.take(key, mask)"
        ><v-icon :icon="icon" size="17"
      /></ActionButton>
    </v-btn-group>
    <p v-if="!inHand" class="faint">
      Take one up and draw on the stage. {{ mask ? 'Plants follow the mask.' : 'Plants follow the ground.' }}
    </p>
    <template v-if="inHand">
      <p class="faint" data-test="ground-says">
        {{ inHand[1] }}: {{ inHand[3] }}. {{ mask ? 'Plants follow the mask.' : 'Plants follow the ground.' }}
      </p>
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
      <template v-if="touchUp.verb === 'flatten'">
        <v-checkbox
          label="to an altitude given here"
          :model-value="touchUp.toward !== null"
          data-test="ground-given"
          @update:model-value="touchUp.toward = touchUp.toward === null ? beginsAt : null"
        />
        <NumberField
          v-if="touchUp.toward !== null"
          label="Altitude"
          :value="touchUp.toward"
          :bounds="GroundStrokeInBounds.toward"
          :digits="1"
          test="ground-toward"
          @change="touchUp.toward = $event"
        />
      </template>
      <NumberField
        v-if="touchUp.verb === 'even'"
        label="Toward"
        tip="0 % is black, 100 % is white"
        :value="touchUp.grey * 100"
        :bounds="GroundStrokeInBounds.grey"
        :digits="0"
        test="mask-grey"
        @change="touchUp.grey = $event / 100"
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
      <v-checkbox v-model="bounded" label="works only on some of the ground" data-test="ground-limits" />
      <BrushLimits v-if="bounded" v-model="touchUp.limits" />
    </template>
    <p
      v-if="touchUp.trouble && touchUp.mask === mask"
      class="over"
      role="alert"
      data-test="ground-stroke-trouble"
    >
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

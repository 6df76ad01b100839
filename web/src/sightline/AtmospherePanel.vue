<script setup lang="ts">
import { mdiDeleteOutline, mdiPlus } from '@mdi/js'
import { computed } from 'vue'
import type { Stage } from '../stage/stage'
import { useAtmosphere } from './atmosphere'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import ColourField from '../shared/ColourField.vue'
import FogCost from './FogCost.vue'
import NumberField from '../shared/NumberField.vue'
import { FogSettingsBounds, SkyBounds, SunBounds, WaterBounds } from '../api/bounds'

/** Sun, sky, fog and water levels. The stage shows what is tried; nothing of it moves a plant. */
const props = defineProps<{ stage: Stage | null }>()
const air = useAtmosphere()
const store = useLevel()
const locked = computed(() => !store.mayPlant)
const now = computed(() => air.now!)
const KINDS = [
  { value: 'none', title: 'no fog' },
  { value: 'linear', title: 'linear' },
  { value: 'exponential', title: 'exponential' },
  { value: 'squared', title: 'exponential squared' },
] as const
const wrong = (name: string) => air.fields.some((field) => field.endsWith(name))
/** Where half of what stands there is left, shown and set in place of a density. */
const half = computed(() => {
  const { kind, density } = now.value.fog
  return density > 0 ? Math.log(2) ** (kind === 'squared' ? 0.5 : 1) / density : 0
})
const setHalf = (metres: number) =>
  air.change({
    fog: { density: Math.min(Math.log(2) ** (now.value.fog.kind === 'squared' ? 0.5 : 1) / metres, 1) },
  })
const setWater = (k: number, part: Partial<(typeof now.value.waters)[number]>) =>
  air.change({ waters: now.value.waters.map((w, i) => (i === k ? { ...w, ...part } : w)) })
/** A water surface of 100 m a side in the middle of what the eye looks at, a metre above the ground there. */
function addWater() {
  const { view } = props.stage!.eye
  const h = (view.heading * Math.PI) / 180
  const ground = props.stage!.ground
  const x = Math.min(Math.max(view.x + Math.sin(h) * 80, 0), ground.width)
  const z = Math.min(Math.max(view.z - Math.cos(h) * 80, 0), ground.length)
  const altitude = Math.round((ground.heightAt(x, z) + 1) * 10) / 10
  const box = [x - 50, z - 50, x + 50, z + 50].map(Math.round) as [number, number, number, number]
  air.change({ waters: [...now.value.waters, { altitude, box }] })
}
const SIDES = ['West edge', 'North edge', 'East edge', 'South edge']
const setSide = (k: number, side: number, value: number) =>
  setWater(k, {
    box: now.value.waters[k]!.box.map((v, i) => (i === side ? value : v)) as [number, number, number, number],
  })
</script>

<template>
  <div v-if="air.now" class="air" data-test="atmosphere">
    <h4>Sun</h4>
    <NumberField
      label="Bearing, clockwise from north"
      :value="now.sun.bearing"
      :bounds="SunBounds.bearing"
      :digits="0"
      :normal="SunBounds.bearing.default"
      :disabled="locked"
      test="sun-bearing"
      @change="air.change({ sun: { bearing: $event } })"
    />
    <NumberField
      label="Height above the horizon"
      :value="now.sun.elevation"
      :bounds="SunBounds.elevation"
      :digits="0"
      :normal="SunBounds.elevation.default"
      :disabled="locked"
      test="sun-elevation"
      @change="air.change({ sun: { elevation: $event } })"
    />
    <NumberField
      label="Strength"
      :value="now.sun.strength * 100"
      :bounds="SunBounds.strength"
      :digits="0"
      :normal="SunBounds.strength.default * 100"
      :disabled="locked"
      test="sun-strength"
      @change="air.change({ sun: { strength: $event / 100 } })"
    />
    <div class="row">
      <span>Colour of the sun</span>
      <ColourField
        label="Colour of the sun"
        :value="now.sun.colour"
        :disabled="locked"
        test="sun-colour"
        @change="air.change({ sun: { colour: $event } })"
      />
    </div>
    <h4>Sky</h4>
    <div class="row">
      <span>At the horizon</span>
      <ColourField
        label="At the horizon"
        :value="now.sky.horizon"
        :disabled="locked"
        test="sky-horizon"
        @change="air.change({ sky: { horizon: $event } })"
      />
    </div>
    <div class="row">
      <span>Overhead</span>
      <ColourField
        label="Overhead"
        :value="now.sky.zenith"
        :disabled="locked"
        test="sky-zenith"
        @change="air.change({ sky: { zenith: $event } })"
      />
    </div>
    <NumberField
      label="Clouds"
      :value="now.sky.clouds * 100"
      :bounds="SkyBounds.clouds"
      :digits="0"
      :normal="SkyBounds.clouds.default * 100"
      :disabled="locked"
      test="sky-clouds"
      @change="air.change({ sky: { clouds: $event / 100 } })"
    />
    <h4>Fog</h4>
    <ChoiceField
      label="Grows"
      :value="now.fog.kind"
      :items="KINDS"
      :disabled="locked"
      test="fog-kind"
      @change="air.change({ fog: { kind: $event } })"
    />
    <template v-if="now.fog.kind === 'linear'">
      <NumberField
        label="Begins at"
        :value="now.fog.start"
        :bounds="FogSettingsBounds.start"
        :digits="0"
        :wrong="wrong('end') || wrong('start')"
        :disabled="locked"
        test="fog-start"
        @change="air.change({ fog: { start: $event } })"
      />
      <NumberField
        label="Hides all from"
        :value="now.fog.end"
        :bounds="FogSettingsBounds.end"
        :digits="0"
        :wrong="wrong('end') || wrong('start')"
        :disabled="locked"
        test="fog-end"
        @change="air.change({ fog: { end: $event } })"
      />
    </template>
    <NumberField
      v-else-if="now.fog.kind !== 'none'"
      label="Half is left at"
      unit="m"
      :value="half"
      :min="1"
      :max="FogSettingsBounds.end.max"
      :step="10"
      :digits="0"
      :disabled="locked"
      test="fog-half"
      @change="setHalf"
    />
    <NumberField
      v-if="now.fog.kind === 'exponential' || now.fog.kind === 'squared'"
      label="Density"
      :value="now.fog.density"
      :bounds="FogSettingsBounds.density"
      :digits="5"
      :disabled="locked"
      test="fog-density"
      @change="air.change({ fog: { density: $event } })"
    />
    <template v-if="now.fog.kind !== 'none'">
      <div class="row">
        <span>Colour of the fog</span>
        <ColourField
          label="Colour of the fog"
          :value="now.fog.colour || now.sky.horizon"
          :disabled="locked"
          test="fog-colour"
          @change="air.change({ fog: { colour: $event } })"
        />
      </div>
      <v-switch
        :model-value="!now.fog.colour"
        label="of the sky at the horizon"
        :disabled="locked"
        data-test="fog-sky"
        @update:model-value="air.change({ fog: { colour: $event ? '' : now.sky.horizon } })"
      />
      <NumberField
        label="Thins to a third over"
        :value="now.fog.thinning"
        :bounds="FogSettingsBounds.thinning"
        :digits="0"
        :normal="FogSettingsBounds.thinning.default"
        :disabled="locked"
        test="fog-thinning"
        @change="air.change({ fog: { thinning: $event } })"
      />
      <NumberField
        v-if="now.fog.thinning > 0"
        label="above an altitude of"
        :value="now.fog.level"
        :bounds="FogSettingsBounds.level"
        :digits="1"
        :disabled="locked"
        test="fog-level"
        @change="air.change({ fog: { level: $event } })"
      />
      <p v-else class="faint">0 m: as dense at any height.</p>
    </template>
    <FogCost v-if="now.fog.kind !== 'none'" :stage="stage" :locked="locked" />
    <h4>Water</h4>
    <p v-if="!now.waters.length" class="faint">The level has no water.</p>
    <section v-for="(w, k) in now.waters" :key="k" class="water" :data-test="`water-${k}`">
      <NumberField
        :label="`Water ${k + 1} stands at`"
        :value="w.altitude"
        :bounds="WaterBounds.altitude"
        :digits="1"
        :disabled="locked"
        :test="`water-${k}-altitude`"
        @change="setWater(k, { altitude: $event })"
      />
      <NumberField
        v-for="(side, i) in SIDES"
        :key="side"
        :label="side"
        :value="w.box[i]"
        :bounds="WaterBounds.box"
        :digits="0"
        :wrong="wrong('box')"
        :disabled="locked"
        :test="`water-${k}-${i}`"
        @change="setSide(k, i, $event)"
      />
      <ActionButton
        :icon="mdiDeleteOutline"
        :tip="`Take water ${k + 1} away`"
        :why="locked && 'only artists and leads may change it'"
        :data-test="`water-${k}-remove`"
        @click="air.change({ waters: now.waters.filter((_, i) => i !== k) })"
        >Take it away</ActionButton
      >
    </section>
    <ActionButton
      :icon="mdiPlus"
      tip="A water surface ahead of the eye"
      :why="
        (locked && 'only artists and leads may change it') ||
        (now.waters.length >= 4 && 'a level has four at the most') ||
        (!stage && 'the stage is being opened')
      "
      data-test="water-add"
      @click="addWater"
      >Add water</ActionButton
    >
    <p v-if="air.trouble" class="over" role="alert" data-test="atmosphere-trouble">{{ air.trouble }}</p>
    <p v-if="air.draft" class="do">
      <v-btn color="primary" variant="flat" data-test="atmosphere-keep" @click="air.keep">Keep</v-btn>
      <v-btn data-test="atmosphere-drop" @click="air.drop">Drop</v-btn>
      <span class="faint">Shown on the stage, not kept yet.</span>
    </p>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin: 4px 0;
}
h4 {
  margin: 10px 0 2px;
}
.water {
  border-left: 2px solid var(--line);
  padding-left: 10px;
  margin-bottom: 8px;
}
.do {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 10px 0 0;
  padding: 8px 0;
  position: sticky;
  bottom: 0;
  background: var(--sheet);
}
</style>

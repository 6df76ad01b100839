<script setup lang="ts">
import { computed } from 'vue'
import type { SurfaceIn } from '../api/client'
import { MadeMeshBounds, SurfaceInBounds } from '../api/bounds'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import NumberField from '../shared/NumberField.vue'
import { useSurfaces } from './surfaces'
import { NEW } from './thingDrafts'

/** Where a placed mesh lies, how it is turned and sized, and what it does; tried before it is kept. */
const props = defineProps<{ surface: SurfaceIn }>()
const store = useLevel()
const surfaces = useSurfaces()
const s = computed(() => props.surface)
const can = computed(() => store.mayPlant && !s.value.locked)
const set = (part: Partial<SurfaceIn>) => surfaces.attempt(part)
const AXES = ['East', 'Altitude', 'South'] as const
const SIZES = ['Width', 'Height', 'Length'] as const
const put = (list: readonly number[], k: number, v: number) =>
  list.map((old, n) => (n === k ? v : old)) as [number, number, number]
const known = computed(() => (surfaces.draft ? null : surfaces.surface))
const isNew = computed(() => surfaces.chosen === NEW)
</script>

<template>
  <section class="one" data-test="surface-form">
    <div class="two">
      <v-text-field
        :model-value="s.name"
        label="Name"
        maxlength="80"
        hide-details
        :disabled="!can"
        data-test="surface-name"
        @update:model-value="set({ name: $event })"
      />
      <v-text-field
        :model-value="s.group"
        label="Group"
        placeholder="none"
        persistent-placeholder
        maxlength="80"
        hide-details
        :disabled="!can"
        data-test="surface-group"
        @update:model-value="set({ group: $event ?? '' })"
      />
    </div>
    <NumberField
      v-for="(label, k) in AXES"
      :key="label"
      :label="label"
      :value="s.at[k]"
      :bounds="SurfaceInBounds.at"
      :digits="2"
      :disabled="!can"
      :test="`surface-at-${k}`"
      @change="set({ at: put(s.at, k, $event) })"
    />
    <NumberField
      label="Turn"
      :value="s.turn!"
      :bounds="SurfaceInBounds.turn"
      :digits="1"
      :disabled="!can"
      test="surface-turn"
      @change="set({ turn: $event })"
    />
    <NumberField
      label="Tip forward"
      :value="s.pitch!"
      :bounds="SurfaceInBounds.pitch"
      :digits="1"
      :disabled="!can"
      test="surface-pitch"
      @change="set({ pitch: $event })"
    />
    <NumberField
      label="Tip to its right"
      :value="s.roll!"
      :bounds="SurfaceInBounds.roll"
      :digits="1"
      :disabled="!can"
      test="surface-roll"
      @change="set({ roll: $event })"
    />
    <template v-if="s.made">
      <NumberField
        v-for="(label, k) in SIZES"
        v-show="s.made.form !== 'plane' || k !== 1"
        :key="label"
        :label="label"
        :value="s.made.size[k]"
        :bounds="MadeMeshBounds.size"
        :digits="2"
        :disabled="!can"
        :test="`surface-size-${k}`"
        @change="set({ made: { ...s.made!, size: put(s.made!.size, k, $event) } })"
      />
      <NumberField
        label="Divisions"
        :value="s.made.divisions!"
        :bounds="MadeMeshBounds.divisions"
        :digits="0"
        :disabled="!can"
        test="surface-divisions"
        @change="set({ made: { ...s.made!, divisions: $event } })"
      />
    </template>
    <NumberField
      label="Size"
      :value="s.scale!"
      :bounds="SurfaceInBounds.scale"
      :digits="2"
      :disabled="!can"
      test="surface-scale"
      @change="set({ scale: $event })"
    />
    <NumberField
      label="Casts shadow to"
      :value="s.shadow!"
      :bounds="SurfaceInBounds.shadow"
      :digits="0"
      :disabled="!can"
      test="surface-shadow"
      @change="set({ shadow: $event })"
    />
    <p v-if="known" class="faint number" data-test="surface-facts">
      {{ whole(known.triangles) }} triangles<template v-for="note in known.notes" :key="note"
        >; {{ note }}</template
      >
    </p>
    <div class="switches">
      <v-checkbox
        label="drawn"
        :model-value="s.drawn"
        :disabled="!can"
        @update:model-value="set({ drawn: !!$event })"
      />
      <v-checkbox
        label="keeps the terrain’s plants away"
        :model-value="s.blocks"
        :disabled="!can"
        @update:model-value="set({ blocks: !!$event })"
      />
      <v-checkbox
        label="carries plants"
        :model-value="s.planted"
        :disabled="!can"
        @update:model-value="set({ planted: !!$event })"
      />
    </div>
    <div v-if="surfaces.draft" class="tried" role="status">
      <p v-if="surfaces.tried" class="number" data-test="surface-tried">
        <b>+{{ whole(surfaces.tried.gained) }} −{{ whole(surfaces.tried.lost) }}</b> plants
      </p>
      <p v-else-if="!surfaces.trouble" class="faint">Counting …</p>
      <v-checkbox
        v-if="!isNew"
        v-model="surfaces.goAlong"
        label="its plants go along at once"
        data-test="surface-along"
      />
      <p class="do">
        <v-btn
          color="primary"
          variant="flat"
          :disabled="!s.name.trim()"
          data-test="surface-keep"
          @click="surfaces.keep(surfaces.draft)"
          >{{ isNew ? 'Place it' : 'Keep' }}</v-btn
        >
        <v-btn data-test="surface-drop" @click="surfaces.drop">{{ isNew ? 'Cancel' : 'Drop' }}</v-btn>
      </p>
    </div>
  </section>
</template>

<style scoped>
.one {
  padding: 10px 0 2px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  margin-bottom: 6px;
}
.switches {
  display: grid;
}
.tried {
  margin-top: 8px;
  padding-top: 6px;
  border-top: 1px solid var(--ink);
}
.tried p {
  margin: 0 0 4px;
}
.do {
  display: flex;
  gap: 8px;
}
</style>

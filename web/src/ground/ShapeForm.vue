<script setup lang="ts">
import { mdiDeleteOutline } from '@mdi/js'
import { computed } from 'vue'
import type { ShapeIn } from '../api/client'
import { amount, signed, whole } from '../budget/budget'
import { useLevel } from '../level/level'
import { useShapes } from './shapes'
import { STRATA, type Stratum } from '../shared/strata'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { BoxBounds, RoundBounds, ShapeInBounds, TrailBounds } from '../api/bounds'

/** The chosen shape by its numbers, tried before it is kept. */
const props = defineProps<{ shape: ShapeIn }>()
const store = useLevel()
const shapes = useShapes()
const s = computed(() => props.shape)
const can = computed(() => store.mayPlant && !s.value.locked)
const HATCHES = (['slant', 'cross', 'dots', 'upright', 'blank'] as const).map((value) => ({
  value,
  title: value,
}))
const TROD = { reach: 1.5, lean: 50, flatten: 0.4, strata: ['Field', 'Moss'] as Stratum[] }
/** Have the trail lay plants of a stratum over, or not. */
function flip(k: Stratum) {
  const now = s.value.trail!.strata
  set({ trail: { ...s.value.trail!, strata: now.includes(k) ? now.filter((x) => x !== k) : [...now, k] } })
}
function set(part: Partial<ShapeIn>) {
  shapes.attempt({ ...s.value, ...part })
}
const changes = computed(() => {
  const by = shapes.tried?.moved ?? {}
  return store.stands.flatMap((stand) =>
    by[stand.id]?.some((n) => n)
      ? [{ name: stand.name, gained: by[stand.id]![0], lost: by[stand.id]![1] }]
      : [],
  )
})
</script>

<template>
  <section class="one" data-test="shape-form">
    <v-text-field
      :model-value="s.name"
      label="Name"
      maxlength="80"
      data-keys
      hide-details
      :disabled="!can"
      data-test="shape-name"
      @change="set({ name: ($event.target as HTMLInputElement).value })"
    />
    <v-text-field
      :model-value="s.group"
      label="Group"
      class="group"
      placeholder="none"
      persistent-placeholder
      maxlength="80"
      data-keys
      hide-details
      :disabled="!can"
      data-test="shape-group"
      @change="set({ group: ($event.target as HTMLInputElement).value.trim() })"
    />
    <NumberField
      v-if="s.kind === 'path'"
      label="Width"
      :value="s.width!"
      :bounds="ShapeInBounds.width"
      :disabled="!can"
      test="shape-width"
      @change="set({ width: $event })"
    />
    <template v-if="s.form === 'circle' && s.round">
      <NumberField
        label="Radius"
        :value="s.round.radius"
        :bounds="RoundBounds.radius"
        :disabled="!can"
        test="shape-radius"
        @change="set({ round: { ...s.round!, radius: $event } })"
      />
    </template>
    <template v-if="s.form === 'box' && s.box">
      <NumberField
        label="Width"
        :value="s.box.width"
        :bounds="BoxBounds.width"
        :disabled="!can"
        test="box-width"
        @change="set({ box: { ...s.box!, width: $event } })"
      />
      <NumberField
        label="Length"
        :value="s.box.length"
        :bounds="BoxBounds.length"
        :disabled="!can"
        test="box-length"
        @change="set({ box: { ...s.box!, length: $event } })"
      />
      <NumberField
        label="Heading"
        :value="s.box.heading"
        :bounds="BoxBounds.heading"
        :digits="1"
        :disabled="!can"
        test="box-heading"
        @change="set({ box: { ...s.box!, heading: $event } })"
      />
    </template>
    <v-checkbox
      label="keeps plants away"
      :model-value="s.clear !== null"
      :disabled="!can"
      data-test="shape-clears"
      @update:model-value="set({ clear: $event ? 0.5 : null })"
    />
    <NumberField
      v-if="s.clear !== null"
      label="Clear margin beyond its edge"
      :value="s.clear!"
      :bounds="ShapeInBounds.clear"
      :disabled="!can"
      test="shape-clear"
      @change="set({ clear: $event })"
    />
    <template v-if="s.kind === 'path'">
      <v-checkbox
        label="a trail: lays plants over beside it"
        :model-value="!!s.trail"
        :disabled="!can"
        data-test="shape-trail"
        @update:model-value="set({ trail: $event ? { ...TROD } : null })"
      />
      <template v-if="s.trail">
        <NumberField
          label="Reach beyond its edge"
          :value="s.trail.reach!"
          :bounds="TrailBounds.reach"
          :disabled="!can"
          test="trail-reach"
          @change="set({ trail: { ...s.trail, reach: $event } })"
        />
        <NumberField
          label="Leaned away by up to"
          :value="s.trail.lean!"
          :bounds="TrailBounds.lean"
          :disabled="!can"
          test="trail-lean"
          @change="set({ trail: { ...s.trail, lean: $event } })"
        />
        <NumberField
          label="Pressed down by up to"
          :value="s.trail.flatten! * 100"
          :bounds="TrailBounds.flatten"
          :disabled="!can"
          test="trail-flatten"
          @change="set({ trail: { ...s.trail, flatten: +($event / 100).toFixed(4) } })"
        />
        <div class="strata">
          <v-checkbox
            v-for="k in STRATA"
            :key="k"
            :label="k"
            :model-value="s.trail.strata!.includes(k)"
            :disabled="!can || (s.trail.strata!.length === 1 && s.trail.strata![0] === k)"
            @update:model-value="flip(k)"
          />
        </div>
      </template>
    </template>
    <ChoiceField
      v-if="s.kind !== 'path'"
      label="Hatching"
      :value="s.hatch!"
      :items="HATCHES"
      :disabled="!can"
      @change="set({ hatch: $event })"
    />
    <p v-if="s.locked" class="faint">Locked: unlock it to change it.</p>
    <footer v-if="shapes.draft" class="tried" data-test="shape-try">
      <template v-if="shapes.tried">
        <p v-for="c in changes" :key="c.name" class="number">
          {{ c.name }} <span class="gained">+{{ whole(c.gained) }}</span> &ensp;
          <span class="over">−{{ whole(c.lost) }}</span>
        </p>
        <p v-if="!changes.length" class="faint">No plant comes or goes.</p>
        <p v-else-if="shapes.tried.entry.cost.ms !== undefined" class="number" data-test="shape-cost">
          In this view {{ signed(amount('ms', shapes.tried.entry.cost.ms), shapes.tried.entry.cost.ms) }}
        </p>
      </template>
      <p v-else-if="!shapes.trouble" class="faint">Counting …</p>
      <p class="do">
        <v-btn color="primary" variant="flat" data-test="shape-keep" @click="shapes.keep(shapes.draft)"
          >Keep</v-btn
        >
        <ActionButton tip="Give the draft up  Esc" data-test="shape-drop" @click="shapes.drop"
          >Drop</ActionButton
        >
      </p>
    </footer>
    <ActionButton
      v-else-if="can"
      :icon="mdiDeleteOutline"
      tip="Remove the shape; undo brings it back  Delete"
      data-test="shape-remove"
      @click="shapes.remove(s.id!)"
      >Remove {{ s.name }}</ActionButton
    >
  </section>
</template>

<style scoped>
.group {
  margin-top: 10px;
}
.one {
  padding: 10px 0 2px;
}
.strata {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
}
.tried {
  margin-top: 8px;
  padding-top: 6px;
  border-top: 1px solid var(--ink);
}
.tried p {
  margin: 0 0 4px;
}
.gained {
  color: var(--green);
}
.do {
  display: flex;
  gap: 8px;
}
</style>

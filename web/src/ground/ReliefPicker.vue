<script setup lang="ts">
import { reliefQueryBounds } from '../api/bounds'
import { computed } from 'vue'
import { inked, RELIEF, type Relief, type ReliefKind } from './useRelief'
import NumberField from '../shared/NumberField.vue'

const props = defineProps<{ relief: Relief; at: [number, number] | null }>()
const KINDS = (Object.keys(RELIEF) as ReliefKind[]).map((value) => ({ value, title: RELIEF[value].label }))
const r = props.relief
const look = computed(() => (r.kind.value ? RELIEF[r.kind.value] : null))
const gradient = computed(() => {
  const ramp = look.value?.ramp ?? []
  const stops = Array.from(
    { length: 13 },
    (_, k) =>
      `rgb(${inked(ramp, k / 12)
        .map(Math.round)
        .join(' ')})`,
  )
  return `linear-gradient(90deg, ${stops.join(', ')})`
})
const marks = computed(() => {
  const [a, b] = r.ends.value
  if (r.kind.value === 'facing') return ['N', 'E', 'S', 'W', 'N']
  const digits = Math.abs(b - a) < 20 ? 1 : 0
  const unit = look.value?.unit ?? ''
  return [a, (a + b) / 2, b].map((v, k) => {
    const open = k === 2 && r.kind.value !== 'shading' && r.kind.value !== 'altitude'
    const value = (Math.abs(v) < 0.05 ? 0 : v).toFixed(digits).replace('-', '−')
    return `${open ? '≥ ' : ''}${value}${unit === 'm' ? ' m' : unit}`
  })
})
const value = computed(() => (props.at ? r.valueAt(...props.at) : ''))
</script>

<template>
  <div class="relief" data-test="relief">
    <v-select
      :model-value="r.kind.value"
      :items="KINDS"
      label="Lay over the ground"
      clearable
      placeholder="nothing"
      persistent-placeholder
      hide-details
      class="kinds"
      data-test="relief-kind"
      @update:model-value="r.kind.value = $event ?? null"
    />
    <NumberField
      v-if="r.kind.value === 'hollow'"
      label="Radius of the ground around"
      :value="r.radius.value"
      :bounds="reliefQueryBounds.radius"
      :digits="1"
      test="relief-radius"
      @change="r.radius.value = $event"
    />
    <p v-if="r.trouble.value" class="over" role="alert">{{ r.trouble.value }}</p>
    <template v-else-if="look">
      <div class="ramp" :style="{ background: gradient }" />
      <p class="marks number">
        <span v-for="(m, k) in marks" :key="k">{{ m }}</span>
      </p>
      <p class="says">
        <b class="number" data-test="relief-value">{{
          r.busy.value ? 'working it out …' : value || 'point at the ground'
        }}</b>
        &ensp;
        <span class="faint">{{ look.says }}</span>
      </p>
    </template>
  </div>
</template>

<style scoped>
.kinds {
  margin: 4px 0 8px;
}
.ramp {
  height: 12px;
  border: 1px solid var(--ink);
}
.marks {
  display: flex;
  justify-content: space-between;
  margin: 2px 0 4px;
  font-size: 12.5px;
}
.says {
  margin: 0;
}
</style>

<script setup lang="ts">
import { computed } from 'vue'
import { useBrush, type Verb } from '../stores/brush'
import { useKeys } from '../stores/keys'
import { useLevel } from '../stores/level'
import ItemPicker from './ItemPicker.vue'
import { useSelection } from '../stores/selection'
import BrushMore from './BrushMore.vue'

/** The brush in hand, and how it works. */
const props = defineProps<{ marked: number }>()
const emit = defineEmits<{ fill: [what: 'area' | 'level']; inView: [item: string] }>()
const store = useLevel()
const brush = useBrush()
const keys = useKeys()
const selection = useSelection()
const VERBS: [Verb, string, string][] = [
  ['thicken', 'Thicken', 'More plants, also where the rule has few'],
  ['thin', 'Thin', 'Fewer plants, down to none'],
  ['ease', 'Ease', 'Smooth what is painted'],
  ['level', 'Even', 'Bring what is painted toward one value'],
  ['set', 'Set', 'Set single plants by hand'],
  ['uproot', 'Uproot', 'Take single plants out for good'],
  ['select', 'Select', 'Select single plants: click, or draw round them; drag them to move them'],
  ['lift', 'Lift', 'Take up the stand under the pointer; hold to list what stands there'],
]
const names = computed(() => {
  const all = brush.targets
  return all.length > 2 ? `${all.length} stands` : all.map((s) => s.name).join(', ') || 'no stand'
})
const items = computed(() => [...new Set((selection.every ? store.stands : store.chosen).filter((s) => !s.sward).flatMap((s) => s.items))])
const seen = (item: string) => emit('inView', item)
const sized = computed(() => brush.paints || brush.verb === 'uproot')
const said = computed(() => {
  if (brush.verb === 'set') return 'wheel turns it, Shift and wheel size it; draw to set a row'
  if (brush.verb === 'uproot') return props.marked ? `${props.marked} would go` : 'plants taken out stay away under any rule'
  if (brush.verb === 'lift') return 'click takes up the topmost stand; hold to see all'
  return `take up a brush to paint ${names.value}`
})
</script>

<template>
  <div class="bar" data-test="brush-bar">
    <span class="verbs">
      <button v-for="[key, label, what] in VERBS" :key="key" class="plain" :aria-pressed="brush.verb === key" :disabled="!store.mayPlant && key !== 'lift' && key !== 'select'" :data-test="key" :title="`${what} (${keys.of(key)})`" @click="brush.take(key)">{{ label }}</button>
    </span>
    <template v-if="sized">
      <span class="line">
        <span class="name" data-test="brush-on">{{ names }}</span>
        <label>radius <input :value="brush.radius" data-test="brush-radius" class="cell" type="number" min="0.5" max="200" step="0.5" @input="brush.radius = ($event.target as HTMLInputElement).valueAsNumber" @blur="($event.target as HTMLInputElement).value = String(brush.radius)" /> m</label>
        <template v-if="brush.paints">
          <label>soft edge <input v-model.number="brush.soft" data-test="brush-soft" type="range" min="0" max="1" step="0.05" /></label>
          <label>strength <input v-model.number="brush.strength" data-test="brush-strength" type="range" min="0.05" max="1" step="0.05" /><span class="number pc">{{ Math.round(brush.strength * 100) }} %</span></label>
          <label v-if="brush.verb === 'level'" title="-100 % clears, 0 leaves the rule alone, +100 % plants everywhere">toward <input v-model.number="brush.toward" data-test="brush-toward" type="range" min="-1" max="1" step="0.05" /><span class="number pc">{{ Math.round(brush.toward * 100) }} %</span></label>
        </template>
        <span v-else class="faint small">{{ said }}</span>
        <BrushMore @fill="$emit('fill', $event)" />
      </span>
    </template>
    <span v-else-if="brush.verb === 'select'" class="line">
      <label><input v-model="selection.shape" type="radio" value="box" data-test="select-box" /> box</label>
      <label><input v-model="selection.shape" type="radio" value="lasso" data-test="select-lasso" /> lasso</label>
      <label><input v-model="selection.every" type="checkbox" data-test="select-every" /> of every stand</label>
      <button class="plain small" data-test="select-pins" @click="selection.pinned">all set by hand</button>
      <ItemPicker :model-value="''" label="all in view of …" :only="items" test="select-item" @update:model-value="seen" />
      <span v-if="selection.trouble && !selection.plants.length" class="over small" role="alert">{{ selection.trouble }}</span>
    </span>
    <span v-else class="faint small line">
      {{ said }}
      <ItemPicker v-if="brush.verb === 'set'" v-model="brush.setItem" label="Item" none="from the mix" test="set-item" />
      <label v-if="brush.verb === 'set'"><input v-model="brush.push" type="checkbox" data-test="brush-push" /> push through</label>
    </span>
  </div>
</template>

<style scoped>
.bar {
  position: absolute;
  left: 10px;
  top: 48px;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: center;
  background: color-mix(in srgb, var(--sheet) 90%, transparent);
  border: 1px solid var(--line);
  padding: 3px 8px;
  z-index: 2;
  max-width: calc(100% - 20px);
}
.verbs {
  display: flex;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 9px;
  align-items: center;
}
label {
  display: flex;
  gap: 5px;
  align-items: center;
  white-space: nowrap;
  font-size: 13px;
}
input[type='number'] {
  width: 44px;
}
input[type='range'] {
  width: 58px;
}
.name {
  font-size: 15.5px;
  font-style: italic;
  white-space: nowrap;
}
.pc {
  min-width: 38px;
}
.small {
  font-size: 13px;
}
</style>

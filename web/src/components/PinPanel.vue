<script setup lang="ts">
import { computed } from 'vue'
import type { Hand } from '../composables/useHand'
import { useLevel } from '../stores/level'
import ItemPicker from './ItemPicker.vue'
import NumberField from './NumberField.vue'

/** Single plants of the selected stand: what a hand does to one outlives every rule. */
const props = defineProps<{ hand: Hand; locked: boolean }>()
const store = useLevel()
const h = props.hand
const p = computed(() => h.plant.value)
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const take = (tool: 'pick' | 'set') => (h.tool.value = h.tool.value === tool ? null : tool)
const gone = computed(() => h.pins.value.filter((x) => x.state === 'gone'))
const standing = computed(() => h.pins.value.filter((x) => x.state === 'pinned'))
const SHOWN = 12
</script>

<template>
  <div data-test="pin-panel">
    <h3>Single plants</h3>
    <p class="row">
      <button class="plain" :aria-pressed="h.tool.value === 'pick'" data-test="pick" title="Click a plant on the stage (K)" @click="take('pick')">pick one</button>
      <button class="plain" :aria-pressed="h.tool.value === 'set'" :disabled="locked" data-test="set-one" title="Click where one is to stand" @click="take('set')">set one</button>
      <label v-if="h.tool.value === 'set' || p" class="small"><input v-model="h.push.value" type="checkbox" data-test="push" /> push through what is in the way</label>
    </p>
    <p v-if="h.tool.value && !p" class="faint small">{{ h.tool.value === 'pick' ? 'Click near a plant of this stand, in either view.' : 'Click where it is to stand; it is drawn from the mix and makes room for itself.' }}</p>
    <p v-if="h.trouble.value" class="over" role="alert" data-test="pin-trouble">{{ h.trouble.value }}</p>
    <div v-if="p" class="plant" data-test="picked">
      <p class="row">
        <ItemPicker :model-value="p.item" label="Stock item of this plant" :disabled="locked" test="pin-item" @update:model-value="h.change({ item: $event })" />
        <span class="faint">{{ p.state === 'pinned' ? 'set by hand' : 'by the rule' }}</span>
      </p>
      <div class="pairs">
        <NumberField late label="East" unit="m" :value="p.x" :step="0.25" :disabled="locked" test="pin-x" @change="h.change({ x: $event })" />
        <NumberField late label="South" unit="m" :value="p.z" :step="0.25" :disabled="locked" test="pin-z" @change="h.change({ z: $event })" />
        <NumberField late label="Turn" unit="°" :value="p.turn" :min="0" :max="360" :step="5" :digits="0" :disabled="locked" test="pin-turn" @change="h.change({ turn: $event })" />
        <NumberField late label="Height" unit="×" :value="p.height" :min="0.05" :max="10" :step="0.05" :disabled="locked" test="pin-height" @change="h.change({ height: $event })" />
        <NumberField late label="Width" unit="×" :value="p.width" :min="0.05" :max="10" :step="0.05" :disabled="locked" test="pin-width" @change="h.change({ width: $event })" />
        <NumberField late label="Lift" unit="m" :value="p.lift" :min="-50" :max="500" :step="0.05" :disabled="locked" test="pin-lift" @change="h.change({ lift: $event })" />
      </div>
      <p class="row">
        <button class="plain" :disabled="locked" data-test="pin-remove" @click="h.remove()">Remove</button>
        <button v-if="p.state === 'pinned'" class="plain" :disabled="locked" title="Back to what the rule makes of it" data-test="pin-release" @click="h.release(p.plant)">Release to the rule</button>
      </p>
    </div>
    <p v-if="standing.length || gone.length" class="faint small" data-test="pins-said">{{ standing.length }} set by hand, {{ gone.length }} removed by hand; all stay so under any rule.</p>
    <ul v-if="standing.length + gone.length" class="pins">
      <li v-for="x in [...standing, ...gone].slice(0, SHOWN)" :key="x.plant">
        <span>{{ nameOf(x.item) }} <span class="faint number">{{ Math.round(x.x) }} east, {{ Math.round(x.z) }} south{{ x.state === 'gone' ? ', removed' : '' }}</span></span>
        <button v-if="x.state === 'pinned'" class="plain" @click="h.press(x.x, x.z)">pick</button>
        <button class="plain" :disabled="locked" :data-test="x.state === 'gone' ? 'bring-back' : 'release'" @click="h.release(x.plant)">{{ x.state === 'gone' ? 'bring back' : 'release' }}</button>
      </li>
    </ul>
    <p v-if="standing.length + gone.length > SHOWN" class="faint small">and {{ standing.length + gone.length - SHOWN }} more.</p>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: baseline;
  margin: 2px 0;
}
.row button {
  margin-left: -7px;
}
.small {
  font-size: 12.5px;
}
select.cell {
  text-align: left;
}
.plant {
  border-top: 1px dotted var(--line);
  border-bottom: 1px dotted var(--line);
  padding: 4px 0;
  margin: 4px 0;
}
.pins {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 13px;
}
.pins li {
  display: flex;
  align-items: baseline;
  gap: 2px;
}
.pins li > span {
  flex: 1;
}
</style>

<script setup lang="ts">
import { ChangePlantBounds } from '../api/bounds'
import { mdiCursorDefaultClickOutline, mdiDeleteOutline, mdiPlus, mdiSprout } from '@mdi/js'
import { computed } from 'vue'
import type { Hand } from './useHand'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import NumberField from '../shared/NumberField.vue'

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
const FIELDS = [
  { name: 'x', label: 'East', digits: 2 },
  { name: 'z', label: 'South', digits: 2 },
  { name: 'turn', label: 'Turn', digits: 0 },
  { name: 'height', label: 'Height', digits: 2 },
  { name: 'width', label: 'Width', digits: 2 },
  { name: 'lift', label: 'Above the ground', digits: 2 },
] as const
</script>

<template>
  <div data-test="pin-panel">
    <div class="row">
      <ActionButton
        :icon="mdiCursorDefaultClickOutline"
        :on="h.tool.value === 'pick'"
        action="pick"
        tip="Click a plant on the stage"
        data-test="pick"
        @click="take('pick')"
        >Pick one</ActionButton
      >
      <ActionButton
        :icon="mdiPlus"
        :on="h.tool.value === 'set'"
        :disabled="locked"
        tip="Click where one is to stand"
        data-test="set-one"
        @click="take('set')"
        >Set one</ActionButton
      >
    </div>
    <v-checkbox
      v-if="h.tool.value === 'set' || p"
      v-model="h.push.value"
      label="push through what is in the way"
      data-test="push"
    />
    <p v-if="h.tool.value && !p" class="faint small">
      {{
        h.tool.value === 'pick'
          ? 'Click near a plant of this stand, in either view.'
          : 'Click where it is to stand; it is drawn from the mix and makes room for itself.'
      }}
    </p>
    <p v-if="h.trouble.value" class="over" role="alert" data-test="pin-trouble">{{ h.trouble.value }}</p>
    <div v-if="p" class="plant" data-test="picked">
      <div class="row">
        <ItemPicker
          :model-value="p.item"
          label="Stock item of this plant"
          :disabled="locked"
          test="pin-item"
          @update:model-value="h.change({ item: $event })"
        />
        <span class="faint">{{ p.state === 'pinned' ? 'set by hand' : 'by the rule' }}</span>
      </div>
      <NumberField
        v-for="f in FIELDS"
        :key="f.name"
        late
        :label="f.label"
        :value="p[f.name]"
        :bounds="ChangePlantBounds[f.name]"
        :digits="f.digits"
        :disabled="locked"
        :test="`pin-${f.name}`"
        @change="h.change({ [f.name]: $event })"
      />
      <div class="row">
        <ActionButton
          :icon="mdiDeleteOutline"
          :disabled="locked"
          tip="Take it out for good"
          data-test="pin-remove"
          @click="h.remove()"
          >Remove</ActionButton
        >
        <ActionButton
          v-if="p.state === 'pinned'"
          :disabled="locked"
          tip="Back to what the rule makes of it"
          data-test="pin-release"
          @click="h.release(p.plant)"
          >Release to the rule</ActionButton
        >
      </div>
    </div>
    <p v-if="standing.length || gone.length" class="faint small" data-test="pins-said">
      {{ standing.length }} set by hand, {{ gone.length }} removed by hand; all stay so under any rule.
    </p>
    <div v-if="h.stand.value?.uprooted" class="row">
      <span class="faint small" data-test="uprooted-said"
        >Uprooted in {{ h.stand.value.uprooted }} {{ h.stand.value.uprooted === 1 ? 'place' : 'places' }}: no
        rule plants it there.</span
      >
      <ActionButton
        size="x-small"
        :icon="mdiSprout"
        :disabled="locked"
        tip="Let it grow again wherever it was uprooted; undo takes that back"
        data-test="regrow"
        @click="h.regrow"
        >Let grow again</ActionButton
      >
    </div>
    <ul v-if="standing.length + gone.length" class="pins">
      <li v-for="x in [...standing, ...gone].slice(0, SHOWN)" :key="x.plant">
        <span
          >{{ nameOf(x.item) }}
          <span class="faint number"
            >{{ Math.round(x.x) }} east, {{ Math.round(x.z) }} south{{
              x.state === 'gone' ? ', removed' : ''
            }}</span
          ></span
        >
        <v-btn v-if="x.state === 'pinned'" size="x-small" variant="text" @click="h.pick(x)">pick</v-btn>
        <v-btn
          size="x-small"
          variant="text"
          :disabled="locked"
          :data-test="x.state === 'gone' ? 'bring-back' : 'release'"
          @click="h.release(x.plant)"
          >{{ x.state === 'gone' ? 'bring back' : 'release' }}</v-btn
        >
      </li>
    </ul>
    <p v-if="standing.length + gone.length > SHOWN" class="faint small">
      and {{ standing.length + gone.length - SHOWN }} more.
    </p>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin: 4px 0;
}
.small {
  font-size: 12.5px;
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
  align-items: center;
  gap: 2px;
}
.pins li > span {
  flex: 1;
}
</style>

<script setup lang="ts">
import { mdiDotsHorizontal } from '@mdi/js'
import { computed, ref } from 'vue'
import { useBrush } from './brush'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import BrushLimits from './BrushLimits.vue'
import TipPicker from './TipPicker.vue'

/** What the brush works on, its tip, and where alone it works. */
const emit = defineEmits<{ fill: [what: 'area' | 'level'] }>()
const store = useLevel()
const brush = useBrush()
const open = ref(false)

const limits = computed(() => brush.limits)
const strata = computed(() => [...new Set(store.chosen.map((s) => s.stratum))].join(', '))
const change = (part: Partial<NonNullable<typeof brush.limits>>) =>
  (brush.limits = { ...limits.value, ...part })
function fill(what: 'area' | 'level') {
  open.value = false
  emit('fill', what)
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <ActionButton
        v-bind="menu"
        :icon="mdiDotsHorizontal"
        :on="brush.limited || brush.tip !== '' || brush.scope !== 'selected'"
        tip="What the brush works on, its tip, and where alone it works"
        data-test="brush-more"
      />
    </template>
    <v-card class="more" data-test="brush-sheet">
      <h2 class="minor">On</h2>
      <v-radio-group
        v-model="brush.scope"
        inline
        density="compact"
        hide-details
        aria-label="What the brush works on"
      >
        <v-radio value="selected" label="the selected stands" />
        <v-radio v-if="brush.paints" value="stratum" :label="`all of ${strata}`" data-test="scope-stratum" />
        <v-radio v-else value="all" label="every stand" data-test="scope-all" />
      </v-radio-group>
      <template v-if="brush.paints">
        <TipPicker />
        <h2 class="minor">Works only</h2>
        <BrushLimits v-model="brush.limits" />
        <v-checkbox
          label="where the stand already is"
          :model-value="limits.present"
          data-test="limit-present"
          @update:model-value="change({ present: !limits.present })"
        />
        <h2 class="minor">At once</h2>
        <p class="row">
          <ActionButton
            tip="Paint all of the area at once"
            :why="limits.area === null && 'choose an area above first'"
            data-test="fill-area"
            @click="fill('area')"
            >all of the area</ActionButton
          >
          <ActionButton tip="Paint the whole level at once" data-test="fill-level" @click="fill('level')"
            >the whole level</ActionButton
          >
        </p>
      </template>
    </v-card>
  </v-menu>
</template>

<style scoped>
.more {
  width: 340px;
  padding: 2px 14px 12px;
}
.more h2 {
  margin: 9px 0 4px;
}
.row {
  display: flex;
  gap: 6px;
  margin: 3px 0;
}
</style>

<script setup lang="ts">
import { mdiDeleteOutline, mdiPlus } from '@mdi/js'
import { watchDebounced } from '@vueuse/core'
import { computed, shallowRef } from 'vue'
import { answer, api, type Cost, type Drawing } from '../api/client'
import { amount, line, signed, whole } from '../budget/budget'
import { CELLS } from '../stage/drawing'
import type { Stage } from '../stage/stage'
import { useDrawing } from './drawing'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import DrawingFields from './DrawingFields.vue'
import FoldingPart from '../shared/FoldingPart.vue'

/** How the level is drawn, and its device tiers. What is tried is shown; no plant is moved. */
const props = defineProps<{ stage: Stage | null }>()
const drawing = useDrawing()
const store = useLevel()
const locked = computed(() => !store.mayPlant)
const leads = computed(() => store.level?.role === 'lead')
const only = computed(() => !leads.value && 'only a lead may change the tiers')

/** What the view costs by other settings. */
const costOf = async (by: Drawing): Promise<Cost> =>
  (
    await answer(
      api.POST('/api/levels/{slug}/cost', {
        params: { path: { slug: store.slug } },
        body: { ...props.stage!.eye.view, drawing: by },
      }),
    )
  ).total
const before = shallowRef<Cost | null>(null)
const cells = shallowRef<{ side: number; cost: Cost }[]>([])
let round = 0
watchDebounced(
  [() => store.cost, () => drawing.kept, () => drawing.draft],
  async () => {
    const mine = ++round
    if (!props.stage) return
    try {
      const was = drawing.draft ? await costOf(drawing.kept) : null
      const sides = await Promise.all(
        CELLS.map(async (side) => ({ side, cost: await costOf({ ...drawing.now, cell: side }) })),
      )
      if (mine === round) [before.value, cells.value] = [was, sides]
    } catch {
      if (mine === round) [before.value, cells.value] = [null, []]
    }
  },
  { debounce: 250, immediate: true },
)
const change = computed(() => {
  const [now, was] = [store.cost?.total, before.value]
  if (!now || !was) return null
  return (['ms', 'triangles', 'draw_calls', 'shadow_triangles'] as const).map((name) => {
    const by = line(now, name) - line(was, name)
    return { name, by, text: signed(amount(name, by), by) }
  })
})
const UNIT = { ms: '', triangles: ' triangles', draw_calls: ' calls', shadow_triangles: ' shadow triangles' }
</script>

<template>
  <FoldingPart name="drawing" title="Drawing of the level" closed>
    <DrawingFields
      :value="drawing.drawing"
      :disabled="locked"
      :fields="drawing.fields"
      @change="drawing.change"
    />
    <table v-if="cells.length" class="cells" data-test="cells">
      <thead>
        <tr>
          <th>cells</th>
          <th>calls</th>
          <th>triangles drawn</th>
          <th>left out</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in cells" :key="c.side" :class="{ now: c.side === drawing.drawing.cell }">
          <td>{{ c.side }} m</td>
          <td class="number">{{ whole(line(c.cost, 'draw_calls')) }}</td>
          <td class="number">{{ whole(c.cost.triangles) }}</td>
          <td class="number">{{ whole(c.cost.culled) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="cells.length" class="faint">
      Of this view. Left out are triangles near enough to be drawn, in cells that lie outside the view.
    </p>
  </FoldingPart>
  <FoldingPart name="tiers" title="Device tiers" closed>
    <p class="faint">
      A tier takes away from the level’s drawing. The stage, the chart and the costs are seen through the one
      that is chosen; each has its own marks.
    </p>
    <div class="which">
      <v-select
        v-model="drawing.tier"
        :items="drawing.names"
        hide-details
        aria-label="Seen through"
        data-test="tier-choice"
      />
      <ActionButton
        :icon="mdiPlus"
        tip="Another tier, to begin with as this one"
        :why="only || (drawing.names.length >= 8 && 'a level has eight at the most')"
        data-test="tier-add"
        @click="drawing.addTier"
      />
      <ActionButton
        :icon="mdiDeleteOutline"
        :tip="`Remove ${drawing.tier}`"
        :why="only || (drawing.names.length < 2 && 'a level has one at least')"
        data-test="tier-remove"
        @click="drawing.removeTier"
      />
    </div>
    <v-text-field
      :model-value="drawing.tier"
      label="Name"
      maxlength="80"
      hide-details
      :disabled="!leads"
      data-test="tier-name"
      @change="drawing.renameTier(($event.target as HTMLInputElement).value.trim())"
    />
    <DrawingFields
      v-if="drawing.tiers[drawing.tier]"
      :value="drawing.tiers[drawing.tier]!.drawing"
      tier
      :disabled="!leads"
      :fields="drawing.fields"
      @change="drawing.changeTier"
    />
  </FoldingPart>
  <div v-if="drawing.draft" class="do" data-test="drawing-draft">
    <p v-if="change" class="number" data-test="drawing-difference">
      In this view on {{ drawing.tier }}
      <template v-for="(c, k) in change" :key="c.name">
        {{ k ? '· ' : '' }}<span :class="c.by > 0 ? 'over' : ''">{{ c.text }}{{ UNIT[c.name] }}</span>
      </template>
    </p>
    <p v-if="drawing.trouble" class="over" role="alert" data-test="drawing-trouble">{{ drawing.trouble }}</p>
    <p class="buttons">
      <v-btn color="primary" variant="flat" data-test="drawing-keep" @click="drawing.keep">Keep</v-btn>
      <v-btn data-test="drawing-drop" @click="drawing.drop">Drop</v-btn>
      <span class="faint">Drawing and tiers: shown, not kept yet.</span>
    </p>
  </div>
</template>

<style scoped>
.cells {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
  margin-top: 6px;
}
.cells th {
  font-weight: 400;
  font-size: 12px;
  color: var(--faint);
}
.cells th,
.cells td {
  text-align: right;
  padding: 2px 0 2px 6px;
  border-top: 1px solid var(--line);
}
.cells th:first-child,
.cells td:first-child {
  text-align: left;
  padding-left: 0;
}
.cells .now td {
  font-weight: 600;
}
.which {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 6px;
  align-items: center;
  margin: 4px 0 8px;
}
.do {
  padding: 8px 0;
  position: sticky;
  bottom: 0;
  z-index: 1;
  background: var(--sheet);
  border-top: 1px solid var(--line);
}
.do .buttons {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 4px 0 0;
}
</style>

<script setup lang="ts">
import { MarksBounds } from '../api/bounds'
import { computed, ref, watch } from 'vue'
import { answer, api, type Marks } from '../api/client'
import { amount, inkOf, line, LINES, whole } from './budget'
import type { Drawn } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import type { Draft } from '../planting/useDraft'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from '../level/level'
import DevicePanel from '../sightline/DevicePanel.vue'
import DraftFooter from '../planting/DraftFooter.vue'
import FoldingPart from '../shared/FoldingPart.vue'
import NumberField from '../shared/NumberField.vue'
import PlotPanel from './PlotPanel.vue'
import RebalancePanel from './RebalancePanel.vue'
import SurveyPanel from './SurveyPanel.vue'

defineProps<{ drawn: Drawn | null; stage: Stage | null; draft: Draft }>()
const store = useLevel()
const drawing = useDrawing()
const set = ref<Partial<Marks>>({})
const trouble = ref('')
const leads = computed(() => store.level?.role === 'lead')
const marks = computed<Marks>(() => ({ ...drawing.marks!, ...set.value }))
const dirty = computed(() => Object.keys(set.value).length > 0)
const scaled = (name: keyof Marks, v: number) => (name === 'memory' ? v / 1e6 : v)
watch([() => store.level?.slug, () => drawing.tier], () => (set.value = {}))

async function keep() {
  try {
    await answer(
      api.PUT('/api/levels/{slug}/marks', {
        params: { path: { slug: store.slug } },
        body: { key: crypto.randomUUID(), tier: drawing.tier, marks: marks.value },
      }),
    )
    set.value = {}
    trouble.value = ''
    await store.beat()
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
</script>

<template>
  <div class="bench" data-test="budget-bench">
    <h2>Budget of this view</h2>
    <p class="faint">
      Calculated for {{ store.cost?.device ?? 'its device' }} at 1,080 lines, seen through {{ drawing.tier }}.
    </p>
    <table v-if="store.cost">
      <thead>
        <tr>
          <th>stand</th>
          <th v-for="l in LINES" :key="l.name">
            {{
              {
                ms: 'ms',
                triangles: 'triangles',
                draw_calls: 'calls',
                shadow_triangles: 'shadow tri.',
                memory: 'MB',
              }[l.name]
            }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="s in store.stands" :key="s.id" :data-test="`budget-${s.slug}`">
          <td class="who"><i :style="{ background: inkOf(s) }" />{{ s.name }}</td>
          <td v-for="l in LINES" :key="l.name" class="number">
            {{ amount(l.name, store.spentBy(s.id, l.name)).replace(/ (ms|MB)$/, '') }}
          </td>
        </tr>
        <tr data-test="budget-ground">
          <td class="who">
            <i style="background: var(--faint)" />{{
              store.surfaces.length ? 'Ground and meshes' : 'The ground'
            }}
          </td>
          <td v-for="l in LINES" :key="l.name" class="number">
            {{ amount(l.name, line(store.cost.ground, l.name)).replace(/ (ms|MB)$/, '') }}
          </td>
        </tr>
        <tr class="sum">
          <td>All</td>
          <td
            v-for="l in LINES"
            :key="l.name"
            class="number"
            :class="{ over: line(store.cost.total, l.name) > marks[l.name] }"
            :data-test="`total-${l.name}`"
            :data-value="line(store.cost.total, l.name)"
          >
            {{ amount(l.name, line(store.cost.total, l.name)).replace(/ (ms|MB)$/, '') }}
          </td>
        </tr>
        <tr class="marks">
          <td>Mark</td>
          <td v-for="l in LINES" :key="l.name" class="number">
            {{ amount(l.name, marks[l.name]).replace(/ (ms|MB)$/, '') }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="drawing.over.length" class="over" data-test="over">
      Over the mark:
      {{
        LINES.filter((l) => drawing.over.includes(l.name))
          .map((l) => l.label.toLowerCase())
          .join(', ')
      }}.
    </p>
    <p v-else class="faint">Every line is within its mark in this view.</p>

    <h3>Marks of {{ drawing.tier }}</h3>
    <NumberField
      v-for="l in LINES"
      :key="l.name"
      :label="l.label"
      :unit="l.unit"
      :value="scaled(l.name, marks[l.name])"
      :bounds="MarksBounds[l.name]"
      :step="l.step"
      :disabled="!leads"
      :test="`mark-${l.name}`"
      @change="set = { ...set, [l.name]: l.name === 'memory' ? $event * 1e6 : $event }"
    />
    <p v-if="!leads" class="faint">Only a lead sets the marks.</p>
    <p v-if="trouble" class="over" role="alert" data-test="trouble">{{ trouble }}</p>
    <p v-if="dirty" class="do">
      <v-btn color="primary" variant="flat" data-test="keep-marks" @click="keep">Keep</v-btn>
      <v-btn @click="set = {}">Drop</v-btn>
    </p>

    <FoldingPart name="survey" title="Survey of the level" closed><SurveyPanel :stage="stage" /></FoldingPart>
    <FoldingPart name="plots" title="Plots and shares" closed><PlotPanel /></FoldingPart>
    <FoldingPart name="rebalance" title="Under the marks" closed>
      <RebalancePanel :stage="stage" :draft="draft" />
    </FoldingPart>
    <FoldingPart name="device" :title="`The device of ${drawing.tier}`" closed><DevicePanel /></FoldingPart>

    <h3>Checked against the stage</h3>
    <p
      v-if="drawn && store.cost"
      class="check number"
      data-test="drawn"
      :data-drawn="JSON.stringify(drawn)"
      :data-reckoned="JSON.stringify(store.cost.total)"
    >
      The stage drew {{ whole(drawn.triangles) }} triangles in {{ whole(drawn.draw_calls) }} calls, and
      {{ whole(drawn.shadow_triangles) }} triangles of shadow in {{ whole(drawn.shadow_calls) }} calls.
      Calculated: {{ whole(store.cost.total.triangles) }} in {{ whole(store.cost.total.draw_calls) }}, and
      {{ whole(store.cost.total.shadow_triangles) }} in {{ whole(store.cost.total.shadow_calls) }}.
    </p>
    <DraftFooter :draft="draft" :locked="!store.mayPlant" />
  </div>
</template>

<style scoped>
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
.do {
  display: flex;
  gap: 8px;
}
th:first-child {
  text-align: left;
}
th {
  font-weight: 400;
  color: var(--faint);
  text-align: right;
  font-size: 12px;
}
td {
  text-align: right;
  padding: 3px 0 3px 6px;
  border-top: 1px solid var(--line);
}
td:first-child {
  text-align: left;
  padding-left: 0;
}
.who {
  max-width: 96px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.who i {
  display: inline-block;
  width: 8px;
  height: 8px;
  margin-right: 5px;
}
.sum td {
  border-top: 1px solid var(--ink);
  font-weight: 600;
}
.marks td {
  color: var(--oxblood);
}
.check {
  white-space: normal;
  font-size: 13px;
  color: var(--faint);
}
</style>

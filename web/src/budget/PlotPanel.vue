<script setup lang="ts">
import { PlotBounds, RequestBounds } from '../api/bounds'
import { mdiArrowUp, mdiDeleteOutline, mdiMapOutline } from '@mdi/js'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { api, type ShareRequest } from '../api/client'
import { useServer } from '../shared/useServer'
import { amount, LINES, type LineName } from './budget'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from '../level/level'
import { usePlots } from './plots'
import { useSurvey } from './survey'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'

/** The plots of the level: what each may spend on a line, spends here and at its worst; shares asked for. */
const plots = usePlots()
const store = useLevel()
const survey = useSurvey()
const drawing = useDrawing()
const leads = computed(() => store.level?.role === 'lead')
const of = ref<LineName>('ms')
const unit = computed(() => LINES.find((l) => l.name === of.value)!)
const lines = LINES.map(({ name, label }) => ({ value: name, title: label }))
const scale = computed(() => (of.value === 'memory' ? 1e6 : 1))
const textOf = (value: number | null) =>
  value === null ? '—' : amount(of.value, value).replace(/ (ms|MB)$/, '')
const { data: members } = useServer(
  () => ['members', store.slug],
  (signal) => api.GET('/api/levels/{slug}/members', { ...store.here(), signal }),
)
const owners = computed(() => [
  { value: '', title: 'nobody' },
  ...(members.value?.members ?? [])
    .filter((m) => m.role !== 'viewer')
    .map((m) => ({ value: m.name, title: m.name })),
])
const free = computed(() => {
  const used = new Set(plots.entries.map((e) => e.plot.area))
  return plots.areas.filter((a) => !used.has(a.id)).map((a) => ({ value: a.id, title: a.name }))
})
function add(area: number): void {
  const taken = new Set(plots.entries.map((e) => e.name))
  const name = plots.areas.find((a) => a.id === area)!.name
  plots.add(taken.has(name) ? `${name} ${taken.size + 1}` : name, area)
}
/** Lay what a plot spends over the ground. */
function map(name: string): void {
  survey.line = of.value
  survey.plot = survey.plot === name ? null : name
  survey.shown = true
}

const asking = ref<{ giver: string; amount: number } | null>(null)
const own = computed(() => plots.entries.filter((e) => e.own))
const givers = (name: string) =>
  plots.entries.filter((e) => e.name !== name).map((e) => ({ value: e.name, title: e.name }))
async function ask(plot: string): Promise<void> {
  const { giver, amount: much } = asking.value!
  const request = { plot, giver, tier: drawing.tier, line: of.value, amount: much * scale.value }
  if (await plots.share('ask', request)) asking.value = null
}
const requests = computed(() => plots.kept.requests ?? [])
const ownerOf = (name: string) => plots.kept.plots?.[name]?.owner
const mayGrant = (r: ShareRequest) => leads.value || plots.entries.some((e) => e.own && e.name === r.giver)
const mayDrop = (r: ShareRequest) => mayGrant(r) || plots.entries.some((e) => e.own && e.name === r.plot)

onMounted(() => {
  plots.shown = true
  void survey.look(false)
})
onBeforeUnmount(() => {
  plots.shown = false
  survey.plot = null
})
</script>

<template>
  <section data-test="plots">
    <p v-if="!plots.entries.length" class="faint">
      A plot is one of the level’s areas with an owner and a share of the budget. Draw areas on the Ground
      bench.
    </p>
    <ChoiceField v-else label="What" :value="of" :items="lines" test="plots-line" @change="of = $event" />
    <table v-if="plots.entries.length" class="spent">
      <thead>
        <tr>
          <th>plot</th>
          <th>here</th>
          <th v-tooltip:top="'In the view that costs the plot the most, by the survey'">worst</th>
          <th v-tooltip:top="'Passed in one of twenty of the views that see it'">1 in 20</th>
          <th>may</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="e in plots.entries" :key="e.name" :data-test="`plot-${e.name}`">
          <td>
            <span class="name">{{ e.name }}</span><br /><span class="faint"
              >{{ e.plot.owner || 'nobody' }}{{ e.area ? '' : ', its area is gone' }}</span
            >
          </td>
          <td class="number">{{ textOf(plots.hereOf(e.name, of)) }}</td>
          <td class="number" :class="{ over: plots.isOver(e.name, of) }">
            {{ textOf(plots.spentOf(e.name)?.worst[of] ?? null) }}
          </td>
          <td class="number">{{ textOf(plots.spentOf(e.name)?.most5[of] ?? null) }}</td>
          <td class="number">{{ textOf(plots.shareOf(e.name, of)) }}</td>
          <td>
            <ActionButton
              size="small"
              variant="text"
              :icon="mdiMapOutline"
              :on="survey.plot === e.name"
              tip="Lay over the ground what it spends from where"
              :why="!plots.spentOf(e.name) && 'survey the level first'"
              :data-test="`plot-map-${e.name}`"
              @click="map(e.name)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="plots.entries.length && !survey.state?.fresh" class="faint" data-test="plots-old">
      {{
        survey.state?.running
          ? 'The level is being surveyed.'
          : 'Worst and 1 in 20 come from the survey, which is not of the level as it is.'
      }}
      <v-btn
        v-if="!survey.state?.running"
        size="x-small"
        :disabled="!store.mayPlant"
        data-test="plots-survey"
        @click="survey.look(true)"
        >Survey the level</v-btn
      >
    </p>

    <template v-if="leads">
      <h3>Set by leads</h3>
      <div v-for="(e, k) in plots.entries" :key="e.name" class="plot">
        <v-text-field
          :model-value="e.name"
          label="Name"
          maxlength="80"
          hide-details
          :data-test="`plot-name-${e.name}`"
          @change="plots.rename(e.name, ($event.target as HTMLInputElement).value.trim() || e.name)"
        />
        <ActionButton
          size="small"
          variant="text"
          :icon="mdiArrowUp"
          tip="Has its ground before the one above"
          :why="!k && 'it is the first'"
          @click="plots.raise(e.name)"
        />
        <ActionButton
          size="small"
          variant="text"
          :icon="mdiDeleteOutline"
          tip="No longer a plot; its area stays"
          :data-test="`plot-remove-${e.name}`"
          @click="plots.remove(e.name)"
        />
        <ChoiceField
          label="Owner"
          :value="e.plot.owner ?? ''"
          :items="owners"
          :test="`plot-owner-${e.name}`"
          @change="plots.change(e.name, { owner: $event })"
        />
        <NumberField
          :label="`May spend, ${unit.label.toLowerCase()}`"
          :unit="unit.unit"
          :value="plots.shareOf(e.name, of) === null ? null : plots.shareOf(e.name, of)! / scale"
          :bounds="PlotBounds.shares"
          :step="unit.step"
          :test="`plot-share-${e.name}`"
          @change="plots.setShare(e.name, of, $event * scale)"
        />
      </div>
      <ChoiceField
        v-if="free.length"
        label="A plot on"
        :value="0"
        :items="[{ value: 0, title: 'an area …' }, ...free]"
        test="plot-add"
        @change="$event && add($event)"
      />
      <ChoiceField
        v-if="plots.entries.length"
        label="Outside their plots artists are"
        :value="plots.now.outside ?? 'warned'"
        :items="[
          { value: 'warned', title: 'warned' },
          { value: 'refused', title: 'refused' },
        ]"
        test="plots-outside"
        @change="plots.put({ outside: $event })"
      />
      <p v-if="plots.now.outside === 'refused'" class="faint small" data-test="plots-held">
        Strokes and clearing are cut off at the edge of their plots. Whatever else would change plants outside
        of them is refused: settings and rules of whole stands, new stands, shapes, stock, snapshots, undo.
        Plots’ own areas are the leads’.
      </p>
      <p v-if="plots.draft" class="do">
        <v-btn color="primary" variant="flat" :loading="plots.busy" data-test="plots-keep" @click="plots.keep"
          >Keep</v-btn
        >
        <v-btn data-test="plots-drop" @click="plots.drop">Drop</v-btn>
      </p>
    </template>

    <template v-if="requests.length || own.length">
      <h3>Shares asked for</h3>
      <p v-for="(r, k) in requests" :key="k" class="request" :data-test="`request-${k}`">
        <span
          >{{ r.plot }} asks {{ r.giver }}{{ ownerOf(r.giver) ? ` (${ownerOf(r.giver)})` : '' }} for
          <b class="number">{{ amount(r.line, r.amount) }}</b> in {{ r.tier }}</span
        >
        <v-btn v-if="mayGrant(r)" size="x-small" :data-test="`grant-${k}`" @click="plots.share('grant', r)"
          >Grant</v-btn
        >
        <v-btn v-if="mayDrop(r)" size="x-small" :data-test="`drop-${k}`" @click="plots.share('drop', r)"
          >Drop</v-btn
        >
      </p>
      <template v-for="e in own" :key="e.name">
        <v-btn
          v-if="!asking"
          size="small"
          :disabled="plots.entries.length < 2"
          :data-test="`ask-${e.name}`"
          @click="asking = { giver: givers(e.name)[0]!.value, amount: of === 'ms' ? 0.2 : 1 }"
          >Ask for {{ e.name }} …</v-btn
        >
        <div v-else class="plot">
          <ChoiceField
            label="From"
            :value="asking.giver"
            :items="givers(e.name)"
            test="ask-giver"
            @change="asking = { ...asking, giver: $event }"
          />
          <NumberField
            :label="`${unit.label} in ${drawing.tier}`"
            :unit="unit.unit"
            :value="asking.amount"
            :bounds="RequestBounds.amount"
            :step="unit.step"
            test="ask-amount"
            @change="asking = { ...asking, amount: $event }"
          />
          <p class="do">
            <v-btn color="primary" variant="flat" data-test="ask-go" @click="ask(e.name)">Ask</v-btn>
            <v-btn @click="asking = null">Cancel</v-btn>
          </p>
        </div>
      </template>
    </template>
    <p v-if="plots.trouble" class="over" role="alert" data-test="plots-trouble">{{ plots.trouble }}</p>
  </section>
</template>

<style scoped>
.spent {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
th {
  font-weight: 400;
  color: var(--faint);
  text-align: right;
}
th:first-child,
td:first-child {
  text-align: left;
}
td {
  text-align: right;
  padding: 3px 0 3px 6px;
  border-top: 1px solid var(--line);
}
td:first-child {
  padding-left: 0;
}
.name {
  font-size: 15px;
}
.plot {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 4px;
  align-items: center;
  padding: 8px 0;
  border-bottom: 1px solid var(--line);
}
.plot > :nth-child(n + 4),
.plot > .choice,
.plot > .do {
  grid-column: 1 / -1;
}
.do {
  display: flex;
  gap: 8px;
  margin: 6px 0;
}
.request {
  display: flex;
  gap: 6px;
  align-items: center;
  margin: 4px 0;
}
.request span {
  margin-right: auto;
}
</style>

<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { RebalanceChange, RebalanceKind } from '../api/client'
import { amount, LINES, signed, many } from './budget'
import type { Draft } from '../planting/useDraft'
import { usePictures } from '../level/usePictures'
import { edgeName } from '../sightline/distances'
import type { Stage } from '../stage/stage'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from '../level/level'
import { useRebalance } from './rebalance'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import TradeOff from './TradeOff.vue'
import { RebalanceInBounds } from '../api/bounds'

/** The least that must be lost to the eye to bring the level under its marks: worked out, tried, kept. */
const props = defineProps<{ stage: Stage | null; draft: Draft }>()
const balance = useRebalance()
const store = useLevel()
const drawing = useDrawing()
const locked = computed(() => !store.mayPlant)
const KINDS: { value: RebalanceKind; title: string }[] = [
  { value: 'distances', title: 'how far it is drawn' },
  { value: 'steps', title: 'LOD steps' },
  { value: 'fades', title: 'width of fades' },
  { value: 'shadows', title: 'shadow reach' },
  { value: 'tufts', title: 'tufts of swards' },
  { value: 'plants', title: 'single plants (others grow in their place)' },
]
const open = computed(() =>
  store.stands.filter((s) => !s.locked).map((s) => ({ value: s.id, title: s.name })),
)
const whose = computed(() => [
  { value: '', title: 'the whole level' },
  ...balance.plots.map((name) => ({ value: name, title: `plot ${name}, what its plants spend` })),
])
const walks = computed(() => Object.keys(store.level?.walks ?? {}))
const result = computed(() => balance.result)
/** Which answer of the trade-off is looked at; null for the one that meets the marks. */
const picked = ref<number | null>(null)
watch(result, () => (picked.value = null))
const changes = computed<RebalanceChange[]>(() =>
  picked.value === null ? (result.value?.changes ?? []) : result.value!.curve[picked.value]!.changes,
)
const over = computed(() =>
  LINES.filter((l) => (result.value?.over[l.name] ?? 0) > 0).map(
    (l) => `${l.label.toLowerCase()} by ${(result.value!.over[l.name]! * 100).toFixed(1)} %`,
  ),
)
const dearest = (when: 'before' | 'after') => Math.max(...result.value!.places.map((p) => p[when].ms!))
const swards = computed(() => new Set(store.stands.filter((s) => s.sward).map((s) => s.id)))
/** Whether single plants are thinned: the stage shows them until that is kept. */
const thins = computed(() => changes.value.some((c) => c.share < 1 && !swards.value.has(c.stand)))
const nameOf = (stand: number) => store.stands.find((s) => s.id === stand)?.name ?? ''
/** A loss is shown as above the least there can be from this share of it on. */
const SHOWN = 0.001
/** A loss in pixels as a share of the pictures that are looked at, each 1,920 × 1,080. */
const ofPicture = (loss: number) =>
  `${((100 * loss) / (1920 * 1080 * Math.max(result.value?.places.length ?? 1, 1))).toPrecision(2)} %`
const percent = (factor: number) => `${Math.round(factor * 100)} %`
function sentence(c: RebalanceChange): string {
  const steps = c.distances?.steps.length ?? 0
  return [
    c.share < 1 && `${percent(c.share)} of its ${swards.value.has(c.stand) ? 'tufts' : 'plants'}`,
    c.edge !== null && `${edgeName(c.edge, steps).name} at ${percent(c.farther)}`,
    c.edge === null && c.farther < 1 && `drawn ${percent(c.farther)} as far`,
    c.fade < 1 && `fades ${percent(c.fade)} as wide`,
    c.shadows < 1 && (c.shadows ? `shadows ${percent(c.shadows)} as far` : 'no shadows'),
  ]
    .filter(Boolean)
    .join(', ')
}
function attempt(): void {
  const each: Record<number, object> = {}
  const fullnesses: Record<number, number> = {}
  for (const c of changes.value) {
    if (c.distances) each[c.stand] = c.distances
    if (c.fullness !== null) fullnesses[c.stand] = c.fullness
  }
  store.selected = changes.value.map((c) => c.stand)
  props.draft.change({ each, fullnesses })
}
const { pictures, left, take, stop, forget } = usePictures()
watch(changes, forget)
/** Picture the three dearest places as they are, then try the changes and picture them again. */
async function compare(): Promise<void> {
  const stage = props.stage!
  props.draft.drop()
  forget()
  const dearest = result
    .value!.places.map((place, k) => ({ place, k }))
    .sort((a, b) => b.place.before.ms! - a.place.before.ms!)
    .slice(0, 3)
  const named = (when: string) =>
    Object.fromEntries(
      dearest.map(({ place: { x, y, z, heading, pitch, fov }, k }) => [
        `${k} ${when}`,
        { x, y, z, heading, pitch, fov },
      ]),
    )
  await nextTick()
  if (!(await take(stage, named('before')))) return
  attempt()
  await stage.arrived(500)
  await take(stage, named('after'))
}
function go(k: number): void {
  const { x, y, z, heading, pitch, fov } = result.value!.places[k]!
  props.stage?.look({ x, y, z, heading, pitch, fov })
}
</script>

<template>
  <section data-test="rebalance">
    <p class="faint">
      The settings that bring every place that counts under
      {{ balance.plot ? `the shares of ${balance.plot} in` : 'the marks of' }} {{ drawing.tier }}, with the
      least that is lost to the eye.
    </p>
    <ChoiceField
      v-if="balance.plots.length"
      label="For"
      :value="balance.plot"
      :items="whose"
      test="rebalance-plot"
      @change="balance.plot = $event"
    />
    <v-checkbox
      v-model="balance.views"
      label="The kept views count"
      :disabled="!store.level?.bookmarks.length"
      hide-details
      data-test="rebalance-views"
    />
    <v-checkbox
      v-model="balance.worst"
      label="The survey’s worst places count"
      hide-details
      data-test="rebalance-worst"
    />
    <v-select
      v-if="walks.length"
      v-model="balance.walks"
      :items="walks"
      multiple
      chips
      clearable
      label="Walks that count"
      title="Their dearest moments count as views"
      hide-details
      class="field"
      data-test="rebalance-walks"
    />
    <v-select
      v-model="balance.kinds"
      :items="KINDS"
      multiple
      chips
      label="What may change"
      hide-details
      class="field"
      data-test="rebalance-kinds"
    />
    <v-select
      v-model="balance.spared"
      :items="open"
      multiple
      chips
      clearable
      label="Stands to leave as they are"
      hide-details
      class="field"
      data-test="rebalance-spared"
    />
    <NumberField
      late
      label="No distance below"
      tip="Of what it is now"
      :value="balance.least * 100"
      :bounds="RebalanceInBounds.least"
      :digits="0"
      :normal="RebalanceInBounds.least.default * 100"
      test="rebalance-least"
      @change="balance.least = $event / 100"
    />
    <p v-if="balance.state?.running" class="run">
      <v-progress-linear :model-value="balance.state.share * 100" aria-label="How far the answer is" />
      <span class="faint">{{ balance.state.step }}</span>
      <v-btn size="small" data-test="rebalance-stop" @click="balance.stop">Stop</v-btn>
    </p>
    <p v-else-if="!result?.done" class="run">
      <v-btn :disabled="locked" data-test="rebalance-begin" @click="balance.look(true)">Work it out</v-btn>
    </p>
    <p v-if="balance.trouble" class="over" role="alert" data-test="rebalance-trouble">
      {{ balance.trouble }}
    </p>
    <template v-if="result">
      <p v-if="over.length" class="over" data-test="rebalance-over">
        The marks cannot all be met with what may change. The nearest to them is still over in
        {{ over.join(', ') }}.
      </p>
      <p v-else-if="!result.changes.length" data-test="rebalance-met">
        All these places are under the marks already.
      </p>
      <p v-else data-test="rebalance-met">
        The marks are met: the dearest place goes from
        <b class="number">{{ amount('ms', dearest('before')) }}</b> to
        <b class="number">{{ amount('ms', dearest('after')) }}</b>, and {{ ofPicture(result.loss) }} of the
        picture looks different, over {{ many(result.places.length, 'place') }}.
      </p>
      <p v-if="result.gap > SHOWN" class="faint" data-test="rebalance-gap">
        {{ balance.state?.running ? 'The best so far, while less is looked for: ' : ''
        }}{{ ofPicture(result.gap * result.loss) }} of the picture ({{ (result.gap * 100).toFixed(1) }} % of
        this loss) may be avoidable at the most.
      </p>
      <TradeOff
        v-if="result.curve.length > 1 && balance.marks?.ms"
        :points="result.curve"
        :mark="balance.marks.ms"
        :picked="picked"
        @pick="picked = $event === picked ? null : $event"
      />
      <table v-if="changes.length" aria-label="What changes" data-test="rebalance-changes">
        <thead>
          <tr>
            <th>{{ picked === null ? 'what changes' : 'what that dot changes' }}</th>
            <th>looks different</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in changes" :key="c.stand">
            <td>
              {{ nameOf(c.stand) }}<br /><span class="faint">{{ sentence(c) }}</span>
            </td>
            <td class="number">{{ ofPicture(c.loss) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="changes.length">
        <v-btn color="primary" variant="flat" :disabled="locked" data-test="rebalance-try" @click="attempt"
          >Try it on the stage</v-btn
        >
        <v-btn
          v-if="!left"
          class="compare"
          :disabled="locked || !stage"
          data-test="rebalance-compare"
          @click="compare"
          >Compare in pictures<v-tooltip activator="parent"
            >The three dearest places, as they are and with the changes tried</v-tooltip
          ></v-btn
        >
        <v-btn v-else class="compare" data-test="rebalance-compare-stop" @click="stop"
          >Stop, {{ left }} to come</v-btn
        >
      </p>
      <p v-if="thins" class="faint">
        Single plants that would go are marked on the stage, which shows them until that is kept; so do the
        pictures.
      </p>
      <v-list class="places" density="compact" aria-label="The places that count">
        <v-list-item
          v-for="(p, k) in result.places"
          :key="p.name"
          :title="p.name"
          :data-test="`rebalance-place-${k}`"
          @click="go(k)"
        >
          <v-list-item-subtitle>
            {{ amount('ms', p.before.ms!) }} → {{ amount('ms', p.after.ms!) }} ({{
              signed((p.after.ms! - p.before.ms!).toFixed(2), p.after.ms! - p.before.ms!)
            }})
          </v-list-item-subtitle>
          <div v-if="pictures[`${k} before`]" class="pair">
            <figure v-for="when in ['before', 'after']" :key="when">
              <img
                v-if="pictures[`${k} ${when}`]"
                :src="pictures[`${k} ${when}`]"
                :alt="`${p.name}, ${when}`"
              />
              <figcaption>{{ when }}</figcaption>
            </figure>
          </div>
        </v-list-item>
      </v-list>
    </template>
  </section>
</template>

<style scoped>
.field {
  margin: 8px 0;
}
.run {
  display: grid;
  gap: 4px;
  justify-items: start;
  margin: 6px 0;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
th {
  font-weight: 400;
  font-size: 12px;
  color: var(--faint);
  text-align: right;
}
th:first-child {
  text-align: left;
}
td {
  padding: 3px 0;
  border-top: 1px solid var(--line);
  line-height: 1.35;
}
td + td {
  text-align: right;
  vertical-align: top;
}
.compare {
  margin-left: 8px;
}
.pair {
  display: flex;
  gap: 6px;
  margin: 4px 0 6px;
}
.pair figure {
  flex: 1;
  margin: 0;
}
.pair img {
  display: block;
  width: 100%;
  border: 1px solid var(--line);
}
.pair figcaption {
  font-size: 12px;
  color: var(--faint);
}
.places {
  padding: 0;
  margin-top: 8px;
}
.places :deep(.v-list-item) {
  padding-inline: 4px;
}
</style>

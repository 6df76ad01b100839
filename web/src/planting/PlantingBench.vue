<script setup lang="ts">
import { mdiHelpCircleOutline, mdiPower, mdiVectorCurve } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { answer, api, type View } from '../api/client'
import { amount, signed, whole, type LineName } from '../budget/budget'
import type { Draft } from './useDraft'
import type { Hand } from './useHand'
import { useLevel } from '../level/level'
import { useTrial } from '../level/trial'
import ActionButton from '../shared/ActionButton.vue'
import ClashList from './ClashList.vue'
import ColourField from '../shared/ColourField.vue'
import CopyTo from './CopyTo.vue'
import ConditionList from './ConditionList.vue'
import DraftFooter from './DraftFooter.vue'
import FoldingPart from '../shared/FoldingPart.vue'
import MixList from './MixList.vue'
import NumberField from '../shared/NumberField.vue'
import PairField from '../shared/PairField.vue'
import GroupField from './GroupField.vue'
import GrowsOn from './GrowsOn.vue'
import LayoutField from './LayoutField.vue'
import PlantTable from './PlantTable.vue'
import PinPanel from './PinPanel.vue'
import SampleRow from './SampleRow.vue'
import SnapshotList from './SnapshotList.vue'
import StandCard from './StandCard.vue'
import { STRATA, type Stratum } from '../shared/strata'
import { StandSettingsBounds, VariationSettingsBounds } from '../api/bounds'

const props = defineProps<{ draft: Draft; hand: Hand; view: () => View | null }>()
const emit = defineEmits<{ go: [at: [number, number]] }>()
const store = useLevel()
const trial = useTrial()
const d = props.draft
const locked = computed(() => !store.mayPlant || store.chosen.some((s) => s.locked))
const title = computed(() =>
  store.chosen.length === 1 ? store.chosen[0]!.name : `${store.chosen.length} stands`,
)
const sward = computed(() => store.chosen.every((s) => s.sward))
const wrong = (name: string) => d.fields.value.some((f) => f.startsWith(name))

const free = computed(() => store.chosen.every((s) => d.settingsOf(s).layout.kind === 'free'))
const tints = computed(() => d.shared((s) => s.tints))
const setTint = (k: number, colour: string) => d.change({ tints: k ? [null, colour] : [colour, null] })
const spacing = computed(() => d.shared((s) => s.spacing))
const fullness = computed(() => d.shared((s) => s.fullness))
const v = (name: 'lean' | 'follow' | 'sink' | 'patch') => d.shared((s) => s.variation[name])
/** A range of the selected stands: the first one's, and which of its ends they do not share. */
function pair(name: 'size' | 'width' | 'turn') {
  const [lo, hi] = [d.shared((s) => s.variation[name][0]), d.shared((s) => s.variation[name][1])]
  return {
    value: [lo.value, hi.value] as [number, number],
    mixed: [lo.mixed, hi.mixed] as [boolean, boolean],
  }
}
const packing = computed(() => store.level!.packing)
/** Plants per ha, of a sward tufts per m², that a spacing gives. */
const perArea = (apart: number) => +((packing.value / apart ** 2) * (sward.value ? 1 : 1e4)).toFixed(4)

const aimed = ref('')
const aimMessage = ref('')
watch(
  () => store.selected.join(),
  () => (aimed.value = aimMessage.value = ''),
)
/** Try the fullness that gives the number aimed for. */
async function aim() {
  const stand = store.chosen[0]
  const count = Number(aimed.value)
  if (!stand || !(count > 0)) return
  try {
    const found = await answer(
      api.POST('/api/levels/{slug}/stands/{stand}/aim', {
        params: { path: { slug: store.slug, stand: stand.id } },
        body: { count, settings: d.partOf(stand) },
      }),
    )
    if (store.selected.join() !== String(stand.id)) return
    aimMessage.value =
      found.count < count
        ? `At most ${whole(found.count)} stand here so far apart: closer spacing or wider bands give more.`
        : ''
    d.change({ fullness: found.fullness })
  } catch (error) {
    aimMessage.value = (error as Error).message
  }
}
function setPer(n: number) {
  if (n > 0) d.change({ spacing: +Math.sqrt(packing.value / (sward.value ? n : n / 1e4)).toFixed(3) })
}
/** Have all selected stands switched off or on, tried before it is kept. */
const flip = (off: boolean) =>
  trial
    .ask(`Switch ${title.value} ${off ? 'off' : 'on'}`, (view, headers) =>
      api.POST('/api/levels/{slug}/switch-stands', {
        ...store.here(),
        body: { key: crypto.randomUUID(), stands: store.selected, off, view },
        headers,
      }),
    )
    .catch(store.report)
const CLEARS = ['path', 'area', 'obstacle'] as const
const clear = computed(() => d.shared((s) => s.clear_of))
function flipClear(kind: (typeof CLEARS)[number]) {
  const now = clear.value.value ?? []
  d.change({ clear_of: CLEARS.filter((k) => (k === kind ? !now.includes(k) : now.includes(k))) })
}
const groups = computed(() => d.shared((s) => s.clear_of_groups ?? []))
/** The groups that shapes and placed meshes belong to. */
const groupNames = computed(() =>
  [...new Set([...store.shapes, ...store.surfaces].flatMap((s) => s.group || []))].sort(),
)
const overlap = computed(() => d.shared((s) => s.overlap))
const gap = computed(() => d.shared((s) => s.gap))
const under = computed(() => d.shared((s) => s.under))
const flipUnder = (k: Stratum) =>
  d.change({
    under: STRATA.filter((n) => (n === k ? !under.value.value.includes(n) : under.value.value.includes(n))),
  })
const warnings = computed(() => store.chosen.flatMap((s) => s.warnings.map((w) => `${s.name}: ${w}`)))
const costs = computed(() =>
  (['ms', 'triangles', 'draw_calls', 'memory'] as LineName[]).map((name) => {
    const c = d.tried.value?.cost ?? {}
    const value = (c[name] ?? 0) + (name === 'draw_calls' ? (c.shadow_calls ?? 0) : 0)
    return {
      name,
      value,
      text:
        signed(amount(name, value), value) +
        ({ triangles: ' triangles', draw_calls: ' calls' }[name as 'triangles'] ?? ''),
    }
  }),
)
</script>

<template>
  <div v-if="store.chosen.length" class="bench" data-test="planting-bench">
    <StandCard v-if="store.chosen.length === 1" :stand="store.chosen[0]!">
      <CopyTo :draft="d" />
    </StandCard>
    <template v-else>
      <h2>{{ title }}</h2>
      <p v-if="store.mayPlant" class="several">
        <v-btn
          v-for="off in [true, false]"
          v-show="store.chosen.some((s) => s.off !== off)"
          :key="`${off}`"
          size="small"
          :prepend-icon="mdiPower"
          :disabled="store.chosen.some((s) => s.locked)"
          :data-test="off ? 'stands-off' : 'stands-on'"
          @click="flip(off)"
          >Switch {{ off ? 'off' : 'on' }}</v-btn
        >
      </p>
    </template>
    <GroupField :stands="store.chosen" />
    <p v-if="!store.mayPlant" class="faint">
      You may look at this level; its settings are shown, not editable.
    </p>
    <p v-else-if="store.chosen.some((s) => s.off)" class="over" data-test="is-off">
      {{ store.chosen.length === 1 ? 'Off' : 'Some are off' }}: not drawn, not counted, claims no room, not
      handed over.
    </p>
    <p v-else-if="locked" class="faint">
      Locked: its settings and painting are left as they are until it is unlocked.
    </p>

    <FoldingPart name="mix" title="Mix">
      <MixList :draft="d" :locked="locked" />
    </FoldingPart>

    <FoldingPart name="layout" title="Layout">
      <GrowsOn
        v-if="!d.shared((s) => s.on!).mixed"
        :model-value="d.shared((s) => s.on!).value ?? []"
        :disabled="locked"
        @update:model-value="d.change({ on: $event })"
      />
      <LayoutField v-if="!sward" :draft="d" :locked="locked" />
      <template v-if="free">
        <NumberField
          label="Spacing"
          :value="spacing.value"
          :mixed="spacing.mixed"
          :bounds="StandSettingsBounds.spacing"
          :digits="3"
          :wrong="wrong('spacing')"
          :disabled="locked"
          test="spacing"
          @change="d.change({ spacing: $event })"
        />
        <NumberField
          :label="sward ? 'Tufts when full' : 'Plants when full'"
          :unit="sward ? 'per m²' : 'per ha'"
          :value="perArea(spacing.value)"
          :mixed="spacing.mixed"
          :min="perArea(StandSettingsBounds.spacing.max)"
          :max="perArea(StandSettingsBounds.spacing.min)"
          :step="sward ? 0.1 : 10"
          :digits="sward ? 2 : 0"
          :disabled="locked"
          test="per-area"
          @change="setPer"
        />
      </template>
      <NumberField
        label="Fullness"
        :value="fullness.value * 100"
        :mixed="fullness.mixed"
        :bounds="StandSettingsBounds.fullness"
        :digits="1"
        :normal="100"
        :wrong="wrong('fullness')"
        :disabled="locked"
        test="fullness"
        @change="d.change({ fullness: +($event / 100).toFixed(4) })"
      />
      <div v-if="store.chosen.length === 1 && !locked" class="aim">
        <v-text-field
          v-model="aimed"
          inputmode="numeric"
          data-keys
          label="Aim for"
          :placeholder="whole(store.chosen[0]!.count)"
          persistent-placeholder
          :suffix="sward ? 'tufts' : 'plants'"
          hide-details
          data-test="aim"
          @keydown.enter="aim"
        />
        <ActionButton
          tip="Find the fullness that gives this number"
          :why="!/^[0-9]+$/.test(aimed.trim()) && 'say a whole number'"
          data-test="aim-go"
          @click="aim"
          >Find</ActionButton
        >
      </div>
      <p v-if="aimMessage" class="faint" role="status" data-test="aim-message">{{ aimMessage }}</p>
    </FoldingPart>

    <FoldingPart name="site" title="Site">
      <div class="laid">
        <v-checkbox
          v-model="d.showOverlay.value"
          aria-label="Show on the stage"
          label="show"
          data-test="overlay"
        />
        <v-select
          v-model="d.overlayKind.value"
          :items="['suitability', 'density', 'touch']"
          aria-label="What is laid over the ground"
          hide-details
          data-test="overlay-kind"
          @update:model-value="d.showOverlay.value = true"
        />
        <ActionButton
          :icon="mdiVectorCurve"
          :on="d.overlayAs.value === 'lines'"
          tip="Lines of equal value over the plants, in place of a wash over the ground"
          data-test="overlay-as"
          @click="
            ((d.overlayAs.value = d.overlayAs.value === 'lines' ? 'wash' : 'lines'),
            (d.showOverlay.value = true))
          "
        />
        <ActionButton
          :icon="mdiHelpCircleOutline"
          :on="d.asking.value"
          action="why"
          tip="Point at any place and read why it carries a plant or none"
          data-test="ask-why"
          @click="d.asking.value = !d.asking.value"
        />
      </div>
      <p v-for="w in warnings" :key="w" class="over" role="alert">{{ w }}</p>
      <ConditionList :draft="d" :locked="locked" />
    </FoldingPart>

    <FoldingPart name="room" title="Room">
      <p class="sub">Keeps out of the clear margin of</p>
      <div class="choices">
        <v-checkbox
          v-for="k in CLEARS"
          :key="k"
          :label="`${k}s`"
          :model-value="clear.value?.includes(k)"
          :disabled="locked"
          :data-test="`clear-${k}`"
          @update:model-value="flipClear(k)"
        />
      </div>
      <v-select
        v-if="groupNames.length || groups.value.length"
        multiple
        chips
        closable-chips
        :model-value="groups.value"
        :items="groupNames"
        :label="groups.mixed ? 'and of the groups (mixed)' : 'and of the groups'"
        hide-details
        :disabled="locked"
        data-test="clear-groups"
        @update:model-value="d.change({ clear_of_groups: $event })"
      />
      <NumberField
        label="Gap beyond footprints"
        :value="gap.value"
        :mixed="gap.mixed"
        :bounds="StandSettingsBounds.gap"
        :normal="StandSettingsBounds.gap.default"
        :wrong="wrong('gap')"
        :disabled="locked"
        test="gap"
        @change="d.change({ gap: $event })"
      />
      <template v-if="!sward">
        <v-switch
          :model-value="overlap.value"
          :label="overlap.mixed ? 'may overlap with others (mixed)' : 'may overlap with others'"
          hint="Its plants claim no room and give way to none; shapes still keep it out"
          :disabled="locked"
          data-test="overlap"
          @update:model-value="d.change({ overlap: !!$event })"
        />
        <p class="sub">May stand under the crowns of <span v-if="under.mixed" class="faint">mixed</span></p>
        <div v-if="!under.mixed" class="choices">
          <v-checkbox
            v-for="k in STRATA"
            :key="k"
            :label="k"
            :model-value="under.value.includes(k)"
            :disabled="locked"
            :data-test="`under-${k}`"
            @update:model-value="flipUnder(k)"
          />
        </div>
      </template>
      <p class="faint small">
        Earlier strata and higher stands take their room first. Trunks keep everything out; crowns keep out
        what may not stand under them.
      </p>
    </FoldingPart>

    <FoldingPart name="variation" title="Variation">
      <SampleRow :draft="d" />
      <PairField
        label="Size"
        :value="pair('size').value"
        :mixed="pair('size').mixed"
        :bounds="VariationSettingsBounds.size"
        :wrong="wrong('variation')"
        :disabled="locked"
        test="size"
        @end="d.change({ variation: { size: $event } })"
      />
      <PairField
        label="Width apart"
        :value="pair('width').value"
        :mixed="pair('width').mixed"
        :bounds="VariationSettingsBounds.width"
        :wrong="wrong('variation')"
        :disabled="locked"
        test="width"
        @end="d.change({ variation: { width: $event } })"
      />
      <PairField
        label="Turn"
        :value="pair('turn').value"
        :mixed="pair('turn').mixed"
        :bounds="VariationSettingsBounds.turn"
        :wrong="wrong('variation')"
        :disabled="locked"
        test="turn"
        @end="d.change({ variation: { turn: $event } })"
      />
      <NumberField
        label="Random lean, up to"
        :value="v('lean').value"
        :mixed="v('lean').mixed"
        :bounds="VariationSettingsBounds.lean"
        :normal="0"
        :wrong="wrong('variation.lean')"
        :disabled="locked"
        test="lean"
        @change="d.change({ variation: { lean: $event } })"
      />
      <NumberField
        label="Follows the slope"
        :value="v('follow').value * 100"
        :mixed="v('follow').mixed"
        :bounds="VariationSettingsBounds.follow"
        :digits="1"
        :normal="0"
        :wrong="wrong('variation.follow')"
        :disabled="locked"
        test="follow"
        @change="d.change({ variation: { follow: $event / 100 } })"
      />
      <NumberField
        label="Sink"
        :value="v('sink').value"
        :mixed="v('sink').mixed"
        :bounds="VariationSettingsBounds.sink"
        :normal="VariationSettingsBounds.sink.default"
        :wrong="wrong('variation.sink')"
        :disabled="locked"
        test="sink"
        @change="d.change({ variation: { sink: $event } })"
      />
      <NumberField
        label="Tint patches, wide"
        :value="v('patch').value"
        :mixed="v('patch').mixed"
        :bounds="VariationSettingsBounds.patch"
        :wrong="wrong('variation.patch')"
        :disabled="locked"
        test="patch"
        @change="d.change({ variation: { patch: $event } })"
      />
      <p class="tints">
        Tint between<span v-if="tints.mixed" class="faint">(mixed)</span>
        <ColourField
          v-for="k in [0, 1]"
          :key="k"
          :value="tints.value[k]"
          :disabled="locked"
          :label="k ? 'The other tint' : 'One tint'"
          :test="`tint-${k}`"
          @change="setTint(k, $event)"
        />
      </p>
    </FoldingPart>

    <FoldingPart v-if="hand.stand.value" name="single" title="Single plants">
      <PinPanel :hand="hand" :locked="locked" />
    </FoldingPart>
    <FoldingPart closed name="plant-list" title="List of single plants">
      <PlantTable @go="emit('go', $event)" />
    </FoldingPart>
    <SnapshotList :draft="d" :view="view" />

    <DraftFooter :draft="d" :locked="locked">
      <ClashList v-if="d.clashes.value.length" :draft="d" />
      <template v-else-if="d.tried.value">
        <p class="number">
          <b data-test="expected">{{ whole(d.tried.value.count) }}</b> plants, now {{ whole(d.before.value) }}
          <span class="gained">○ +{{ whole(d.tried.value.gained) }}</span> &ensp;
          <span class="over">× −{{ whole(d.tried.value.lost) }}</span>
        </p>
        <p class="number" data-test="cost-difference">
          <template v-for="c in costs" :key="c.name"
            ><span :class="c.value > 0 ? 'over' : 'faint'">{{ c.text }}</span> &ensp;</template
          >
        </p>
      </template>
      <p v-else class="faint">Counting …</p>
    </DraftFooter>
  </div>
  <div v-else>
    <p class="faint">Select a stand in the column at the left.</p>
    <SnapshotList :draft="d" :view="view" />
  </div>
</template>

<style scoped>
.several {
  display: flex;
  gap: 6px;
  margin: 4px 0;
}
.laid {
  display: flex;
  gap: 6px;
  align-items: center;
  margin: 0 0 6px;
}
.laid > .v-select {
  min-width: 0;
}
.laid > .v-checkbox {
  flex: none;
  margin-left: -4px;
}
.laid :deep(.v-select__selection) {
  font-size: 13px;
}
.gained {
  color: var(--green);
}
.aim {
  display: flex;
  gap: 8px;
  align-items: center;
}
.aim {
  margin: 8px 0 2px;
}
.tints {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 4px 0 0;
}
.small {
  font-size: 12.5px;
  margin: 4px 0 0;
}
.sub {
  margin: 4px 0 0;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
}
</style>

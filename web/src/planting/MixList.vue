<script setup lang="ts">
import { mdiChevronDown, mdiChevronUp, mdiClose, mdiTune } from '@mdi/js'
import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import { api, type MixEntry } from '../api/client'
import type { Draft } from './useDraft'
import { KINDS } from '../api/kinds'
import { begun, ORDER, type Kind } from './conditions'
import { changedIn, together } from './lists'
import { useLevel } from '../level/level'
import { useTrial } from '../level/trial'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import ConditionCard from './ConditionCard.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import SavedMixes from './SavedMixes.vue'
import NumberField from '../shared/NumberField.vue'
import PairField from '../shared/PairField.vue'
import { MixEntryBounds, VariationSettingsBounds } from '../api/bounds'
import { useAttempt } from '../shared/useAttempt'

/** The stock items a stand plants, by weight; a changed weight moves plants only to or from that item. */
const props = defineProps<{ draft: Draft; locked: boolean }>()
const store = useLevel()
const trial = useTrial()
const mix = computed(() => props.draft.shared((s) => s.mix))
const stand = computed(() => props.draft.shared((s) => s.variation))
const KIND = (m: MixEntry) => m.item
/** The items of all selected stands. */
const rows = computed(() =>
  together(
    store.chosen.map((s) => props.draft.settingsOf(s).mix),
    KIND,
  ),
)
const list = computed(() => rows.value.map((r) => r.item))
const total = computed(() =>
  Math.max(
    list.value.reduce((n, m) => n + m.weight, 0),
    1e-9,
  ),
)
const spare = computed(() => store.level!.stock.filter((i) => !list.value.some((m) => m.item === i.slug)))
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const DRIVERS = [
  { value: '', title: 'nothing' },
  ...ORDER.map((value) => ({ value: value, title: KINDS[value].label })),
]
const inMetres = useLocalStorage('kt-heights-in-metres', false)
const heightOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.height ?? 0
const metres = (slug: string, [lo, hi]: readonly [number, number]): [number, number] => [
  +(lo * heightOf(slug)).toFixed(3),
  +(hi * heightOf(slug)).toFixed(3),
]
const multiples = (slug: string, [lo, hi]: [number, number]): [number, number] => [
  +(lo / heightOf(slug)).toFixed(4),
  +(hi / heightOf(slug)).toFixed(4),
]
const ownOf = (m: MixEntry) =>
  !!m.drive || !!m.size || !!m.width || (m.sink !== null && m.sink !== undefined) || m.footprint !== 1
const open = ref('')
const { trouble, attempt } = useAttempt()
const message = ref('')
/** Another mix in its stead; plants of an item that both have keep it where they can. */
function takeMix(next: MixEntry[], name: string, missing: string[]) {
  put(next)
  const lacks = missing.length
    ? ` ${missing.join(', ')} is not in the stock of this level and was left out.`
    : ''
  message.value = `${name} is tried; keep it or drop it.${lacks}`
}
const put = (next: MixEntry[]) => props.draft.change({ mix: next })
/** Change the mix: for all the same, or each stand's own where they differ. */
function edit(work: (mix: MixEntry[]) => MixEntry[]) {
  if (!mix.value.mixed) put(work(list.value))
  else props.draft.changeEach((s) => ({ mix: work(s.mix) }))
}
const set = (k: number, part: Partial<MixEntry>) =>
  edit((mix) => changedIn(mix, KIND, rows.value[k]!.key, part))
const takeOut = (k: number) =>
  edit((mix) => {
    const rest = changedIn(mix, KIND, rows.value[k]!.key, null)
    return rest.length ? rest : mix
  })
const isMixed = (k: number, part: keyof MixEntry) => rows.value[k]!.mixed.includes(part)
/** How many of the selected stands have it, where not all do. */
const inSome = (k: number) => (rows.value[k]!.count < store.chosen.length ? rows.value[k]!.count : 0)
/** The items of the mix, but for one. */
const mixed = (but = '') => list.value.map((m) => m.item).filter((slug) => slug !== but)
function add(item: string) {
  edit((mix) => {
    const whole = mix.reduce((n, m) => n + m.weight, 0)
    const weight = +(Math.max(whole, 1e-9) / Math.max(mix.length, 1)).toFixed(2)
    return mix.some((m) => m.item === item) ? mix : [...mix, { item, weight, footprint: 1, mark: '' }]
  })
}
/** Another item in its stead: the same plants carry it. */
function exchange(k: number, item: string) {
  const m = list.value[k]!
  if (item === m.item) return
  edit((mix) =>
    mix.some((other) => other.item === item)
      ? mix
      : changedIn(mix, KIND, rows.value[k]!.key, { item, mark: m.mark || m.item }),
  )
}
const everywhere = (item: string, by: string) =>
  attempt(async () => {
    await trial.ask(`${nameOf(item)} for ${nameOf(by)} everywhere`, (view, headers) =>
      api.POST('/api/levels/{slug}/exchange', {
        ...store.here(),
        body: { key: crypto.randomUUID(), item, by, view },
        headers,
      }),
    )
  })
function drive(k: number, kind: string) {
  if (!kind) return set(k, { drive: null })
  try {
    const above = store.stands.slice(0, store.stands.indexOf(store.chosen[0]!))
    set(k, { drive: begun(kind as Kind, store.level!, store.masks, above) })
    trouble.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
</script>

<template>
  <div data-test="mix">
    <p v-if="mix.mixed" class="faint" data-test="mix-mixed">
      The selected stands plant different mixes. What is changed here is changed in each that has it; the rest
      stays.
    </p>
    <template v-for="(m, k) in list" :key="m.item">
      <div class="entry">
        <ItemPicker
          :model-value="m.item"
          :label="`Item ${k + 1}: exchange it`"
          :without="mixed(m.item)"
          :disabled="locked"
          :test="`mix-${m.item}`"
          @update:model-value="exchange(k, $event)"
        />
        <NumberField
          bare
          :label="`Weight of ${nameOf(m.item)}`"
          :value="m.weight"
          :mixed="isMixed(k, 'weight')"
          :bounds="MixEntryBounds.weight"
          :unit="mix.mixed ? '' : `${Math.round((m.weight / total) * 100)} %`"
          :disabled="locked"
          :test="`weight-${m.item}`"
          @change="set(k, { weight: $event })"
        />
        <ActionButton
          variant="text"
          size="x-small"
          :icon="open === m.item ? mdiChevronUp : ownOf(m) ? mdiTune : mdiChevronDown"
          :aria-expanded="open === m.item"
          :tip="`What ${nameOf(m.item)} has of its own`"
          :data-test="`own-${m.item}`"
          @click="open = open === m.item ? '' : m.item"
        />
        <ActionButton
          v-if="list.length > 1 && !locked"
          variant="text"
          size="x-small"
          :icon="mdiClose"
          :tip="`Take ${nameOf(m.item)} out`"
          @click="takeOut(k)"
        />
      </div>
      <p v-if="inSome(k)" class="faint some">in {{ inSome(k) }} of {{ store.chosen.length }} stands</p>
      <div v-if="open === m.item" class="own">
        <PairField
          v-if="inMetres && heightOf(m.item)"
          label="Height"
          unit="m"
          :step="0.1"
          :value="metres(m.item, m.size ?? stand.value.size!)"
          :mixed="isMixed(k, 'size') ? [true, true] : undefined"
          :disabled="locked"
          :test="`metres-${m.item}`"
          @change="set(k, { size: multiples(m.item, $event) })"
        />
        <PairField
          v-else
          label="Size"
          :value="m.size ?? stand.value.size!"
          :mixed="isMixed(k, 'size') ? [true, true] : undefined"
          :bounds="VariationSettingsBounds.size"
          :disabled="locked"
          :test="`size-${m.item}`"
          @change="set(k, { size: $event })"
        />
        <PairField
          label="Width apart"
          :value="m.width ?? stand.value.width!"
          :mixed="isMixed(k, 'width') ? [true, true] : undefined"
          :bounds="VariationSettingsBounds.width"
          :disabled="locked"
          :test="`width-${m.item}`"
          @change="set(k, { width: $event })"
        />
        <v-checkbox
          v-model="inMetres"
          :label="`height in metres (${nameOf(m.item)} is ${heightOf(m.item).toFixed(2)} m at 1 ×)`"
          :data-test="`in-metres-${m.item}`"
        />
        <NumberField
          label="Sink"
          :value="m.sink ?? stand.value.sink"
          :mixed="isMixed(k, 'sink')"
          :bounds="MixEntryBounds.sink"
          :disabled="locked"
          :test="`sink-${m.item}`"
          @change="set(k, { sink: $event })"
        />
        <NumberField
          label="Footprint, × its own"
          :value="m.footprint"
          :mixed="isMixed(k, 'footprint')"
          :bounds="MixEntryBounds.footprint"
          :normal="MixEntryBounds.footprint.default"
          :disabled="locked"
          :test="`footprint-${m.item}`"
          @change="set(k, { footprint: $event })"
        />
        <v-btn
          v-if="m.size || m.width || (m.sink !== null && m.sink !== undefined)"
          size="x-small"
          :disabled="locked"
          @click="set(k, { size: null, width: null, sink: null })"
          >size, width and sink as the stand’s</v-btn
        >
        <ChoiceField
          label="Its weight follows"
          :value="m.drive?.kind ?? ''"
          :items="DRIVERS"
          :disabled="locked"
          :test="`drive-${m.item}`"
          @change="drive(k, $event)"
        />
        <ConditionCard
          v-if="m.drive"
          alone
          :condition="m.drive"
          :index="0"
          :count="1"
          :disabled="locked"
          @change="set(k, { drive: $event })"
          @remove="set(k, { drive: null })"
        />
        <div v-if="!locked && spare.length" class="wide">
          In the whole level
          <ItemPicker
            :model-value="''"
            label="exchange it for …"
            :without="mixed()"
            :test="`everywhere-${m.item}`"
            @update:model-value="everywhere(m.item, $event)"
          />
        </div>
      </div>
    </template>
    <p v-if="trouble" class="over" role="alert" data-test="mix-trouble">{{ trouble }}</p>
    <p v-if="message" class="faint" role="status" data-test="mix-message">{{ message }}</p>
    <div class="tools">
      <ItemPicker
        v-if="spare.length && !locked"
        :model-value="''"
        label="Add to the mix"
        :without="mixed()"
        test="mix-add"
        @update:model-value="add"
      />
      <SavedMixes :mix="list" :locked="locked" @take="takeMix" @trouble="trouble = $event" />
    </div>
  </div>
</template>

<style scoped>
.entry {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 86px auto auto;
  gap: 4px;
  align-items: center;
  margin: 0 0 4px;
}
.own {
  border-left: 2px solid var(--line);
  padding: 2px 0 6px 10px;
  margin: 0 0 6px;
  --choice-width: 140px;
}
.wide {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
}
.tools {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
  align-items: center;
}
.some {
  margin: -2px 0 4px;
  font-size: 12.5px;
}
</style>

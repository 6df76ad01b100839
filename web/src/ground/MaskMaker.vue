<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import { answer, api, type MaskSource } from '../api/client'
import { ConditionSettingsBounds, MaskSourceBounds } from '../api/bounds'
import { KINDS } from '../api/kinds'
import { useLevel } from '../level/level'
import { fresh, has, type Kind } from '../planting/conditions'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { useMasks } from './masks'
import { useAttempt } from '../shared/useAttempt'

/** A mask image made from the level: seen on the plan while it is tuned, kept under a name. */
const emit = defineEmits<{ close: [] }>()
const store = useLevel()
const masks = useMasks()
const VALUES: Kind[] = ['altitude', 'slope', 'hollow', 'wetness', 'noise']
const FROM: { value: string; title: string }[] = [
  ...VALUES.map((kind) => ({ value: kind, title: KINDS[kind].label })),
  { value: 'suitability', title: 'What suits a stand' },
  { value: 'basins', title: 'Drainage basins' },
  { value: 'rivers', title: 'Rivers' },
  { value: 'river distance', title: 'Distance to rivers' },
]
const SAYS: Record<string, string> = {
  suitability: 'White where all conditions of the stand hold, as they are now.',
  basins: 'Each basin has a grey of its own, the largest is white; smaller ones are black.',
  rivers: 'White where the water of so much ground runs together.',
  'river distance': 'Black at the rivers, white so far away and beyond.',
}
const from = ref('slope')
const name = ref('')
const stand = ref(store.chosen[0]?.id ?? store.stands[0]?.id ?? null)
const cell = ref(store.level!.touch_cell)
const low = ref<number | null>(null)
const high = ref<number | null>(null)
const radius = ref<number>(KINDS.hollow.radius)
const catchment = ref<number>(MaskSourceBounds.catchment.default)
const reach = ref<number>(MaskSourceBounds.reach.default)
/** Whether it is made again by itself. */
const automatic = ref(false)
const followsStands = computed(
  () =>
    from.value === 'suitability' &&
    (chosen.value?.settings.conditions ?? []).some((c) => has(c.kind as Kind, 'stand')),
)
const { trouble, busy, attempt } = useAttempt()
const kind = computed(() => VALUES.find((k) => k === from.value))
const flows = computed(() => ['basins', 'rivers', 'river distance'].includes(from.value))
const chosen = computed(() => store.stands.find((s) => s.id === stand.value))
const title = computed(() => FROM.find((f) => f.value === from.value)!.title)

const source = computed<MaskSource>(() => ({
  made_from: kind.value ? 'values' : (from.value as MaskSource['made_from']),
  conditions: kind.value
    ? [{ ...fresh(kind.value, store.level!), radius: radius.value }]
    : from.value === 'suitability'
      ? (chosen.value?.settings.conditions ?? [])
      : [],
  low: low.value,
  high: high.value,
  catchment: catchment.value,
  reach: reach.value,
  cell: cell.value,
  automatic: automatic.value && !followsStands.value,
  key: '',
}))
let timer = 0
watch(
  source,
  () => {
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void masks.look({ source: source.value }), 150)
  },
  { immediate: true },
)
watch(from, () => (low.value = high.value = null))
onScopeDispose(() => {
  window.clearTimeout(timer)
  masks.hide()
})

const keep = () =>
  attempt(async () => {
    const body = {
      key: crypto.randomUUID(),
      name: name.value.trim() || title.value,
      source: source.value,
      view: store.seen,
    }
    store.take(
      await answer(api.POST('/api/levels/{slug}/made-masks', { ...store.here(), body })),
      undefined,
      store.seen,
    )
    emit('close')
  })
</script>

<template>
  <section class="maker" data-test="mask-maker">
    <ChoiceField label="Made from" :value="from" :items="FROM" test="mask-from" @change="from = $event" />
    <ChoiceField
      v-if="from === 'suitability'"
      label="Stand"
      :value="stand"
      :items="store.stands.map((s) => ({ value: s.id, title: s.name }))"
      test="mask-stand"
      @change="stand = $event"
    />
    <NumberField
      v-if="kind === 'hollow'"
      label="Radius of the ground around"
      :value="radius"
      :bounds="ConditionSettingsBounds.radius"
      :digits="1"
      test="mask-radius"
      @change="radius = $event"
    />
    <template v-if="kind">
      <NumberField
        label="Black at"
        :unit="KINDS[kind].unit"
        :value="low"
        :bounds="MaskSourceBounds.low"
        tip="Left empty: the lowest value there is"
        test="mask-low"
        @change="low = $event"
      />
      <NumberField
        label="White at"
        :unit="KINDS[kind].unit"
        :value="high"
        :bounds="MaskSourceBounds.high"
        tip="Left empty: the highest value there is"
        test="mask-high"
        @change="high = $event"
      />
    </template>
    <NumberField
      v-if="flows"
      :label="from === 'basins' ? 'Basins of at least' : 'Ground that drains there, at least'"
      :value="catchment"
      :bounds="MaskSourceBounds.catchment"
      test="mask-catchment"
      @change="catchment = $event"
    />
    <NumberField
      v-if="from === 'river distance'"
      label="White from"
      :value="reach"
      :bounds="MaskSourceBounds.reach"
      test="mask-reach"
      @change="reach = $event"
    />
    <NumberField
      label="Size of a value"
      :value="cell"
      :bounds="MaskSourceBounds.cell"
      :digits="3"
      test="mask-cell"
      @change="cell = $event"
    />
    <v-checkbox
      v-model="automatic"
      label="made again by itself when the level changes"
      :disabled="followsStands"
      :title="followsStands ? 'One that follows from other stands is made again by hand' : undefined"
      data-test="mask-automatic"
    />
    <p class="faint" role="status">
      {{ masks.busy ? 'Working it out …' : (SAYS[from] ?? `From black to white: ${KINDS[kind!].says}.`) }}
    </p>
    <v-text-field
      v-model="name"
      label="Name"
      :placeholder="title"
      persistent-placeholder
      maxlength="40"
      hide-details
      data-test="mask-made-name"
    />
    <p v-if="trouble || masks.trouble" class="over" role="alert" data-test="mask-trouble">
      {{ trouble || masks.trouble }}
    </p>
    <p class="do">
      <v-btn
        color="primary"
        variant="flat"
        :disabled="busy || !!masks.trouble"
        data-test="mask-keep"
        @click="keep"
        >Keep</v-btn
      >
      <v-btn data-test="mask-cancel" @click="emit('close')">Cancel</v-btn>
    </p>
  </section>
</template>

<style scoped>
.maker {
  border-top: 1px solid var(--line);
  margin-top: 6px;
  padding-top: 6px;
}
.do {
  display: flex;
  gap: 6px;
  margin: 8px 0 0;
}
p {
  margin: 4px 0;
}
</style>

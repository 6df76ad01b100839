<script setup lang="ts">
import { mdiPlus } from '@mdi/js'
import { useDebounceFn } from '@vueuse/core'
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import { answer, api, type Changed, type MixEntry, type View } from '../api/client'
import { amount, signed, whole } from '../budget/budget'
import { useLevel } from '../level/level'
import { STRATA, type Stratum } from '../shared/strata'
import GrowsOn from './GrowsOn.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import NumberField from '../shared/NumberField.vue'
import { AddInBounds } from '../api/bounds'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

/** Begin a stand: how many plants it would have and what they cost is shown before. */
const props = defineProps<{ view?: () => View | null }>()
const store = useLevel()
const open = ref(false)
const item = ref('')
const name = ref('')
const stratum = ref<Stratum>('Shrub')
const sward = ref(false)
/** Placed meshes and groups that it grows on; the terrain where there are none. */
const on = ref<string[]>([])
const spacing = ref<number | null>(null)
/** Per cent. */
const fullness = ref<number | null>(null)
const { trouble, busy, attempt } = useAttempt()
const tried = shallowRef<Changed | null>(null)
/** A kept mix that it begins with, in place of one item. */
const mix = shallowRef<MixEntry[]>([])
const { data: kept } = useServer(['kept-mixes'], (signal) => api.GET('/api/kept-mixes', { signal }), {
  enabled: open,
})
const mixes = computed(() => (kept.value ?? []).map((m) => ({ value: m.id, title: m.name })))
const crown = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.crown ?? 0
/** Begin with a kept mix; its widest item proposes the rest. */
const takeMix = (pk: number) =>
  attempt(async () => {
    const path = { slug: store.slug, pk }
    const found = await answer(api.GET('/api/levels/{slug}/kept-mixes/{pk}', { params: { path } }))
    mix.value = found.mix
    item.value = found.mix.map((e) => e.item).sort((a, b) => crown(b) - crown(a))[0]!
    await nextTick()
    name.value = mixes.value.find((m) => m.value === pk)!.title
  })
const cost = computed(() => tried.value?.entry.cost ?? {})

const chosen = computed(() => store.level?.stock.find((i) => i.slug === item.value))
watch(item, () => {
  const i = chosen.value
  if (!i) return
  name.value = i.name
  stratum.value =
    i.height > 6
      ? 'Canopy'
      : i.height > 3
        ? 'Understorey'
        : i.trunk > 0.5 * i.crown && !i.lods[0]?.alpha_area
          ? 'Stone'
          : i.height > 0.9
            ? 'Shrub'
            : 'Field'
  spacing.value = fullness.value = null
})
const form = ref<HTMLFormElement>()
watch([open, tried], () => void nextTick(() => form.value?.scrollIntoView({ block: 'nearest' })))
watch(sward, () => (spacing.value = fullness.value = null))
watch(
  () => store.beginWith,
  (slug) => {
    if (!slug) return
    open.value = true
    item.value = slug
    store.beginWith = ''
  },
  { immediate: true },
)
const settings = () => ({
  stratum: stratum.value,
  item: item.value,
  mix: mix.value.length ? mix.value : null,
  sward: sward.value,
  on: on.value,
  spacing: spacing.value || null,
  fullness: fullness.value === null ? null : fullness.value / 100,
})
const send = (called: string, headers = {}) =>
  api.POST('/api/levels/{slug}/new-stand', {
    ...store.here(),
    body: { key: crypto.randomUUID(), name: called, ...settings(), view: props.view?.() ?? null },
    headers,
  })
/** What it would begin with; a proposal is taken where nothing was chosen. */
const look = useDebounceFn(async () => {
  if (!item.value) return
  const asked = JSON.stringify(settings())
  try {
    const reply = await answer(send('It', { 'X-Try': '1' }))
    if (asked !== JSON.stringify(settings())) return
    tried.value = reply
    trouble.value = ''
    const begun = reply.tried!.begun[0]!
    spacing.value ??= begun.spacing
    fullness.value ??= +(begun.fullness * 100).toFixed(1)
  } catch (error) {
    tried.value = null
    trouble.value = (error as Error).message
  }
}, 250)
watch([item, mix, stratum, sward, on, spacing, fullness], () => void look())
const add = () =>
  attempt(async () => {
    await store.arrange(answer(send(name.value.trim())))
    open.value = false
    sward.value = false
    on.value = []
    item.value = name.value = ''
    mix.value = []
    tried.value = null
  })
</script>

<template>
  <div class="new">
    <v-btn v-if="!open" size="small" :prepend-icon="mdiPlus" block data-test="new-stand" @click="open = true"
      >A new stand</v-btn
    >
    <form v-else ref="form" data-test="new-stand-form" @submit.prevent="add" @keydown.esc.stop="open = false">
      <p class="choose">
        Plant
        <ItemPicker
          :model-value="mix.length ? '' : item"
          :label="mix.length ? `a mix of ${mix.length}` : 'choose an item'"
          test="new-item"
          @update:model-value="((mix = []), (item = $event))"
        />
      </p>
      <ChoiceField
        v-if="mixes.length"
        label="or a kept mix"
        :value="null"
        :items="mixes"
        test="new-mix"
        @change="$event !== null && takeMix($event)"
      />
      <p v-if="!store.level!.stock.length" class="faint">
        This level has no stock yet.
        <router-link :to="`/levels/${store.slug}/stock`">Take some from the shelf</router-link>.
      </p>
      <template v-if="item">
        <v-text-field
          v-model="name"
          label="Name"
          maxlength="80"
          hide-details
          data-keys
          data-test="new-name"
        />
        <v-select
          v-model="stratum"
          :items="[...STRATA]"
          label="Stratum"
          hide-details
          data-test="new-stratum"
        />
        <GrowsOn v-model="on" />
        <v-checkbox v-model="sward" label="a sward, without single plants" />
        <div class="two">
          <NumberField
            inside
            :value="spacing"
            label="Spacing"
            :bounds="AddInBounds.spacing"
            test="new-spacing"
            @change="spacing = $event"
          />
          <NumberField
            inside
            :value="fullness"
            label="Fullness"
            :bounds="AddInBounds.fullness"
            :digits="1"
            test="new-fullness"
            @change="fullness = $event"
          />
        </div>
        <p v-if="tried && !trouble" class="number summary" data-test="new-count">
          about <b>{{ whole(tried.tried!.begun[0]!.count) }}</b> {{ sward ? 'tufts' : 'plants'
          }}<template v-if="cost.triangles !== undefined"
            ><br />in this view {{ signed(amount('ms', cost.ms!), cost.ms!) }},
            {{ signed(amount('triangles', cost.triangles), cost.triangles) }} triangles</template
          ><template v-if="tried.lost"
            ><br /><span class="over">−{{ whole(tried.lost) }}</span> of stands below it</template
          >
        </p>
      </template>
      <p v-if="trouble" class="over" role="alert" data-test="new-trouble">{{ trouble }}</p>
      <p class="do">
        <v-btn
          type="submit"
          size="small"
          color="primary"
          variant="flat"
          :loading="busy"
          :disabled="!item || !name.trim() || !!trouble"
          data-test="new-add"
          >Begin it</v-btn
        >
        <v-btn size="small" variant="text" @click="open = false">Cancel</v-btn>
      </p>
    </form>
  </div>
</template>

<style scoped>
.new {
  padding: 6px 6px 0;
}
form {
  display: grid;
  gap: 8px;
  padding: 2px 6px;
}
p {
  margin: 0;
}
.choose {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.summary {
  white-space: normal;
}
.do {
  display: flex;
  gap: 8px;
}
</style>

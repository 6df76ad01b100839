<script setup lang="ts">
import { mdiWeatherWindy } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { answer, api, type Wind } from '../api/client'
import { softwareDrawn } from '../stage/groundTextures'
import type { Stage } from '../stage/stage'
import { useLevel } from './level'
import ActionButton from '../shared/ActionButton.vue'
import ColourField from '../shared/ColourField.vue'
import NumberField from '../shared/NumberField.vue'
import { TraitSettingsBounds, WindSettingsBounds } from '../api/bounds'

/** The wind over the eye view: seen at once, saved with the level on request. */
const props = defineProps<{ stage: Stage }>()
const store = useLevel()
const blows = ref(!softwareDrawn())
const draft = ref<Wind | null>(null)
const open = ref(false)
const wind = computed<Wind>(() => draft.value ?? store.level!.wind)
const change = (part: Partial<Wind>) => (draft.value = { ...wind.value, ...part })
const mine = computed(() => [...new Set(store.chosen.flatMap((s) => s.items))])
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const stiff = (slug: string, value: number) =>
  change({ stiffness: { ...wind.value.stiffness, [slug]: value } })
watch([blows, wind], () => props.stage.setWind(blows.value ? wind.value : null), { immediate: true })
watch(
  () => store.level?.slug,
  () => (draft.value = null),
)
async function keep() {
  try {
    const changed = await answer(
      api.PUT('/api/levels/{slug}/wind', {
        params: { path: { slug: store.slug } },
        body: { key: crypto.randomUUID(), wind: wind.value },
      }),
    )
    store.take(changed)
    draft.value = null
  } catch (error) {
    store.report(error)
  }
}
const FIELDS: ['bearing' | 'speed' | 'strength' | 'wavelength' | 'turbulence' | 'loop', string, number][] = [
  ['bearing', 'From', 1],
  ['speed', 'Speed', 1],
  ['strength', 'Strength', 100],
  ['wavelength', 'Gusts apart', 1],
  ['turbulence', 'Each plant’s own', 100],
  ['loop', 'Loop', 1],
]
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <ActionButton
        v-bind="menu"
        :icon="mdiWeatherWindy"
        :on="blows"
        tip="Whether and how the wind blows"
        data-test="wind"
        >Wind</ActionButton
      >
    </template>
    <v-card class="wind" data-test="wind-sheet" @keydown.stop @keydown.esc="open = false">
      <v-switch v-model="blows" label="blows in the eye view" data-test="wind-blows" />
      <NumberField
        v-for="[key, label, by] in FIELDS"
        :key="key"
        :label="label"
        :value="wind[key]! * by"
        :bounds="WindSettingsBounds[key]"
        :digits="1"
        :disabled="!store.mayPlant"
        :test="`wind-${key}`"
        @change="change({ [key]: $event / by })"
      />
      <p class="tint">
        <span>Leaves take on</span>
        <ColourField
          label="What gusts tint leaves with"
          :value="wind.tint ?? '#fff6d8'"
          :disabled="!store.mayPlant"
          test="wind-tint"
          @change="change({ tint: $event })"
        />
      </p>
      <NumberField
        label="As a gust turns them"
        :value="(wind.tinting ?? 0) * 100"
        :bounds="WindSettingsBounds.tinting"
        :digits="0"
        :normal="WindSettingsBounds.tinting.default * 100"
        :disabled="!store.mayPlant"
        test="wind-tinting"
        @change="change({ tinting: $event / 100 })"
      />
      <h2 class="minor">How stiff</h2>
      <NumberField
        v-for="slug in mine"
        :key="slug"
        :label="nameOf(slug)"
        :value="(wind.stiffness?.[slug] ?? 0.5) * 100"
        :bounds="TraitSettingsBounds.stiffness"
        :digits="0"
        :normal="50"
        :disabled="!store.mayPlant"
        :test="`stiff-${slug}`"
        @change="stiff(slug, $event / 100)"
      />
      <p class="faint">Of the selected stands. It is kept with the level and handed over.</p>
      <p v-if="draft" class="do">
        <v-btn color="primary" variant="flat" data-test="wind-keep" @click="keep">Keep</v-btn>
        <v-btn @click="draft = null">Drop</v-btn>
      </p>
    </v-card>
  </v-menu>
</template>

<style scoped>
.wind {
  width: 300px;
  padding: 6px 14px 12px;
}
.wind h2 {
  margin: 10px 0 4px;
}
.wind p {
  margin: 6px 0 0;
}
.tint {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.do {
  display: flex;
  gap: 8px;
}
</style>

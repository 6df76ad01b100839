<script setup lang="ts">
import { computed } from 'vue'
import { many } from '../budget/budget'
import { RecipeBounds } from '../api/bounds'
import type { Recipe } from '../api/client'
import { useLevel } from '../level/level'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'
import { AXES, FORMATS, hasTables, ORIGINS, UNITS, type Format } from './recipes'

/** What a handover is made of: its files, its stands, and in what form plants go out as tables. */
const recipe = defineModel<Recipe>({ required: true })
const store = useLevel()
const change = (part: Partial<Recipe>) => (recipe.value = { ...recipe.value, ...part })
const choose = (format: Format, on: boolean | null) =>
  change({ formats: FORMATS.map((f) => f.value).filter((f) => (f === format ? on : has(f))) })
const has = (format: Format) => recipe.value.formats.includes(format)
const stands = computed(() => store.stands.map((s) => ({ value: s.slug, title: s.name })))
const gone = computed(() => recipe.value.stands.filter((slug) => !stands.value.some((s) => s.value === slug)))
</script>

<template>
  <fieldset class="formats">
    <legend class="faint">What goes out</legend>
    <v-checkbox
      v-for="f in FORMATS"
      :key="f.value"
      :model-value="has(f.value)"
      hide-details
      density="compact"
      :data-test="`format-${f.value}`"
      @update:model-value="choose(f.value, $event)"
    >
      <template #label
        ><span
          >{{ f.title }} <small class="faint">{{ f.says }}</small></span
        ></template
      >
    </v-checkbox>
  </fieldset>
  <v-select
    :model-value="recipe.stands"
    :items="stands"
    label="Stands"
    multiple
    placeholder="all of them"
    persistent-placeholder
    hide-details
    data-test="recipe-stands"
    @update:model-value="change({ stands: $event })"
  >
    <template #selection="{ item, index }">
      <span v-if="index === 0">{{
        recipe.stands.length === 1 ? item.title : many(recipe.stands.length, 'stand', 'stands')
      }}</span>
    </template>
  </v-select>
  <p v-if="gone.length" class="over" role="alert" data-test="recipe-gone">
    {{ gone.join(', ') }}: no longer in the level.
    <v-btn size="x-small" @click="change({ stands: recipe.stands.filter((slug) => !gone.includes(slug)) })"
      >Leave out</v-btn
    >
  </p>
  <div v-if="hasTables(recipe)" class="tables">
    <span class="faint">How plants stand in CSV and Parquet</span>
    <ChoiceField
      label="Axes"
      :value="recipe.axes"
      :items="AXES"
      test="recipe-axes"
      @change="change({ axes: $event })"
    />
    <ChoiceField
      label="Unit"
      :value="recipe.unit"
      :items="UNITS"
      test="recipe-unit"
      @change="change({ unit: $event })"
    />
    <ChoiceField
      label="Origin"
      :value="recipe.origin"
      :items="ORIGINS"
      test="recipe-origin"
      @change="change({ origin: $event })"
    />
    <NumberField
      label="In squares of"
      :value="recipe.cell"
      :bounds="RecipeBounds.cell"
      :digits="0"
      late
      tip="A table of plants for each square of the level of so many metres"
      test="recipe-cell"
      @change="change({ cell: $event })"
    />
    <span class="faint">{{
      recipe.cell ? 'A table of plants for each square.' : '0 m: one table of all plants.'
    }}</span>
  </div>
</template>

<style scoped>
.formats {
  border: 0;
  padding: 0;
  display: grid;
  gap: 1px;
}
.formats + * {
  margin-top: 8px;
}
.formats small {
  display: block;
  line-height: 1.2;
  font-size: 12.5px;
}
.tables {
  display: grid;
  gap: 2px;
}
</style>

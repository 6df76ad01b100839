<script setup lang="ts">
import { mdiDeleteOutline, mdiPackageVariantClosed, mdiStop } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { answer, api, type Recipe } from '../api/client'
import { many } from '../budget/budget'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import FoldingPart from '../shared/FoldingPart.vue'
import { isMapped } from '../stage/cover'
import { useAttempt } from '../shared/useAttempt'
import BakePanel from './BakePanel.vue'
import HandoverRow from './HandoverRow.vue'
import RecipeForm from './RecipeForm.vue'
import { alike, newRecipe } from './recipes'
import { useHandovers } from './useHandovers'
import { dayAndTime } from '../shared/time'

/** A level handed over by a recipe, which is kept with it; and what has been handed over. */
const store = useLevel()
const { kept, job, busy, trouble, make, stop, remove } = useHandovers()
const tracked = computed(() => store.stands.filter((s) => !isMapped(s)).reduce((n, s) => n + s.count, 0))
const swards = computed(() => store.stands.filter(isMapped).map((s) => s.name))

const recipes = computed(() => store.level?.recipes ?? {})
const saved = computed(() => [
  ...Object.keys(recipes.value).map((name) => ({ value: name, title: name })),
  { value: '', title: 'a new one' },
])
const chosen = ref('')
const name = ref('')
const recipe = ref<Recipe>(newRecipe())
function choose(which: string): void {
  chosen.value = name.value = which
  recipe.value = recipes.value[which] ?? newRecipe()
}
choose(Object.keys(recipes.value)[0] ?? '')
watch(recipes, (now) => chosen.value && !now[chosen.value] && (chosen.value = ''))
const called = computed(() => name.value.trim())
const changed = computed(() => JSON.stringify(recipes.value[called.value]) !== JSON.stringify(recipe.value))

const earlier = computed(() => kept.value.filter((h) => alike(h.recipe, recipe.value)))
const since = ref<string | null>(null)
watch(earlier, (now) => now.some((h) => h.id === since.value) || (since.value = null))
const sinces = computed(() => [
  { value: null, title: 'everything' },
  ...earlier.value.map((h) => ({ value: h.id, title: `changes since ${dayAndTime(h.at)}` })),
])

const { trouble: refused, attempt } = useAttempt()
const change = (put: Record<string, Recipe | null>) =>
  attempt(async () => {
    const body = { key: crypto.randomUUID(), put }
    store.take(await answer(api.PATCH('/api/levels/{slug}/recipes', { ...store.here(), body })))
  })
async function save(): Promise<void> {
  if (await change({ [called.value]: recipe.value })) chosen.value = called.value
}
const removeRecipe = () => change({ [chosen.value]: null })
const why = computed(() => !recipe.value.formats.length && 'choose what goes out')
</script>

<template>
  <div class="bench" data-test="handover-bench">
    <h2>Handover</h2>
    <p>
      {{ many(tracked, 'plant goes', 'plants go') }} along one by one.
      <span v-if="swards.length" class="faint"
        >Swards ({{ swards.join(', ') }}) have no single plants; they go as density maps.</span
      >
    </p>
    <section>
      <ChoiceField
        v-if="saved.length > 1"
        label="Recipe"
        :value="chosen"
        :items="saved"
        test="recipe"
        @change="choose"
      />
      <ChoiceField
        v-if="earlier.length"
        label="In the zip"
        :value="since"
        :items="sinces"
        test="since"
        @change="since = $event"
      />
      <ActionButton
        v-if="!busy"
        color="primary"
        variant="flat"
        :icon="mdiPackageVariantClosed"
        :why="why"
        tip="Make the files of the level as it is now"
        data-test="hand-over"
        @click="make(called || 'Handover', recipe, since)"
        >Hand over</ActionButton
      >
      <template v-else>
        <v-progress-linear
          :model-value="(job?.share ?? 0) * 100"
          :indeterminate="!job?.share"
          color="primary"
          aria-label="Handing over"
        />
        <div class="row">
          <v-btn size="small" :prepend-icon="mdiStop" data-test="stop-handover" @click="stop">Stop</v-btn>
          <span class="faint" data-test="handover-step">{{ job?.step }}</span>
        </div>
      </template>
      <span v-if="job?.state === 'stopped'" class="faint">Stopped; nothing was kept.</span>
      <p v-if="refused || trouble" class="over" role="alert" data-test="handover-trouble">
        {{ refused || trouble }}
      </p>
    </section>
    <FoldingPart name="recipe" title="The recipe">
      <section>
        <v-text-field
          v-model="name"
          label="Its name"
          placeholder="For the game"
          maxlength="80"
          hide-details
          data-test="recipe-name"
        />
        <RecipeForm v-model="recipe" />
        <div v-if="store.mayPlant" class="row">
          <ActionButton
            size="small"
            :why="why || (!called && 'give it a name') || (!changed && 'it is saved')"
            tip="Save the recipe with the level, for everybody"
            data-test="save-recipe"
            @click="save"
            >Save the recipe</ActionButton
          >
          <ActionButton
            v-if="chosen"
            size="small"
            variant="text"
            :icon="mdiDeleteOutline"
            :tip="`Remove the recipe ${chosen}`"
            data-test="remove-recipe"
            @click="removeRecipe"
          />
        </div>
      </section>
    </FoldingPart>
    <template v-if="kept.length">
      <h3>Handed over</h3>
      <p class="faint">The last ten are kept.</p>
      <ul class="kept">
        <HandoverRow
          v-for="(h, k) in kept"
          :key="h.id"
          :handover="h"
          :earlier="kept.slice(k + 1)"
          @remove="remove(h.id)"
        />
      </ul>
    </template>
    <BakePanel />
    <h3>Without this screen</h3>
    <p class="faint">
      From a shell, or by a build machine with a token of yours, which <em>Your account</em> makes.
    </p>
    <pre>
./kt manage handover {{ store.slug }} \
  --recipe "{{ chosen || 'NAME' }}" --out DIR</pre>
  </div>
</template>

<style scoped>
section {
  --choice-width: 224px;
  display: grid;
  gap: 6px;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
}
.kept {
  list-style: none;
  padding: 0;
}
pre {
  font-size: 12.5px;
  white-space: pre-wrap;
}
</style>

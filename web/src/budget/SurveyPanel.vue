<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, watch } from 'vue'
import type { SurveyMap } from '../api/client'
import { amount, LINES, signed } from './budget'
import { usePictures } from '../level/usePictures'
import type { Stage } from '../stage/stage'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from '../level/level'
import { EYE, useSurvey } from './survey'
import { classesOf, INKS, LEFT, leftAt } from './surveyMap'
import ChoiceField from '../shared/ChoiceField.vue'

/** What frames cost all over the level: a map of one budget line, and the worst places. */
const props = defineProps<{ stage: Stage | null }>()
const survey = useSurvey()
const store = useLevel()
const drawing = useDrawing()

const lines = LINES.map(({ name, label }) => ({ value: name, title: label }))
const parts = computed(() => [
  { value: null as number | string | null, title: 'The whole frame' },
  { value: 0, title: 'The ground' },
  ...store.stands.map((s) => ({ value: s.id, title: s.name })),
  ...Object.keys(store.level?.plots.plots ?? {}).map((name) => ({ value: name, title: `Plot ${name}` })),
])
/** The stand's id, the plot's name, or null for the whole frame. */
const part = computed({
  get: () => survey.plot ?? survey.stand,
  set: (value) => {
    survey.plot = typeof value === 'string' ? value : null
    survey.stand = typeof value === 'string' ? null : value
  },
})
const steps = [8, 16, 32, 64].map((m) => ({ value: m, title: `every ${m} m` }))
const COMPASS = ['north', 'north-east', 'east', 'south-east', 'south', 'south-west', 'west', 'north-west']
const towards = (heading: number) => COMPASS[Math.round(heading / 45) % 8]
const nameOf = (stand: number) =>
  stand ? (store.stands.find((s) => s.id === stand)?.name ?? '') : 'the ground'
const textOf = (value: number) => amount(survey.line, value)
const spenders = (worst: SurveyMap['worst'][number]) =>
  worst.spent
    .slice(0, 2)
    .map(([stand, value]) => `${nameOf(stand)} ${textOf(value)}`)
    .join(', ')
const borders = computed(() => (survey.map ? classesOf(survey.map.values) : []))
/** How much of the level lies in each class of what is left to the mark. */
const shares = computed(() => {
  const { map, mark } = survey
  if (!map || !mark) return null
  const found = LEFT.map((c) => ({ ...c, share: 0 }))
  for (const v of map.values) found[leftAt(v, mark)]!.share += 1 / map.values.length
  return found
})
const ink = (rgb: number[]) => ({ background: `rgb(${rgb.join(',')})` })
const over = computed(() => {
  const { map, mark } = survey
  return map && mark !== null ? map.values.filter((v) => v > mark).length / map.values.length : 0
})
const time = new Intl.DateTimeFormat('en-GB', { weekday: 'short', hour: '2-digit', minute: '2-digit' })
/** What the worst frame cost before, and by which actions that changed. */
const past = computed(() =>
  (survey.state?.history ?? []).slice(0, 6).map((p, k, all) => {
    const change = all[k + 1] ? p.value - all[k + 1]!.value : 0
    const more = p.actions - p.what.length
    const list = p.what.length ? `: ${p.what.join(', ')}${more > 0 ? ` and ${more} more` : ''}` : ''
    return { ...p, change, by: signed(textOf(change), change), when: time.format(new Date(p.at)), list }
  }),
)
const { pictures, left, take, stop, forget } = usePictures()
const viewOf = ({ x, y, z, heading }: SurveyMap['worst'][number]) => ({ x, y, z, heading, pitch: 0, fov: 55 })
const views = computed(() => Object.fromEntries((survey.map?.worst ?? []).map((w, k) => [k, viewOf(w)])))
// Pictures are of the places that are listed.
watch(() => JSON.stringify(views.value), forget)
function go(worst: SurveyMap['worst'][number]): void {
  props.stage?.look(viewOf(worst))
  props.stage?.setRings([{ x: worst.x, z: worst.z, radius: 4 }])
}
// Each view that comes to rest is costed.
watch(
  () => store.cost,
  () => survey.seen && props.stage && survey.see(props.stage.eye.view),
)
onMounted(() => {
  survey.shown = true
  void survey.look(false)
})
onBeforeUnmount(() => {
  survey.shown = false
  survey.seen = null
  props.stage?.setRings([])
})
</script>

<template>
  <section data-test="survey">
    <p class="faint">
      A frame’s cost at every place, {{ EYE }} m above the ground, in the dearest of eight headings, seen
      through {{ drawing.tier }}.
    </p>
    <ChoiceField
      label="What"
      :value="survey.line"
      :items="lines"
      test="survey-line"
      @change="survey.line = $event"
    />
    <ChoiceField label="Of" :value="part" :items="parts" test="survey-stand" @change="part = $event" />
    <ChoiceField
      label="Places"
      :value="survey.step"
      :items="steps"
      test="survey-step"
      @change="survey.step = $event"
    />
    <p v-if="survey.state?.running" class="run">
      <v-progress-linear :model-value="survey.state.share * 100" aria-label="How far the survey is" />
      <span class="faint"
        >{{ survey.state.step
        }}<template v-if="survey.map && !survey.state.plots.length && !past.length">
          The map is of what is counted so far.</template
        ></span
      >
      <v-btn size="small" data-test="survey-stop" @click="survey.stop">Stop</v-btn>
    </p>
    <p v-else-if="!survey.state?.fresh" class="run">
      <span v-if="survey.map" class="over" data-test="survey-old">This is from before the last changes.</span>
      <v-btn :disabled="!store.mayPlant" data-test="survey-begin" @click="survey.look(true)">{{
        survey.map ? 'Survey anew' : 'Survey the level'
      }}</v-btn>
    </p>
    <p v-if="survey.trouble" class="over" role="alert" data-test="survey-trouble">{{ survey.trouble }}</p>
    <v-switch
      :model-value="!!survey.seen"
      label="Where this view’s time goes"
      hide-details
      data-test="survey-seen"
      @update:model-value="survey.seen ? (survey.seen = null) : stage && survey.see(stage.eye.view)"
    />
    <template v-if="survey.map">
      <v-switch v-model="survey.shown" label="Lay it over the ground" hide-details data-test="survey-shown" />
      <v-switch
        v-if="shares"
        v-model="survey.left"
        label="By what is left to the mark"
        hide-details
        data-test="survey-left"
      />
      <ol
        v-if="survey.left && shares"
        class="shares"
        aria-label="What the inks mean"
        data-test="survey-legend"
      >
        <li v-for="c in shares" :key="c.label">
          <i :style="ink(c.ink)" /> {{ c.label }}
          <span class="number">{{ (c.share * 100).toFixed(c.share && c.share < 0.1 ? 1 : 0) }} %</span>
        </li>
      </ol>
      <ol v-else class="legend" aria-label="What the inks mean" data-test="survey-legend">
        <li v-for="(each, k) in INKS" :key="k">
          <i :style="ink(each)" />
          <span class="number">{{ textOf(borders[k]!).replace(/\.?0* (ms|MB)$/, k ? '' : ' $1') }}</span>
        </li>
      </ol>
      <p data-test="survey-summary">
        One place in twenty costs more than <b class="number">{{ textOf(survey.map.most5) }}</b>.<template
          v-if="survey.mark !== null"
        >
          <template v-if="over">
            Hatched, {{ (over * 100).toFixed(over < 0.1 ? 1 : 0) }} % of the level, is over the mark of
            {{ textOf(survey.mark) }}.</template
          ><template v-else> All of it is within the mark of {{ textOf(survey.mark) }}.</template>
        </template>
      </p>
      <template v-if="past.length > 1">
        <h4>The worst frame, from survey to survey</h4>
        <ol class="past" data-test="survey-past">
          <li v-for="p in past" :key="p.at">
            <b class="number">{{ textOf(p.value) }}</b>
            <span v-if="p.change" class="number" :class="p.change > 0 ? 'over' : 'less'"> {{ p.by }}</span>
            <span class="faint"> {{ p.when }}{{ p.list }}</span>
          </li>
        </ol>
      </template>
      <h4>The worst places</h4>
      <p v-if="left" class="pictured" role="status">
        {{ left }} pictures to come
        <v-btn size="small" data-test="survey-pictures-stop" @click="stop">Stop</v-btn>
      </p>
      <p v-else-if="stage && !Object.keys(pictures).length" class="pictured">
        <v-btn size="small" data-test="survey-pictures" @click="take(stage, views)"
          >Show them in pictures<v-tooltip activator="parent"
            >The stage goes to each place and comes back</v-tooltip
          ></v-btn
        >
      </p>
      <v-list class="places" density="compact" aria-label="The worst places">
        <v-list-item
          v-for="(w, k) in survey.map.worst"
          :key="k"
          :title="`${textOf(w.value)}, looking ${towards(w.heading)}`"
          :subtitle="spenders(w)"
          :data-test="`survey-worst-${k}`"
          @click="go(w)"
        >
          <template v-if="pictures[k]" #prepend>
            <img :src="pictures[k]" :alt="`What is seen there, ${towards(w.heading)}`" />
          </template>
        </v-list-item>
      </v-list>
    </template>
  </section>
</template>

<style scoped>
.run {
  display: grid;
  gap: 4px;
  justify-items: start;
  margin: 6px 0;
}
.legend {
  display: flex;
  list-style: none;
  margin: 8px 0;
  padding: 0;
  font-size: 12px;
  color: var(--faint);
}
.legend li {
  flex: 1;
}
.legend i {
  display: block;
  height: 10px;
  border: 1px solid var(--line);
}
.shares {
  list-style: none;
  margin: 8px 0;
  padding: 0;
  font-size: 13px;
}
.shares li {
  display: flex;
  align-items: center;
  gap: 8px;
}
.shares i {
  width: 26px;
  height: 12px;
  border: 1px solid var(--line);
}
.shares .number {
  margin-left: auto;
}
h4 {
  font: 500 15px var(--serif);
  margin: 10px 0 2px;
}
.past {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 13px;
}
.past span {
  margin-left: 6px;
}
.less {
  color: var(--green);
}
.pictured {
  margin: 4px 0;
}
.places {
  padding: 0;
}
.places img {
  width: 104px;
  margin: 3px 10px 3px 0;
  border: 1px solid var(--line);
}
.places :deep(.v-list-item-title),
.places :deep(.v-list-item-subtitle) {
  display: block;
  white-space: normal;
}
.places :deep(.v-list-item) {
  padding-inline: 4px;
}
</style>

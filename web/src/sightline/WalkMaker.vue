<script setup lang="ts">
import { mdiCheck, mdiCrosshairsGps, mdiRecord, mdiStop, mdiVectorPolyline } from '@mdi/js'
import { useIntervalFn } from '@vueuse/core'
import { computed, onBeforeUnmount, ref } from 'vue'
import type { Stage } from '../stage/stage'
import { useLevel } from '../level/level'
import { useWalks } from './walks'
import { thinned } from './walk'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'

/** Makes new walks: drawn on the stage, along a path, through the kept views, or recorded. */
const props = defineProps<{ stage: Stage | null; why: string | false }>()
const walks = useWalks()
const store = useLevel()

const paths = computed(() => store.shapes.filter((s) => s.kind === 'path' && s.points.length > 1))
const from = computed(() => [
  { value: '', title: 'Another walk …' },
  ...paths.value.map((s) => ({ value: String(s.id), title: `along ${s.name}` })),
  ...((store.level?.bookmarks.length ?? 0) > 1 ? [{ value: 'views', title: 'through the kept views' }] : []),
])
function begin(choice: string): void {
  if (choice === 'views')
    return void walks.add(
      'Through the views',
      store.level!.bookmarks.map((b) => [b.x, b.z]),
    )
  const shape = paths.value.find((s) => String(s.id) === choice)
  if (shape) void walks.add(`Along ${shape.name}`, shape.points)
}

const recorded = ref<[number, number][] | null>(null)
const record = useIntervalFn(
  () => {
    const v = props.stage?.eye.view
    if (v) recorded.value = thinned([...(recorded.value ?? []), [v.x, v.z]], 1)
  },
  200,
  { immediate: false },
)
function toggleRecord(): void {
  if (!record.isActive.value) {
    recorded.value = []
    return record.resume()
  }
  record.pause()
  const points = recorded.value ?? []
  recorded.value = null
  if (points.length > 1) void walks.add('Recorded', points)
  else walks.trouble = 'A walk needs two different places: go somewhere while it is recorded.'
}

function cornerHere(): void {
  const v = props.stage?.eye.view
  if (v) walks.corner(v.x, v.z)
}
onBeforeUnmount(() => (walks.draws = null))
const opening = computed(() => !props.stage && 'the stage is being opened')
</script>

<template>
  <div class="make">
    <ChoiceField
      bare
      label="Another walk"
      value=""
      :items="from"
      :disabled="!!why"
      test="walk-add"
      @change="begin"
    />
    <ActionButton
      :icon="mdiVectorPolyline"
      :tip="walks.draws ? 'Drop what is drawn' : 'Draw a walk by presses on the plan or in the eye\'s view'"
      :on="!!walks.draws"
      :why="why || opening"
      data-test="walk-draw"
      @click="walks.draw"
    />
    <ActionButton
      :icon="record.isActive.value ? mdiStop : mdiRecord"
      :tip="record.isActive.value ? 'End the recording' : 'Record a walk while you move the eye'"
      :on="record.isActive.value"
      :why="why || opening"
      data-test="walk-record"
      @click="toggleRecord"
    />
  </div>
  <p v-if="recorded" class="number" data-test="walk-recording">{{ recorded.length }} places so far.</p>
  <div v-if="walks.draws" class="drawing" data-test="walk-drawing">
    <p class="faint">
      <b class="number">{{ walks.corners.length }}</b> corners. Press where the walk goes; end it with a
      double press or Enter, drop it with Escape.
    </p>
    <ActionButton
      :icon="mdiCrosshairsGps"
      tip="A corner where the eye is"
      data-test="walk-here"
      @click="cornerHere"
      >Corner here</ActionButton
    >
    <ActionButton
      :icon="mdiCheck"
      tip="Keep the walk"
      :why="walks.corners.length < 2 && 'it needs two corners'"
      data-test="walk-finish"
      @click="walks.finish"
      >Done</ActionButton
    >
  </div>
</template>

<style scoped>
.make {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 6px;
  align-items: center;
  margin: 4px 0;
}
.drawing {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-bottom: 8px;
}
.drawing p {
  flex: 1 0 100%;
  margin: 0;
}
</style>

<script setup lang="ts">
import { mdiDeleteOutline, mdiPause, mdiPlay, mdiSkipNext, mdiSkipPrevious } from '@mdi/js'
import { useIntervalFn, useRafFn } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Pop } from '../api/client'
import { whole } from '../budget/budget'
import type { Draft } from '../planting/useDraft'
import { stateName } from './distances'
import type { Stage } from '../stage/stage'
import { useLevel } from '../level/level'
import { useWalks } from './walks'
import { lookAt, routeOf } from './walk'
import ActionButton from '../shared/ActionButton.vue'
import NumberField from '../shared/NumberField.vue'
import WalkChart from './WalkChart.vue'
import WalkMaker from './WalkMaker.vue'
import WalkRemedies from './WalkRemedies.vue'
import { CheckInBounds, WalkBounds } from '../api/bounds'

/** Walks through the level: made, played, and checked for what pops. */
const props = defineProps<{ stage: Stage | null; draft: Draft }>()
const walks = useWalks()
const store = useLevel()
const locked = computed(() => !store.mayPlant)
const why = computed(() => locked.value && 'only artists and leads may change it')
const result = computed(() => walks.check?.result ?? null)
const route = computed(() => (walks.walk && props.stage ? routeOf(walks.walk, props.stage.ground) : null))
const seconds = computed(() => route.value?.time[route.value.time.length - 1] ?? 0)
const time = ref(0)
const FRAME = 1 / 60

function go(to: number): void {
  time.value = Math.min(Math.max(to, 0), seconds.value)
  if (route.value) props.stage?.look(lookAt(route.value, time.value))
}
const play = useRafFn(
  ({ delta }) => {
    go(time.value + delta / 1000)
    if (time.value >= seconds.value) play.pause()
  },
  { immediate: false },
)
function toggle(): void {
  walks.pop = null
  if (play.isActive.value) return play.pause()
  if (time.value >= seconds.value) time.value = 0
  play.resume()
}

/** The two states of the pop that is looked at are shown in turn. */
let late = false
const blink = useIntervalFn(
  () => {
    if (!walks.pop) return
    late = !late
    go(walks.pop.time + (late ? 0.45 : -0.45))
  },
  700,
  { immediate: false },
)
watch(
  () => walks.pop,
  (p) => {
    play.pause()
    props.stage?.setRings(p ? [{ x: p.place[0], z: p.place[2], radius: 2 }] : [])
    if (!p) return blink.pause()
    go(p.time)
    blink.resume()
  },
)
watch(
  () => walks.name,
  () => {
    time.value = 0
    walks.pop = null
    play.pause()
  },
)
onMounted(() => {
  walks.shown = true
  void walks.look(false)
})
onBeforeUnmount(() => {
  walks.shown = false
  walks.pop = null
  props.stage?.setRings([])
})

/** Whether it is the pop that is looked at; a check that is read again has others that say the same. */
const looked = (p: Pop) => JSON.stringify(walks.pop) === JSON.stringify(p)
const nameOf = (stand: number) => store.stands.find((s) => s.id === stand)?.name ?? ''
function stateOf(p: Pop, k: number): string {
  const lods = store.level!.stock.find((i) => i.slug === p.item)?.lods.length ?? 1
  if (k < 0) return p.shadow ? 'no shadow' : 'nothing'
  if (p.shadow) return 'shadow'
  return stateName(k, lods)
}
const noticed = computed(() => result.value?.stands.reduce((n, s) => n + s.noticed, 0) ?? 0)
/** Stands whose distances are tried: the check is of these. */
const tried = computed(() =>
  Object.fromEntries(
    store.stands
      .map((s) => [s.id, s.settings.distances, props.draft.settingsOf(s).distances] as const)
      .filter(([, kept, now]) => JSON.stringify(kept) !== JSON.stringify(now))
      .map(([id, , now]) => [id, now]),
  ),
)
watch(tried, (now) => (walks.tried = now), { immediate: true })
watch(
  () => store.slug,
  () => {
    walks.before = null
    walks.billboards = {}
  },
)
</script>

<template>
  <div data-test="walks">
    <p v-if="!walks.names.length" class="faint">
      A walk is a route at a speed and an eye height. Draw one, make one along a path or through the kept
      views, or walk it yourself.
    </p>
    <div v-if="walks.walk" class="which">
      <v-select
        v-model="walks.name"
        :items="walks.names"
        hide-details
        aria-label="Walk"
        data-test="walk-choice"
      />
      <ActionButton
        :icon="mdiDeleteOutline"
        :tip="`Remove ${walks.name}`"
        :why="why || (walks.busy && 'walks are being kept')"
        data-test="walk-remove"
        @click="walks.remove"
      />
    </div>
    <WalkMaker :stage="stage" :why="why" />
    <template v-if="walks.walk">
      <v-text-field
        :model-value="walks.name"
        label="Name"
        maxlength="80"
        hide-details
        :disabled="locked"
        class="mt-2"
        data-test="walk-name"
        @change="walks.rename(($event.target as HTMLInputElement).value.trim())"
      />
      <NumberField
        late
        label="Speed"
        :value="walks.walk.speed"
        :bounds="WalkBounds.speed"
        :digits="1"
        :normal="WalkBounds.speed.default"
        :disabled="locked"
        test="walk-speed"
        @change="walks.change({ speed: $event })"
      />
      <NumberField
        late
        label="Height of the eye"
        :value="walks.walk.eye"
        :bounds="WalkBounds.eye"
        :digits="1"
        :normal="WalkBounds.eye.default"
        :disabled="locked"
        test="walk-eye"
        @change="walks.change({ eye: $event })"
      />
      <div class="player">
        <ActionButton
          :icon="mdiSkipPrevious"
          tip="A frame back"
          data-test="walk-back"
          @click="go(time - FRAME)"
        />
        <ActionButton
          :icon="play.isActive.value ? mdiPause : mdiPlay"
          :tip="play.isActive.value ? 'Hold' : 'Walk at its own speed'"
          :why="!route && 'it is one place'"
          data-test="walk-play"
          @click="toggle"
        />
        <ActionButton :icon="mdiSkipNext" tip="A frame on" data-test="walk-on" @click="go(time + FRAME)" />
        <v-slider
          :model-value="time"
          :min="0"
          :max="Math.max(seconds, 0.1)"
          :step="0.05"
          hide-details
          aria-label="Time along the walk"
          data-test="walk-time"
          @update:model-value="go"
        />
        <span class="number">{{ time.toFixed(1) }} of {{ seconds.toFixed(0) }} s</span>
      </div>
      <NumberField
        late
        label="A pop is noticed from"
        tip="Pixels that change at once on a screen of 1,080 lines, what fog, ground and fades leave of them"
        :value="walks.threshold"
        :bounds="CheckInBounds.threshold"
        :digits="0"
        :normal="CheckInBounds.threshold.default"
        test="walk-threshold"
        @change="walks.threshold = $event"
      />
      <p class="ask">
        <v-btn
          v-if="!walks.check?.running"
          :disabled="locked || !!result"
          data-test="walk-check"
          @click="walks.look(true)"
          >{{ result ? 'Checked' : 'Look for pops' }}</v-btn
        >
        <template v-else>
          <v-progress-linear :model-value="walks.check.share * 100" aria-label="How far the check is" />
          <span class="faint">{{ walks.check.step }}</span>
          <v-btn size="small" data-test="walk-stop" @click="walks.stop">Stop</v-btn>
        </template>
      </p>
    </template>
    <p v-if="walks.trouble" class="over" role="alert" data-test="walk-trouble">{{ walks.trouble }}</p>
    <template v-if="result && walks.walk">
      <WalkChart :result="result" :before="walks.before" :time="time" :stands="store.stands" @seek="go" />
      <p v-if="result.left_out.length" class="faint" data-test="walk-left-out">
        Left out, off the level or too steep:
        {{ result.left_out.map(([a, b]) => `${a.toFixed(0)}–${b.toFixed(0)} m`).join(', ') }}.
      </p>
      <p data-test="walk-noticed">
        <b class="number">{{ whole(noticed) }}</b> noticed pops<template v-if="walks.before">
          ({{ whole(walks.before.stands.reduce((n, s) => n + s.noticed, 0)) }} before)</template
        >, <b class="number">{{ Math.max(...result.ms).toFixed(2) }} ms</b> in the dearest frame.
      </p>
      <v-list v-if="result.worst.length" class="worst" density="compact" aria-label="The strongest pops">
        <v-list-item
          v-for="(p, k) in result.worst.slice(0, 8)"
          :key="k"
          :active="looked(p)"
          :title="`${nameOf(p.stand)}: ${stateOf(p, p.before)} → ${stateOf(p, p.after)}`"
          :subtitle="`${p.time.toFixed(1)} s, ${p.distance} m away, ${whole(p.strength)} px`"
          :data-test="`pop-${k}`"
          @click="walks.pop = looked(p) ? null : p"
        />
      </v-list>
    </template>
    <WalkRemedies v-if="walks.walk" :result="result" :draft="draft" :locked="locked" />
  </div>
</template>

<style scoped>
.which {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px;
  align-items: center;
  margin: 4px 0;
}
.player {
  display: grid;
  grid-template-columns: auto auto auto minmax(0, 1fr) auto;
  gap: 2px;
  align-items: center;
  margin: 6px 0;
}
.player .number {
  font-size: 12.5px;
  color: var(--faint);
}
.ask {
  display: grid;
  gap: 4px;
  justify-items: start;
  margin: 6px 0;
}
.worst {
  padding: 0;
}
.worst :deep(.v-list-item) {
  padding-inline: 4px;
}
.worst :deep(.v-list-item-title) {
  white-space: normal;
  font-size: 14px;
}
</style>

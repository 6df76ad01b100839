<script setup lang="ts">
import {
  mdiContentCopy,
  mdiDeleteOutline,
  mdiDiceMultipleOutline,
  mdiEraserVariant,
  mdiLockOpenVariantOutline,
  mdiLockOutline,
  mdiPower,
} from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { answer, api, type Changed, type Stand, type StandChange } from '../api/client'
import { useLevel } from '../level/level'
import { useTrial, type Send } from '../level/trial'
import ActionButton from '../shared/ActionButton.vue'
import ColourField from '../shared/ColourField.vue'
import PaintingMenu from './PaintingMenu.vue'
import { STRATA, type Stratum } from '../shared/strata'
import { useAttempt } from '../shared/useAttempt'

/** A stand itself: its name, stratum, colour, seed and lock; duplicated and removed here. */
const props = defineProps<{ stand: Stand }>()
const store = useLevel()
const trial = useTrial()
const { trouble, attempt } = useAttempt()
const name = ref(props.stand.name)
watch(
  () => props.stand,
  (s) => (name.value = s.name),
)
const areas = computed(() => store.shapes.filter((s) => s.kind === 'area'))
const can = computed(() => store.mayPlant)

async function act(asked: () => Promise<{ data?: Changed }>) {
  if (!(await attempt(() => store.arrange(answer(asked()))))) name.value = props.stand.name
}
/** Take over what was done to its painting. */
const take = (asked: Promise<Changed>) => attempt(async () => store.take(await asked))
const one = () => ({ params: { path: { slug: store.slug, stand: props.stand.id } } })
const key = () => ({ key: crypto.randomUUID() })
const change = (body: Partial<StandChange>) =>
  act(() => api.POST('/api/levels/{slug}/stands/{stand}/change', { ...one(), body: { ...key(), ...body } }))
/** Have an action tried before it is kept. */
const ask = (what: string, send: Send) => attempt(() => trial.ask(what, send))
const move = (stratum: Stratum) =>
  ask(`${props.stand.name} into ${stratum}`, (view, headers) =>
    api.POST('/api/levels/{slug}/stands/{stand}/move', {
      ...one(),
      body: { ...key(), stratum, before: null, view },
      headers,
    }),
  )
const duplicate = () =>
  ask(`Duplicate ${props.stand.name}`, (view, headers) =>
    api.POST('/api/levels/{slug}/stands/{stand}/duplicate', { ...one(), body: { ...key(), view }, headers }),
  )
const remove = () =>
  ask(`Remove ${props.stand.name}`, (view, headers) =>
    api.POST('/api/levels/{slug}/stands/{stand}/remove', { ...one(), body: { ...key(), view }, headers }),
  )
const clear = (area: number | null) =>
  ask(`Clear the painting of ${props.stand.name}`, (view, headers) =>
    api.POST('/api/levels/{slug}/stands/{stand}/clear', {
      ...one(),
      body: { ...key(), area, view },
      headers,
    }),
  )
const clearAll = (area: number | null) =>
  ask('Clear the painting of all stands', (view, headers) =>
    api.POST('/api/levels/{slug}/clear', { ...store.here(), body: { ...key(), area, view }, headers }),
  )
const reseed = (seed: number) =>
  ask(`Another seed for ${props.stand.name}`, (view, headers) =>
    api.POST('/api/levels/{slug}/stands/{stand}/change', {
      ...one(),
      body: { ...key(), seed, view },
      headers,
    }),
  )
const flip = () =>
  ask(`Switch ${props.stand.name} ${props.stand.off ? 'on' : 'off'}`, (view, headers) =>
    api.POST('/api/levels/{slug}/switch-stands', {
      ...store.here(),
      body: { ...key(), stands: [props.stand.id], off: !props.stand.off, view },
      headers,
    }),
  )
const rename = () =>
  name.value.trim() && name.value.trim() !== props.stand.name && change({ name: name.value.trim() })
const roll = () => reseed(Math.floor(Math.random() * 2 ** 31))
const setSeed = (text: string) =>
  /^[0-9]{1,10}$/.test(text) && Number(text) !== props.stand.seed && reseed(Number(text))
</script>

<template>
  <div class="card" data-test="stand-card">
    <v-text-field
      v-model="name"
      variant="underlined"
      class="title"
      maxlength="80"
      data-keys
      aria-label="Name of the stand"
      data-test="stand-name"
      hide-details
      :disabled="!can || stand.locked"
      @blur="rename"
      @keydown.enter="rename"
    />
    <div class="row">
      <v-select
        :model-value="stand.stratum"
        :items="[...STRATA]"
        aria-label="Stratum"
        hide-details
        :disabled="!can || stand.locked"
        data-test="stand-stratum"
        @update:model-value="move($event)"
      />
      <v-text-field
        :model-value="stand.seed"
        prefix="seed"
        inputmode="numeric"
        data-keys
        aria-label="Seed"
        hide-details
        :disabled="!can || stand.locked"
        data-test="stand-seed"
        @change="setSeed(($event.target as HTMLInputElement).value)"
      />
      <ActionButton
        :icon="mdiDiceMultipleOutline"
        size="x-small"
        tip="Another seed: other places for all its plants; undo brings these back"
        :disabled="!can || stand.locked"
        data-test="stand-roll"
        @click="roll"
      />
      <ColourField
        label="Colour on the plan"
        :value="stand.colour || '#5a6a48'"
        :disabled="!can || stand.locked"
        @change="change({ colour: $event })"
      />
    </div>
    <div v-if="can" class="row acts">
      <ActionButton
        :icon="mdiContentCopy"
        tip="Begin another stand with all that this one is"
        data-test="stand-duplicate"
        @click="duplicate()"
        >Duplicate</ActionButton
      >
      <slot />
      <ActionButton
        :icon="stand.locked ? mdiLockOpenVariantOutline : mdiLockOutline"
        :tip="stand.locked ? 'Let it be changed again' : 'Keep its settings, painting and plants as they are'"
        data-test="stand-lock"
        @click="change({ locked: !stand.locked })"
        >{{ stand.locked ? 'Unlock' : 'Lock' }}</ActionButton
      >
      <ActionButton
        :icon="mdiPower"
        :on="stand.off"
        :tip="
          stand.off
            ? 'Have it stand again, as it was'
            : 'Off for everybody: not drawn, not counted, no room, not handed over'
        "
        :why="stand.locked && 'it is locked'"
        data-test="stand-off"
        @click="flip"
      />
      <v-menu>
        <template #activator="{ props: menu }"
          ><ActionButton
            v-bind="menu"
            :icon="mdiEraserVariant"
            tip="Clear what is painted: of this stand or of all, everywhere or in an area"
            :why="stand.locked && 'it is locked'"
            data-test="stand-clear"
        /></template>
        <v-list>
          <v-list-subheader>Clear what is painted of {{ stand.name }}</v-list-subheader>
          <v-list-item title="everywhere" data-test="clear-all" @click="clear(null)" />
          <v-list-item v-for="a in areas" :key="a.id" :title="`in ${a.name}`" @click="clear(a.id)" />
          <v-list-subheader>of all stands</v-list-subheader>
          <v-list-item title="everywhere" data-test="clear-every" @click="clearAll(null)" />
          <v-list-item
            v-for="a in areas"
            :key="`all-${a.id}`"
            :title="`in ${a.name}`"
            @click="clearAll(a.id)"
          />
        </v-list>
      </v-menu>
      <PaintingMenu :stand="stand" @change="take" @trouble="trouble = $event" />
      <ActionButton
        :icon="mdiDeleteOutline"
        tip="Remove the stand; undo brings it back"
        :why="stand.locked && 'it is locked'"
        data-test="stand-remove"
        @click="remove()"
      />
    </div>
    <p v-if="trouble" class="over" role="alert" data-test="stand-trouble">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.title :deep(input) {
  font: 500 20px var(--serif);
}
.row {
  display: flex;
  gap: 6px;
  align-items: center;
  margin: 6px 0;
}
.row.acts {
  flex-wrap: wrap;
}
.row > .v-input {
  min-width: 0;
}
/* Ten digits of a seed are to be read whole. */
.row > .v-text-field {
  flex: 1.7;
}
.row > .v-text-field :deep(input) {
  font-size: 12px;
  padding-inline: 4px 1px;
}
</style>

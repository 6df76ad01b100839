<script setup lang="ts">
import { mdiImageOutline, mdiImageRemoveOutline } from '@mdi/js'
import { answer, api, type Changed, type Level } from '../api/client'
import { upload } from '../api/upload'
import { useLevel } from '../level/level'
import { useAttempt } from '../shared/useAttempt'

/**
 * How the ground layers are drawn: a colour each, a look, and a picture if wished. Nothing of it moves a
 * plant.
 */
type Layer = Level['layers'][number]
const store = useLevel()
const { trouble, attempt } = useAttempt()
const LOOKS = [
  { value: 'soil', title: 'soil' },
  { value: 'rock', title: 'bedded rock' },
  { value: 'turf', title: 'turf' },
]
const INKS = [
  '#8d9460',
  '#6f7a4a',
  '#b5a27c',
  '#8c7a5e',
  '#6f655c',
  '#8f98a6',
  '#5d6672',
  '#c9bfa8',
  '#a8751f',
  '#4e5a3c',
  '#d8d3c6',
  '#7b5a44',
]
const set = (layer: Layer, changes: object) =>
  attempt(async () => {
    store.take(
      await answer(
        api.PUT('/api/levels/{slug}/layers/look', {
          params: { path: { slug: store.slug } },
          body: { key: crypto.randomUUID(), name: layer.name, ...changes },
        }),
      ),
    )
  })
async function paint(layer: Layer, chosen: File[] | File) {
  const file = Array.isArray(chosen) ? chosen[0] : chosen
  if (!file) return
  trouble.value = ''
  const form = new FormData()
  form.set('key', crypto.randomUUID())
  form.set('name', layer.name)
  form.set('file', file)
  try {
    store.take(await upload<Changed>(`/levels/${store.slug}/layers/texture`, form, () => undefined))
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
</script>

<template>
  <ul class="layers" data-test="layers">
    <li v-for="layer in store.level!.layers" :key="layer.name">
      <v-menu :close-on-content-click="false">
        <template #activator="{ props: press }">
          <v-btn
            v-bind="press"
            size="x-small"
            icon
            :disabled="!store.mayPlant"
            :aria-label="`Colour and look of ${layer.name}`"
            :data-test="`layer-${layer.name}`"
            ><i
              :style="{ background: layer.texture ? `center / cover url(${layer.texture})` : layer.colour }"
          /></v-btn>
        </template>
        <v-card class="look">
          <v-color-picker
            :model-value="layer.colour"
            :swatches="[INKS.slice(0, 4), INKS.slice(4, 8), INKS.slice(8)]"
            show-swatches
            hide-canvas
            hide-inputs
            hide-sliders
            :modes="['hex']"
            width="260"
            @update:model-value="set(layer, { colour: String($event).slice(0, 7).toLowerCase() })"
          />
          <v-select
            :model-value="layer.look"
            :items="LOOKS"
            label="Looks like"
            hide-details
            @update:model-value="set(layer, { look: $event })"
          />
          <v-file-input
            label="A picture, repeated every 4 m"
            accept=".png,.jpg,.jpeg,.webp"
            :prepend-icon="mdiImageOutline"
            hide-details
            :data-test="`texture-${layer.name}`"
            @update:model-value="paint(layer, $event)"
          />
          <v-btn
            v-if="layer.texture"
            size="small"
            :prepend-icon="mdiImageRemoveOutline"
            @click="set(layer, { texture: 'none' })"
            >Take the picture away</v-btn
          >
        </v-card>
      </v-menu>
      {{ layer.name }}
    </li>
  </ul>
  <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
</template>

<style scoped>
.layers {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
li {
  display: flex;
  align-items: center;
  gap: 6px;
}
i {
  width: 18px;
  height: 18px;
}
.look {
  padding: 12px;
  display: grid;
  gap: 10px;
}
</style>

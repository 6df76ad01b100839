<script setup lang="ts">
import { mdiDeleteOutline, mdiImageOutline, mdiImageRemoveOutline, mdiPlus } from '@mdi/js'
import { computed, ref } from 'vue'
import { answer, api, type Changed, type Level } from '../api/client'
import { upload } from '../api/upload'
import { useLevel } from '../level/level'
import { useAttempt } from '../shared/useAttempt'

/**
 * The ground layers, and how each is drawn: a colour, a look, and a picture if wished. They are added,
 * renamed and removed here, and painted with the ground's brush.
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
type Named = { key: string; name: string }
/** Do something to the layer of a name, as one action. */
const act = (name: string, send: (body: Named) => Promise<{ data?: Changed }>) =>
  attempt(async () => store.take(await answer(send({ key: crypto.randomUUID(), name }))))
const set = (layer: Layer, changes: object) =>
  act(layer.name, (body) =>
    api.PUT('/api/levels/{slug}/layers/look', { ...store.here(), body: { ...body, ...changes } }),
  )
const fresh = ref('')
const lead = computed(() => store.level?.role === 'lead')
async function add() {
  const sent = (body: Named) => api.POST('/api/levels/{slug}/layers/add', { ...store.here(), body })
  if (await act(fresh.value.trim(), sent)) fresh.value = ''
}
const rename = (layer: Layer, to: string) =>
  to &&
  to !== layer.name &&
  act(layer.name, (body) =>
    api.POST('/api/levels/{slug}/layers/rename', { ...store.here(), body: { ...body, to } }),
  )
const remove = (layer: Layer) =>
  act(layer.name, (body) => api.POST('/api/levels/{slug}/layers/remove', { ...store.here(), body }))
/** The stands whose conditions look at a layer. */
const readers = (layer: Layer) =>
  store.stands
    .filter(({ settings: { conditions, mix } }) =>
      [...(conditions ?? []), ...mix.map((m) => m.drive)].some((c) => c?.layers?.includes(layer.name)),
    )
    .map((s) => s.name)
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
          <v-text-field
            v-if="lead"
            :model-value="layer.name"
            label="Name"
            hide-details
            :data-test="`layer-name-${layer.name}`"
            @change="rename(layer, $event.target.value.trim())"
          />
          <p v-if="lead && readers(layer).length" class="faint" :data-test="`layer-readers-${layer.name}`">
            Conditions of {{ readers(layer).join(', ') }} look at it; they find none of it once it is removed.
          </p>
          <v-btn
            v-if="lead"
            size="small"
            :prepend-icon="mdiDeleteOutline"
            :data-test="`layer-remove-${layer.name}`"
            @click="remove(layer)"
            >Remove {{ layer.name }}</v-btn
          >
        </v-card>
      </v-menu>
      {{ layer.name }}
    </li>
  </ul>
  <form v-if="lead" class="fresh" @submit.prevent="add">
    <v-text-field v-model="fresh" label="A new layer" hide-details data-test="layer-fresh" />
    <v-btn type="submit" :prepend-icon="mdiPlus" :disabled="!fresh.trim()" data-test="layer-add">Add</v-btn>
  </form>
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
.fresh {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}
.look {
  padding: 12px;
  display: grid;
  gap: 10px;
}
</style>

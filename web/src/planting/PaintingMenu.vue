<script setup lang="ts">
import { paintingQueryBounds } from '../api/bounds'
import { mdiImageOutline } from '@mdi/js'
import { ref } from 'vue'
import { type Changed, type Stand } from '../api/client'
import { upload } from '../api/upload'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import NumberField from '../shared/NumberField.vue'

/** A stand's painting as a picture: written, and brought in. */
const props = defineProps<{ stand: Stand }>()
const emit = defineEmits<{ change: [asked: Promise<Changed>]; trouble: [text: string] }>()
const store = useLevel()
const open = ref(false)
const reading = ref<'both' | 'adds' | 'takes'>('both')
const file = ref<File | null>(null)
const READINGS = [
  { value: 'both', title: 'middle grey is nothing' },
  { value: 'adds', title: 'black is nothing, white adds' },
  { value: 'takes', title: 'white is nothing, black takes' },
] as const
const touchColumns = () => Math.ceil((store.level!.columns * store.level!.cell) / store.level!.touch_cell)
const columns = ref(touchColumns())
function bring(chosen: File | File[] | null) {
  const picked = Array.isArray(chosen) ? chosen[0] : chosen
  if (!picked) return
  const form = new FormData()
  form.set('key', crypto.randomUUID())
  form.set('reading', reading.value)
  form.set('file', picked)
  emit('change', upload<Changed>(`/levels/${store.slug}/stands/${props.stand.id}/painting`, form))
  open.value = false
  file.value = null
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false">
    <template #activator="{ props: menu }"
      ><ActionButton
        v-bind="menu"
        :icon="mdiImageOutline"
        tip="Its painting as a picture: written, or brought in"
        data-test="stand-painting"
    /></template>
    <v-card class="painting" data-test="painting-sheet">
      <h2 class="minor">Painting of {{ stand.name }} as a picture</h2>
      <p class="faint">
        Greyscale PNG of 16 bits, north at the top: middle grey where nothing is painted, lighter where plants
        are added, darker where they are taken away.
      </p>
      <NumberField
        label="Pixels across"
        :value="columns"
        :bounds="paintingQueryBounds.columns"
        :digits="0"
        :normal="touchColumns()"
        test="painting-columns"
        @change="columns = Math.round($event)"
      />
      <v-btn
        size="small"
        :href="`/api/levels/${store.slug}/stands/${stand.id}/painting.png?columns=${columns}`"
        :download="`painting-${stand.slug}.png`"
        data-test="painting-out"
        >Write it</v-btn
      >
      <template v-if="store.mayPlant && !stand.locked">
        <h2 class="minor">In place of it</h2>
        <ChoiceField
          label="Read so that"
          :value="reading"
          :items="READINGS"
          test="painting-reading"
          @change="reading = $event"
        />
        <v-file-input
          v-model="file"
          label="Bring in a picture"
          accept=".png,.tif,.tiff"
          prepend-icon=""
          hide-details
          data-test="painting-file"
          @update:model-value="bring"
        />
        <p class="faint">It is resampled to the touch cells; one undo brings back what was painted.</p>
      </template>
    </v-card>
  </v-menu>
</template>

<style scoped>
.painting {
  width: 340px;
  padding: 12px 16px 14px;
  display: grid;
  gap: 6px;
}
.painting > * {
  flex: none;
}
p {
  margin: 0;
  font-size: 13px;
}
.v-btn {
  justify-self: start;
}
</style>

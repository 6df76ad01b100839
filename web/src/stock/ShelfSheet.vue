<script setup lang="ts">
import { mdiAlertOutline, mdiCheck, mdiPlus, mdiTrayArrowDown } from '@mdi/js'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import { useShelf } from './shelf'
import BringDialog from './BringDialog.vue'
import ItemPicture from '../shared/ItemPicture.vue'
import ShelfFilter from './ShelfFilter.vue'

/** The shelf over the stage: every item at one true scale; one press takes it into the level. */
const chosen = defineModel<string>({ required: true })
const emit = defineEmits<{ take: [slug: string] }>()
const bringing = ref(false)
async function brought(slugs: string[]) {
  await shelf.load()
  if (slugs.length) chosen.value = slugs[0]!
}
const shelf = useShelf()
const store = useLevel()
onMounted(() => (shelf.open = true))
onBeforeUnmount(() => (shelf.open = false))
const used = computed(() => new Set(store.level?.stock.map((i) => i.slug)))
/** Pixels a metre: so that the tallest fits, times what the slider says. */
const zoom = ref(1)
const tallest = computed(() => Math.max(1.8, ...shelf.items.map((i) => i.height)))
const scale = computed(() => (190 / tallest.value) * zoom.value)
const roof = computed(() => Math.min(tallest.value * scale.value + 6, 900))
</script>

<template>
  <section class="shelf" aria-label="Shelf" data-test="shelf">
    <header>
      <ShelfFilter class="filter" />
      <v-btn
        color="primary"
        variant="flat"
        :prepend-icon="mdiTrayArrowDown"
        :disabled="!store.mayPlant"
        data-test="bring"
        @click="bringing = true"
      >
        Bring in …
        <v-tooltip activator="parent"
          >Bring your own to the shelf: meshes, grass from a picture, or a stand-in</v-tooltip
        >
      </v-btn>
      <v-slider
        v-model="zoom"
        :min="1"
        :max="14"
        :step="0.1"
        label="Scale"
        name="Scale of the pictures"
        hide-details
        class="zoom"
        aria-label="Scale of the pictures"
      />
    </header>
    <p v-if="shelf.trouble" class="over" role="alert">{{ shelf.trouble }}</p>
    <p v-else-if="shelf.read && !shelf.items.length" class="faint">
      {{ shelf.search || shelf.group ? 'Nothing on the shelf is like that.' : 'The shelf is empty.' }}
    </p>
    <ul>
      <li v-for="i in shelf.items" :key="i.slug" :class="{ chosen: i.slug === chosen }">
        <v-card
          class="tile"
          :data-test="`shelf-${i.slug}`"
          :aria-label="`${i.name}: look at it`"
          @click="chosen = i.slug"
        >
          <span class="air" :style="{ height: `${roof}px` }"
            ><ItemPicture :picture="i.picture" :name="i.name" :item-scale="i.scale" :scale="scale"
          /></span>
          <b
            >{{ i.name }}
            <v-icon
              v-if="i.findings.length"
              :icon="mdiAlertOutline"
              size="16"
              color="warning"
              :aria-label="i.findings.map((f) => f.text).join(' ')"
          /></b>
          <span class="faint number"
            >{{ i.group }},
            {{ i.height < 1 ? `${Math.round(i.height * 100)} cm` : `${i.height.toFixed(1)} m` }}</span
          >
          <span class="faint number"
            >{{ i.states.map((s) => whole(s.triangles)).join(' · ') }} triangles</span
          >
        </v-card>
        <v-btn v-if="used.has(i.slug)" size="small" :prepend-icon="mdiCheck" variant="text" disabled
          >in this level</v-btn
        >
        <v-btn
          v-else
          size="small"
          :prepend-icon="mdiPlus"
          :disabled="!store.mayPlant"
          :data-test="`take-${i.slug}`"
          @click="emit('take', i.slug)"
        >
          Take
          <v-tooltip activator="parent">Take {{ i.name }} into this level</v-tooltip>
        </v-btn>
      </li>
    </ul>
    <BringDialog v-model="bringing" @kept="brought" />
    <v-btn v-if="shelf.more" class="more" @click="shelf.onwards()">More of {{ whole(shelf.total) }}</v-btn>
  </section>
</template>

<style scoped>
.shelf {
  position: absolute;
  inset: 0;
  overflow-y: auto;
  padding: 14px 20px 30px;
  background: var(--paper);
  z-index: 4;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 24px;
  align-items: center;
  margin-bottom: 14px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
}
li {
  display: grid;
  gap: 4px;
  justify-items: center;
}
.tile {
  min-width: 150px;
  padding: 8px 12px;
  display: grid;
  font: 13px var(--sans);
}
.chosen .tile {
  border-color: var(--green);
  outline: 1px solid var(--green);
}
.air {
  display: grid;
  align-items: end;
  overflow: hidden;
  margin-bottom: 4px;
}
b {
  font: 17px var(--serif);
}
.more {
  display: flex;
  margin: 18px auto 0;
}
.filter {
  flex: 1 1 100%;
}
.zoom {
  flex: 0 1 230px;
}
</style>

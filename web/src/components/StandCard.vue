<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Stand } from '../api/client'
import { useLevel } from '../stores/level'
import { STRATA } from '../strata'

/** A stand itself: its name, stratum, colour, seed and lock; duplicated and removed here. */
const props = defineProps<{ stand: Stand }>()
const store = useLevel()
const trouble = ref('')
const name = ref(props.stand.name)
watch(() => props.stand, (s) => (name.value = s.name))
const areas = computed(() => store.shapes.filter((s) => s.kind === 'area'))
const can = computed(() => store.mayPlant)

async function act(path: string, body: object = {}) {
  trouble.value = ''
  try {
    await store.arrange(`stands/${props.stand.id}/${path}`, body)
  } catch (error) {
    trouble.value = (error as Error).message
    name.value = props.stand.name
  }
}
async function clearAll(area: number | null) {
  trouble.value = ''
  try {
    await store.arrange('clear', { area })
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
const rename = () => name.value.trim() && name.value.trim() !== props.stand.name && act('change', { name: name.value.trim() })
const roll = () => act('change', { seed: Math.floor(Math.random() * 2 ** 31) })
const setSeed = (text: string) => /^[0-9]{1,10}$/.test(text) && Number(text) !== props.stand.seed && act('change', { seed: Number(text) })
</script>

<template>
  <div class="card" data-test="stand-card">
    <input v-model="name" class="title" maxlength="80" data-keys aria-label="Name of the stand" data-test="stand-name" :disabled="!can || stand.locked" @change="rename" />
    <p class="row">
      <select class="cell" :value="stand.stratum" aria-label="Stratum" :disabled="!can || stand.locked" data-test="stand-stratum" @change="act('move', { stratum: ($event.target as HTMLSelectElement).value, before: null })"><option v-for="s in STRATA" :key="s">{{ s }}</option></select>
      <label>seed <input class="cell seed" :value="stand.seed" inputmode="numeric" data-keys aria-label="Seed" :disabled="!can || stand.locked" data-test="stand-seed" @change="setSeed(($event.target as HTMLInputElement).value)" /></label>
      <button class="plain" :disabled="!can || stand.locked" title="Other places for all its plants; undo brings these back" data-test="stand-roll" @click="roll">roll</button>
      <input type="color" :value="stand.colour || '#5a6a48'" aria-label="Colour on the plan" :disabled="!can || stand.locked" @change="act('change', { colour: ($event.target as HTMLInputElement).value })" />
    </p>
    <p v-if="can" class="row">
      <button class="plain" data-test="stand-duplicate" @click="act('duplicate')">Duplicate</button>
      <button class="plain" data-test="stand-lock" @click="act('change', { locked: !stand.locked })">{{ stand.locked ? 'Unlock' : 'Lock' }}</button>
      <v-menu>
        <template #activator="{ props: menu }"><button v-bind="menu" class="plain" :disabled="stand.locked" data-test="stand-clear">Clear painting ▾</button></template>
        <ul class="menu">
          <li><button class="plain" data-test="clear-all" @click="act('clear')">everywhere</button></li>
          <li v-for="a in areas" :key="a.id"><button class="plain" @click="act('clear', { area: a.id })">in {{ a.name }}</button></li>
          <li class="all faint">of all stands</li>
          <li><button class="plain" data-test="clear-every" @click="clearAll(null)">everywhere</button></li>
          <li v-for="a in areas" :key="`all-${a.id}`"><button class="plain" @click="clearAll(a.id)">in {{ a.name }}</button></li>
        </ul>
      </v-menu>
      <button class="plain" :disabled="stand.locked" data-test="stand-remove" @click="act('remove')">Remove</button>
    </p>
    <p v-if="trouble" class="over" role="alert" data-test="stand-trouble">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.title {
  font: 500 20px var(--serif);
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid transparent;
  width: 100%;
  padding: 0 0 2px;
}
.title:hover:not(:disabled),
.title:focus {
  border-bottom-color: var(--line);
}
.row {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin: 2px 0;
}
.row button {
  margin-left: -7px;
}
.menu {
  list-style: none;
  margin: 4px 0 0;
  padding: 6px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  font: 14px var(--sans);
}
.all {
  padding: 4px 8px 0;
  border-top: 1px solid var(--line);
}
.menu button {
  width: 100%;
  text-align: left;
  margin: 0;
}
.seed {
  width: 84px;
}
select.cell {
  text-align: left;
}
input[type='color'] {
  width: 24px;
  height: 20px;
  padding: 0;
  border: 1px solid var(--line);
  background: none;
  margin-left: auto;
  align-self: center;
}
</style>

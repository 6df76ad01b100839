<script setup lang="ts">
const shown = defineModel<boolean>({ required: true })
const KEYS = [
  ['Fly', [['↑ ↓', 'ahead, back'], ['← →', 'aside'], ['Page ↑ ↓', 'rise, sink'], ['Shift', 'five times as fast'], ['drag', 'look about (eye), move the sheet (plan)'], ['wheel', 'go ahead (eye), scale (plan)'], ['double click', 'on the plan: stand there'], ['1 … 9', 'go to a kept view']]],
  ['Paint', [['T', 'Thicken'], ['N', 'Thin'], [', .', 'radius smaller, larger'], ['; \'', 'strength less, more'], ['Esc', 'drop the stroke, the draft, then the brush'], ['right drag', 'look about with a brush in hand']]],
  ['Shapes, on the Ground bench', [['P', 'path'], ['A', 'area'], ['R', 'round obstacle'], ['B', 'box'], ['U', 'outline obstacle'], ['Enter', 'end the line or outline'], ['Delete', 'remove the chosen shape'], ['double click', 'on a corner: take it out']]],
  ['Otherwise', [['V', 'both views, eye, plan'], ['L', 'shadows'], ['O', 'suitability'], ['Y', 'ask why, at a place'], ['K', 'pick a single plant of the stand'], ['Alt ↑ ↓', 'move the focused stand in the column'], ['H', 'hide or show the selected stands'], ['Ctrl Z', 'undo your last action'], ['Ctrl Shift Z', 'do it again'], ['?', 'this sheet']]],
] as const
</script>

<template>
  <v-dialog v-model="shown" max-width="640">
    <div class="sheet" data-test="keys">
      <section v-for="[title, rows] in KEYS" :key="title">
        <h3>{{ title }}</h3>
        <dl>
          <template v-for="[k, what] in rows" :key="k">
            <dt><kbd>{{ k }}</kbd></dt>
            <dd>{{ what }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </v-dialog>
</template>

<style scoped>
.sheet {
  background: var(--sheet);
  border: 1px solid var(--line);
  padding: 8px 26px 22px;
  columns: 2;
  column-gap: 34px;
  font-family: var(--sans);
  color: var(--ink);
}
section {
  break-inside: avoid;
}
dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 4px 8px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>

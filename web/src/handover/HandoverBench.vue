<script setup lang="ts">
import { computed } from 'vue'
import { many } from '../budget/budget'
import BakePanel from './BakePanel.vue'
import HandoverFile from './HandoverFile.vue'
import { useLevel } from '../level/level'

const store = useLevel()
const tracked = computed(() => store.stands.filter((s) => !s.sward).reduce((n, s) => n + s.count, 0))
const swards = computed(() => store.stands.filter((s) => s.sward).map((s) => s.name))
const FILES = [
  {
    name: 'plants.csv',
    what: 'Every plant on a line: id, stand, item, place, turn, size, tint. Plain text, sorted by id.',
  },
  {
    name: 'level.glb',
    what: 'Binary glTF: the meshes once, the plants as GPU instances (EXT_mesh_gpu_instancing).',
  },
  {
    name: 'level.zip',
    what: 'The whole level, to be opened again here or in another installation, or planted from a shell.',
  },
  { name: 'level.json', what: 'Stands with stratum, spacing, items, footprints and distances.' },
  {
    name: 'densities.zip',
    what: 'A density map for each stand, swards too: greyscale PNG of 16 bits, white for full.',
  },
  { name: 'heights.png', what: 'The heights as PNG of 16 bits; their range stands in its text.' },
  { name: 'heights.tif', what: 'The heights in metres, as GeoTIFF of 32 bits.' },
  { name: 'layers.tif', what: 'The ground layers, a band each with its name.' },
  {
    name: 'maps.zip',
    what: 'All of these maps together, with slope, facing, hollow–ridge and wetness as GeoTIFF.',
  },
] as const
</script>

<template>
  <div class="bench" data-test="handover-bench">
    <h2>Handover</h2>
    <p>
      {{ many(tracked, 'plant goes', 'plants go') }} along one by one.
      <span v-if="swards.length" class="faint"
        >Swards ({{ swards.join(', ') }}) have no single plants; they go as density maps.</span
      >
    </p>
    <ul>
      <li v-for="f in FILES" :key="f.name">
        <HandoverFile :name="f.name" />
        <span class="faint">{{ f.what }}</span>
      </li>
    </ul>
    <BakePanel />
    <h3>From the command line</h3>
    <pre>
./kt manage handover {{ store.slug }} \
  --format csv|glb|maps --out DIR</pre>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 9px 0;
  border-top: 1px solid var(--line);
  display: grid;
  gap: 3px;
}
pre {
  font-size: 12.5px;
  white-space: pre-wrap;
}
</style>

<script setup lang="ts">
import { mdiAutoFix, mdiAlertOutline } from '@mdi/js'
import type { Finding } from '../api/client'

/** What is wrong or dear about an item, each with a press that mends it. */
defineProps<{ findings: Finding[]; disabled?: boolean }>()
const emit = defineEmits<{ mend: [what: string] }>()
const LABELS: Record<string, string> = {
  lods: 'Make LODs',
  billboard: 'Make a billboard',
  ground: 'Put the foot on the ground',
  'smaller textures': 'Make it smaller',
  'cut out': 'Cut them out',
  'both sides': 'Draw both sides',
  'turn faces': 'Turn the faces',
  'merge materials': 'Merge materials',
}
const label = (mend: string) => LABELS[mend] ?? (mend.startsWith('drop lod') ? 'Drop this LOD' : mend)
</script>

<template>
  <ul v-if="findings.length" class="findings" data-test="findings">
    <li v-for="f in findings" :key="f.text">
      <v-icon :icon="mdiAlertOutline" size="16" color="warning" aria-hidden="true" />
      <span>{{ f.text }}</span>
      <v-btn
        v-if="f.mend"
        size="x-small"
        :prepend-icon="mdiAutoFix"
        :disabled="disabled"
        :data-test="`mend-${f.mend}`"
        @click="emit('mend', f.mend)"
        >{{ label(f.mend) }}</v-btn
      >
    </li>
  </ul>
</template>

<style scoped>
.findings {
  list-style: none;
  margin: 4px 0;
  padding: 0;
  font-size: 13px;
}
li {
  display: grid;
  grid-template-columns: 20px 1fr auto;
  gap: 4px;
  align-items: start;
  padding: 2px 0;
}
</style>

<script setup lang="ts">
import { mdiDownload } from '@mdi/js'
import { useHandoverFile, type HandoverName } from './useHandoverFile'
import { useLevel } from '../level/level'

/** One handover file: made in the background, with progress, and fetched when it is done. */
const props = defineProps<{ name: HandoverName }>()
const store = useLevel()
const { job, trouble, busy, make, stop } = useHandoverFile(() => store.slug, props.name)
</script>

<template>
  <div class="file">
    <v-btn
      :prepend-icon="mdiDownload"
      :disabled="busy"
      :data-test="`download-${name.replace('.', '-')}`"
      @click="make"
    >
      {{ name }}
      <v-tooltip activator="parent">Make {{ name }} of the level as it is now, and download it</v-tooltip>
    </v-btn>
    <template v-if="busy">
      <v-progress-linear
        :model-value="(job?.share ?? 0) * 100"
        :indeterminate="!job?.share"
        color="primary"
        :aria-label="`Making ${name}`"
      />
      <span class="faint">{{ job?.step }}</span>
      <v-btn size="small" variant="text" @click="stop">Stop</v-btn>
    </template>
    <span v-else-if="job?.state === 'stopped'" class="faint">Stopped; no file was made.</span>
    <span v-if="trouble" class="over" role="alert">{{ trouble }}</span>
  </div>
</template>

<style scoped>
.file {
  display: grid;
  justify-items: start;
  gap: 4px;
}
.file > .v-btn:first-child {
  font-family: var(--serif);
  font-size: 17px;
}
</style>

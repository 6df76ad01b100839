<script setup lang="ts">
import { api } from '../api/client'
import { useServer } from '../shared/useServer'

/** The long work that is under way, each with how far it is and a way to stop it. */
const EVERY_MS = 2500
const { data: work, read } = useServer(['jobs'], (signal) => api.GET('/api/jobs', { signal }), {
  every: () => EVERY_MS,
})
async function stop(id: string) {
  await api.POST('/api/jobs/{job}/stop', { params: { path: { job: id } } }).catch(() => undefined)
  await read()
}
</script>

<template>
  <section v-if="work?.length" class="work" data-test="work">
    <h3>Under way</h3>
    <p v-for="w in work" :key="w.id">
      <span class="what"
        >{{ w.title }}<template v-if="w.level">, {{ w.level }}</template>
        <span class="faint">{{ w.state === 'waiting' ? 'waits' : w.step }}, {{ w.by }}</span></span
      >
      <v-progress-linear
        :model-value="w.share * 100"
        :indeterminate="w.state === 'running' && !w.share"
        color="primary"
        :aria-label="`How far ${w.title} is`"
      />
      <v-btn v-if="w.may_stop" size="small" :data-test="`stop-${w.title}`" @click="stop(w.id)">Stop</v-btn>
    </p>
  </section>
</template>

<style scoped>
.work {
  margin-top: 26px;
  max-width: 670px;
}
p {
  display: grid;
  grid-template-columns: 1fr 140px 64px;
  gap: 14px;
  align-items: center;
  margin: 6px 0;
}
.what .faint {
  display: block;
  font-size: 12.5px;
}
</style>

<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef } from 'vue'
import { ask, type Bake } from '../api/client'
import { whole } from '../budget'
import { useLevel } from '../stores/level'

/** The bake of all single plants: begun, watched sheet by sheet, stopped, gone on with. */
const store = useLevel()
const bake = shallowRef<Bake | null>(null)
const trouble = ref('')
const path = computed(() => `/levels/${store.slug}/bake`)
async function tell(method: 'GET' | 'POST', more = '') {
  try {
    bake.value = await ask<Bake>(method, path.value + more)
    trouble.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
onMounted(() => tell('GET'))
useIntervalFn(() => bake.value?.running && void tell('GET'), 400)
const share = computed(() => (bake.value ? bake.value.done / Math.max(bake.value.total, 1) : 0))
const says = computed(() => {
  const b = bake.value
  if (!b) return ''
  if (b.running) return `${whole(b.done)} of ${whole(b.total)} sheets: ${b.step}`
  if (b.done === b.total) return `All ${whole(b.total)} sheets lie ready.`
  return b.done ? `${whole(b.done)} of ${whole(b.total)} sheets lie ready; what has changed since is made when it is asked for.` : `${whole(b.total)} sheets, none made beforehand.`
})
</script>

<template>
  <section v-if="bake" data-test="bake">
    <h3>Bake</h3>
    <p class="faint">Makes the plants of the whole level beforehand, sheet by sheet, so that files are written and the level opened without waiting.</p>
    <div class="bar" role="progressbar" :aria-valuenow="Math.round(share * 100)" aria-valuemin="0" aria-valuemax="100"><i :style="{ width: `${share * 100}%` }" /></div>
    <p class="number" data-test="bake-said">{{ says }}</p>
    <p v-if="store.mayPlant">
      <button v-if="!bake.running" class="plain go" :disabled="bake.done === bake.total" data-test="bake-start" @click="tell('POST')">{{ bake.done ? 'Go on' : 'Bake the level' }}</button>
      <button v-else class="plain go" data-test="bake-stop" @click="tell('POST', '/stop')">Stop</button>
    </p>
    <p v-if="trouble || bake.trouble" class="over" role="alert">{{ trouble || bake.trouble }}</p>
  </section>
</template>

<style scoped>
.bar {
  height: 5px;
  border-bottom: 1px solid var(--ink);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--green);
}
p {
  margin: 4px 0;
}
.go {
  margin-left: -7px;
}
</style>

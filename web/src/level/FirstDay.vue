<script setup lang="ts">
import { mdiCheck, mdiClose } from '@mdi/js'
import { useLocalStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api } from '../api/client'
import { useServer } from '../shared/useServer'
import { steps } from './firstDay'
import type { Bench } from '../router'
import { useLevel } from './level'

/** The order of the work, shown on a level that nothing was planted in, until all is done or it is closed. */
const props = defineProps<{ bench: Bench }>()
const store = useLevel()
/** Of each level where the list has come: the benches that were looked at since; null once it was closed. */
const followed = useLocalStorage<Record<string, string[] | null>>('kt-first-day', {})
const mine = computed(() => followed.value[store.slug])
/** Whether the journal is asked for: while the list is shown, which follows from it. */
const asks = ref(false)
const { data: journal } = useServer(
  () => ['journal', store.slug, store.version],
  (signal) => api.GET('/api/levels/{slug}/journal', { ...store.here(), signal }),
  { enabled: asks },
)
const list = computed(() => steps(store.level!, store.stands, journal.value ?? [], mine.value ?? []))
const shown = computed(() => store.mayPlant && !!mine.value && list.value.some((s) => !s.done))
watch(shown, (on) => (asks.value = on), { immediate: true })
const put = (seen: string[] | null) => (followed.value = { ...followed.value, [store.slug]: seen })

watch(
  () => store.stands.length,
  (n) => {
    if (n === 0 && mine.value === undefined) put([])
  },
  { immediate: true },
)
watch(
  [() => props.bench, shown],
  ([bench]) => {
    if (mine.value && !mine.value.includes(bench)) put([...mine.value, bench])
  },
  { immediate: true },
)
</script>

<template>
  <section v-if="shown" class="first" aria-label="The order of the work" data-test="first-day">
    <header>
      <h2>The order of the work</h2>
      <v-btn
        :icon="mdiClose"
        variant="text"
        size="x-small"
        aria-label="Close this list for good"
        data-test="first-day-close"
        @click="put(null)"
      />
    </header>
    <ol>
      <li v-for="s in list" :key="s.name" :class="{ done: s.done }">
        <v-icon v-if="s.done" :icon="mdiCheck" size="16" color="primary" aria-label="done" />
        <i v-else aria-hidden="true" />
        <router-link
          :to="`/levels/${store.slug}/${s.bench}`"
          :data-test="`first-${s.name.toLowerCase().replaceAll(' ', '-')}`"
          >{{ s.name }}</router-link
        >
        <span class="faint">{{ s.what }}</span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.first {
  border: 1px solid var(--line);
  padding: 8px 10px 10px 12px;
  margin-bottom: 14px;
  background: color-mix(in srgb, var(--paper) 60%, var(--sheet));
}
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
h2 {
  margin: 0;
  font-size: 19px;
}
ol {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 22px auto;
  align-items: center;
  padding: 3px 0;
}
li span {
  grid-column: 2;
  font-size: 12.5px;
  line-height: 1.25;
}
.done a {
  color: var(--faint);
}
.done span {
  display: none;
}
i {
  width: 11px;
  height: 11px;
  border: 1px solid var(--faint);
  border-radius: 50%;
  margin-left: 2px;
}
a {
  font-family: var(--serif);
  font-size: 17px;
  color: var(--green);
  text-decoration-thickness: 1px;
  text-underline-offset: 3px;
}
</style>

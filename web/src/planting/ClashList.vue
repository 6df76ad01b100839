<script setup lang="ts">
import type { Clash } from '../api/client'
import type { Draft } from './useDraft'

/** Settings that two people have changed at once, with both values. */
defineProps<{ draft: Draft }>()
const name = (c: Clash) => c.name.replace('.', ': ').replaceAll('_', ' ')
const text = (v: unknown) =>
  Array.isArray(v) && v.some((x) => typeof x === 'object')
    ? `${v.length} of them`
    : Array.isArray(v)
      ? v.join(' to ')
      : typeof v === 'object' && v
        ? 'others'
        : String(v)
</script>

<template>
  <div data-test="clashes">
    <dl>
      <template v-for="clash in draft.clashes.value" :key="`${clash.stand}/${clash.name}`">
        <dt>{{ name(clash) }}</dt>
        <dd>
          was {{ text(clash.was) }}; {{ clash.who }} made it <b>{{ text(clash.theirs) }}</b>, you
          <b>{{ text(clash.yours) }}</b>
        </dd>
      </template>
    </dl>
    <p>
      <v-btn data-test="take-theirs" @click="draft.settle(true)"
        >Take {{ draft.clashes.value[0]!.who }}’s</v-btn
      >
      <v-btn data-test="keep-mine" @click="draft.settle(false)">Keep mine</v-btn>
    </p>
  </div>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 10px;
  margin: 0 0 4px;
  font-size: 13px;
}
dt {
  font-style: italic;
}
dd {
  margin: 0;
}
p {
  display: flex;
  gap: 6px;
  margin: 0 0 6px;
}
</style>

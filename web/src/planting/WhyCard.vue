<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import type { Why } from '../api/client'
import { KINDS } from '../api/kinds'
import type { Kind } from './conditions'
import { useLevel } from '../level/level'

defineProps<{ why: Why; name: string }>()
const store = useLevel()
const titleOf = (slug: string) => store.level?.stock.find((i) => i.slug === slug)?.name ?? slug
defineEmits<{ close: [] }>()
const percent = (v: number) => `${Math.round(v * 100)} %`
function value(c: Pick<Why['conditions'][number], 'kind' | 'value' | 'beyond'>): string {
  const look = KINDS[c.kind as Kind]
  if (c.kind === 'facing' && c.value < 0) return 'level ground'
  const value = c.value.toFixed(look.digits).replace('-', '−')
  return `${c.beyond ? '≥ ' : ''}${value}${look.unit === 'm' ? ' m' : look.unit}`
}
/** What it multiplies beside density. */
const factors = (c: Why['conditions'][number]) =>
  (['size', 'lean', 'tint'] as const).flatMap((n) => (c[n] === null ? [] : ` ${n} × ${c[n].toFixed(2)}`))
</script>

<template>
  <div class="why" role="status" data-test="why">
    <header>
      <span class="name">{{
        why.by_hand ? `${name}, set by hand` : `${name} here: ${why.planted ? 'why' : 'why not'}`
      }}</span>
      <v-btn :icon="mdiClose" variant="text" size="x-small" aria-label="Close" @click="$emit('close')" />
    </header>
    <p v-if="why.by_hand" data-test="why-hand">{{ why.by_hand }}. What the rule says of its place:</p>
    <table class="number">
      <tbody>
        <tr v-for="(c, k) in why.conditions" :key="k" :class="{ off: !c.on && !factors(c).length }">
          <td class="join">{{ k ? c.join : c.join === 'except' ? 'except' : 'where' }}</td>
          <td>{{ KINDS[c.kind as Kind].label }}</td>
          <td>{{ value(c) }}</td>
          <td>{{ c.on ? percent(c.result) : factors(c).length ? '' : 'off' }}</td>
          <td class="faint">
            <template v-if="c.on && c.running !== null">→ {{ percent(c.running) }}</template
            >{{ factors(c).join(',') }}
          </td>
        </tr>
        <tr class="sum">
          <td />
          <td>Suitability</td>
          <td />
          <td>{{ percent(why.suitability) }}</td>
          <td />
        </tr>
        <tr>
          <td />
          <td>Touch</td>
          <td />
          <td>{{ why.touch > 0 ? '+' : '' }}{{ why.touch.toFixed(2).replace('-', '−') }}</td>
          <td />
        </tr>
        <tr>
          <td />
          <td>Density × fullness</td>
          <td />
          <td>{{ percent(why.density * why.fullness) }}</td>
          <td class="faint">{{ percent(why.density) }} × {{ percent(why.fullness) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="why.place" data-test="why-threshold">
      Its nearest place, {{ why.place.distance.toFixed(1) }} m away, carries a plant where density × fullness
      is above {{ (why.place.threshold * 100).toFixed(1) }}&nbsp;%.
    </p>
    <p v-else>It has no place within its spacing of here.</p>
    <table v-if="why.items.length" class="number" data-test="why-items">
      <tbody>
        <tr v-for="i in why.items" :key="i.item">
          <td>{{ titleOf(i.item) }}</td>
          <td>{{ percent(i.share) }}</td>
          <td class="faint">
            <template v-if="i.condition"
              >{{ KINDS[i.condition.kind as Kind].label }} {{ value(i.condition) }}:
              {{ percent(i.condition.result) }}</template
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p v-for="t in why.trails" :key="t" data-test="why-trail">{{ t }}.</p>
    <p v-if="why.shut" class="over">{{ why.shut }}.</p>
  </div>
</template>

<style scoped>
.why {
  position: absolute;
  right: 12px;
  top: 52px;
  width: 344px;
  padding: 8px 12px;
  background: var(--sheet);
  border: 1px solid var(--ink);
  z-index: 4;
}
header {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.name {
  font-size: 16.5px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  padding: 1px 6px 1px 0;
}
td:nth-child(3),
td:nth-child(4) {
  text-align: right;
}
.join {
  font-style: italic;
  font-family: var(--serif);
}
.off {
  opacity: 0.5;
}
.sum td {
  border-top: 1px solid var(--line);
}
p {
  margin: 4px 0 0;
}
</style>

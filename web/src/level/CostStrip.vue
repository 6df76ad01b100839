<script setup lang="ts">
import { computed } from 'vue'
import { amount, line, LINES, inkOf, signed, whole, type LineName } from '../budget/budget'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from './level'
import { usePlots } from '../budget/plots'

const store = useLevel()
const drawing = useDrawing()
const plots = usePlots()

/** The plot that is farthest over its share of milliseconds, and how many more are. */
function first([worst, ...more]: { name: string; here: number; share: number }[]): string {
  if (!worst) return ''
  const text = `${worst.name} ${worst.here.toFixed(2)} of ${worst.share.toFixed(2)}`
  return more.length ? `${text}, ${more.length} more` : text
}
const lines = computed(() =>
  LINES.map(({ name, label }) => {
    const mark = drawing.marks?.[name] ?? 1
    const spent = store.cost ? line(store.cost.total, name) : 0
    const full = Math.max(spent, mark) * 1.12
    let at = 0
    const ground = store.cost ? line(store.cost.ground, name) : 0
    const parts = [
      {
        id: 0,
        name: store.surfaces.length ? 'Ground and meshes' : 'The ground',
        ink: 'var(--faint)',
        value: ground,
      },
      ...store.stands.map((s) => ({
        id: s.id,
        name: s.name,
        ink: inkOf(s),
        value: store.spentBy(s.id, name),
      })),
    ].map((part) => {
      const width = (part.value / full) * 100
      const placed = { ...part, left: at, width }
      at += width
      return placed
    })
    const over = plots.overHere(name).sort((a, b) => b.here / b.share - a.here / a.share)
    return {
      name,
      label,
      mark,
      plots: name === 'ms' ? first(over) : over.map((p) => p.name).join(', '),
      shares: over.map((p) => `${p.name} ${amount(name, p.here)} of ${amount(name, p.share)}`).join(', '),
      margin: name === 'ms' && store.cost?.margin ? `± ${store.cost.margin.toFixed(2)} ` : '',
      spent,
      over: spent > mark,
      markAt: (mark / full) * 100,
      parts,
    }
  }),
)
const change = computed(() => {
  const d = store.difference
  if (!d) return null
  const plants = [d.gained ? `+${whole(d.gained)}` : '', d.lost ? `−${whole(d.lost)}` : '']
    .filter(Boolean)
    .concat(d.gained || d.lost ? [Math.max(d.gained, d.lost) === 1 ? 'plant' : 'plants'] : [])
    .join(' ')
  const costs = (['ms', 'triangles', 'draw_calls'] as LineName[])
    .map((name) => ({
      name,
      value: (d.cost[name] ?? 0) + (name === 'draw_calls' ? (d.cost.shadow_calls ?? 0) : 0),
    }))
    .filter((c) => Math.abs(c.value) >= (c.name === 'ms' ? 0.005 : 1))
    .map((c) => ({
      text: signed(amount(c.name, c.value), c.value),
      unit: { ms: '', triangles: ' triangles', draw_calls: ' calls' }[c.name as 'ms'],
      up: c.value > 0,
    }))
  return { what: d.what, plants, costs }
})
</script>

<template>
  <footer class="strip" data-test="cost-strip">
    <div
      v-for="l in lines"
      :key="l.name"
      class="line"
      :class="{ over: l.over }"
      :data-test="`line-${l.name}`"
    >
      <span class="label"
        >{{ l.label }}
        <span
          v-if="l.plots"
          v-tooltip:top="`Over their share here: ${l.shares}`"
          class="over"
          tabindex="0"
          :data-test="`plots-over-${l.name}`"
          >{{ l.plots }}</span
        ></span
      >
      <span class="value number"
        ><b>{{ amount(l.name, l.spent) }}</b
        >{{ ' ' }}<span class="faint">{{ l.margin }}of {{ amount(l.name, l.mark) }}</span></span
      >
      <span class="gauge">
        <i
          v-for="p in l.parts"
          :key="p.id"
          :title="`${p.name}: ${amount(l.name, p.value)}`"
          :style="{ left: `${p.left}%`, width: `${p.width}%`, background: p.ink }"
        />
        <u :style="{ left: `${l.markAt}%` }" />
      </span>
    </div>
    <div class="change" data-test="difference">
      <template v-if="change">
        <span class="name">{{ change.what }}</span>
        <span class="number">
          <template v-if="change.plants">{{ change.plants }}</template>
          <template v-for="c in change.costs" :key="c.unit">
            · <span :class="c.up ? 'over' : 'less'">{{ c.text }}{{ c.unit }}</span></template
          >
          <template v-if="!change.plants && !change.costs.length">no difference in this view</template>
        </span>
      </template>
      <span v-else class="faint">What this view costs, by stand.</span>
    </div>
    <v-select
      v-model="drawing.tier"
      v-tooltip:top="'The device tier that stage, chart and costs are seen through'"
      class="tier"
      :items="drawing.names"
      hide-details
      aria-label="Device tier"
      data-test="tier"
    />
  </footer>
</template>

<style scoped>
.strip {
  grid-column: 1 / -1;
  display: grid;
  grid-template-columns: minmax(0, 1.35fr) repeat(4, minmax(0, 1fr)) minmax(0, 1.2fr) 124px;
  align-items: stretch;
  border-top: 1px solid var(--line);
  background: var(--sheet);
}
.line,
.change {
  padding: 7px clamp(10px, 1.1vw, 14px) 9px;
  border-right: 1px solid var(--line);
  display: grid;
  gap: 1px;
  align-content: center;
  min-width: 0;
}
.change {
  border-right: 0;
}
.tier {
  align-self: center;
  margin-right: 12px;
}
.label {
  font-size: 12.5px;
  color: var(--faint);
}
.label,
.value {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.over .value b {
  color: var(--oxblood);
}
.gauge {
  position: relative;
  height: 8px;
  border-bottom: 1px solid var(--ink);
  margin-top: 2px;
}
.gauge i {
  position: absolute;
  bottom: 0;
  height: 6px;
}
.gauge u {
  position: absolute;
  top: -2px;
  bottom: -3px;
  width: 2px;
  background: var(--oxblood);
}
.change .name {
  font-size: 16px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.change .number {
  font-size: 12px;
  line-height: 1.15;
  white-space: normal;
}
.less {
  color: var(--green);
}
</style>

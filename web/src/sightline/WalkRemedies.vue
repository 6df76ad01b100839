<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Billboard, Remedy, WalkResult } from '../api/client'
import { signed } from '../budget/budget'
import type { Draft } from '../planting/useDraft'
import { edgeName } from './distances'
import { thicker } from '../stage/fog'
import { useAtmosphere } from './atmosphere'
import { useLevel } from '../level/level'
import { useWalks } from './walks'

/** What would mend the pops of a walk: each change with what it leaves and costs, to be tried. */
const props = defineProps<{ result: WalkResult | null; draft: Draft; locked: boolean }>()
const walks = useWalks()
const store = useLevel()
const air = useAtmosphere()
const KINDS: Record<Billboard, string> = {
  facing: 'a card that faces the eye',
  crossed: 'two crossed cards',
  'three crossed': 'three crossed cards',
}

const noticed = computed(() => props.result?.stands.reduce((n, s) => n + s.noticed, 0) ?? 0)
const had = (stand: number) =>
  stand ? (props.result?.stands.find((s) => s.stand === stand)?.noticed ?? 0) : noticed.value
const itemName = (slug: string) => store.level?.stock.find((i) => i.slug === slug)?.name ?? slug
const percent = (factor: number) => `${Math.round((factor - 1) * 100)} %`
function sentence(r: Remedy): string {
  if (r.billboard) return `${itemName(r.item)}: ${KINDS[r.billboard]} as its billboard`
  if (r.hides) return 'Stop drawing what the fog hides'
  if (!r.stand) return `The fog: ${percent(r.fog)} denser`
  const name = store.stands.find((s) => s.id === r.stand)?.name
  const edge = r.edge === null ? null : edgeName(r.edge, r.distances!.steps.length)
  if (edge && r.left_out) return `${name}: without ${edge.beyond}`
  const changes = [
    r.farther > 1 && `${edge ? `only ${edge.name} ` : ''}${percent(r.farther)} farther`,
    r.fade > 1 && `fades ${r.fade} times as wide`,
    r.shadows > 1 && `shadows ${r.shadows} times as far`,
  ]
  return `${name}: ${changes.filter(Boolean).join(', ')}`
}
/** For each stand, the fog and each item the changes that leave fewer pops than any cheaper one, cheapest
 *  first. */
const remedies = computed(() => {
  const all = [...(props.result?.remedies ?? [])].sort((a, b) => a.ms - b.ms || a.left - b.left)
  const least = new Map<string | number, number>()
  return all.filter((r) => {
    // It leaves the pops as they are, and is shown for what it saves.
    if (r.hides) return r.ms < -0.005
    const what = r.item || r.stand
    if (r.left >= (least.get(what) ?? had(r.stand))) return false
    least.set(what, r.left)
    return true
  })
})
const leastLeft = computed(() => props.result?.least.reduce((n, r) => n + r.left, 0) ?? 0)

function attempt(list: Remedy[]): void {
  walks.before = props.result
  const each: Record<number, object> = {}
  for (const r of list) {
    const fog = air.now?.fog
    if (r.billboard) walks.billboards = { ...walks.billboards, [r.item]: r.billboard }
    else if (r.hides) air.change({ fog: { hides: true } })
    else if (!r.stand && fog) air.change({ fog: thicker(fog, r.fog) })
    const stand = store.stands.find((s) => s.id === r.stand)
    if (stand && r.distances) each[stand.id] = r.distances
  }
  const stands = Object.keys(each).map(Number)
  if (!stands.length) return
  store.selected = stands
  props.draft.change({ each })
}

const tried = computed(() =>
  Object.entries(walks.billboards).map(([slug, kind]) => `${itemName(slug)} with ${KINDS[kind]}`),
)
const keeping = ref(false)
async function keep(): Promise<void> {
  keeping.value = true
  await walks.keepBillboards()
  keeping.value = false
}
</script>

<template>
  <template v-if="result && remedies.length">
    <h4>What would mend them</h4>
    <p class="faint">Each with the pops that it leaves, and what it adds to the dearest frame.</p>
    <v-list class="remedies" density="compact" aria-label="What would mend them">
      <v-list-item v-for="(r, k) in remedies" :key="k" :title="sentence(r)" :data-test="`remedy-${k}`">
        <v-list-item-subtitle>
          {{ r.left }} of {{ had(r.stand) }} left,
          <span :class="{ over: r.ms > 0.005 }">{{ signed(`${r.ms.toFixed(2)} ms`, r.ms) }}</span>
        </v-list-item-subtitle>
        <template #append>
          <v-btn size="small" :disabled="locked" :data-test="`try-${k}`" @click="attempt([r])">Try</v-btn>
        </template>
      </v-list-item>
    </v-list>
    <p v-if="result.least.length">
      <v-btn :disabled="locked" data-test="remedy-least" @click="attempt(result.least)"
        >Try the cheapest that leaves {{ leastLeft ? `only ${leastLeft}` : 'none'
        }}<v-tooltip activator="parent"
          >The exact least cost over all stands together, worked out for the dearest frame</v-tooltip
        ></v-btn
      >
    </p>
  </template>
  <div v-if="tried.length" class="tried" data-test="billboards-tried">
    <p>
      The check is with {{ tried.join(', and ') }}. Once kept, it is a new version of the item on the shelf,
      and every level that does not hold its own follows.
    </p>
    <v-btn size="small" :disabled="locked || keeping" data-test="billboards-keep" @click="keep"
      >Keep on the shelf</v-btn
    >
    <v-btn size="small" data-test="billboards-drop" @click="walks.billboards = {}">Drop</v-btn>
  </div>
</template>

<style scoped>
.remedies {
  padding: 0;
}
.remedies :deep(.v-list-item) {
  padding-inline: 4px;
}
.remedies :deep(.v-list-item-title) {
  white-space: normal;
  font-size: 14px;
}
.tried {
  margin: 6px 0;
  padding-left: 8px;
  border-left: 2px solid rgb(var(--v-theme-warning));
}
</style>

<script setup lang="ts">
import { computed, onBeforeUnmount, ref, type ComponentPublicInstance } from 'vue'
import { amount, signed, whole, type LineName } from '../budget/budget'
import { useLevel } from './level'
import { useTrial } from './trial'

/**
 * What an action would do, beside the stage on which the plants that come and go are marked: kept or given up
 * here.
 */
const store = useLevel()
const trial = useTrial()
const keep = ref<ComponentPublicInstance>()
onBeforeUnmount(trial.drop)
const rows = computed(() => {
  const moved = trial.tried?.moved ?? {}
  const known = store.stands
    .filter((s) => moved[s.id]?.some((n) => n))
    .map((s) => ({ name: s.name, gained: moved[s.id]![0], lost: moved[s.id]![1] }))
  const begun = (trial.tried?.tried?.begun ?? []).map((s) => ({
    name: 'the new stand',
    gained: s.count,
    lost: 0,
  }))
  return [...begun, ...known]
})
const uncounted = computed(() =>
  store.stands.filter((s) => trial.tried?.tried?.uncounted.includes(s.id)).map((s) => s.name),
)
const costs = computed(() => {
  const cost = trial.tried?.entry.cost ?? {}
  const names: LineName[] = ['ms', 'triangles', 'draw_calls']
  return names
    .filter((name) => cost[name] !== undefined)
    .map((name) => ({
      text:
        signed(amount(name, cost[name]!), cost[name]!) +
        { ms: '', triangles: ' triangles', draw_calls: ' draw calls' }[name as 'ms'],
      up: cost[name]! > 0,
    }))
})
</script>

<template>
  <v-dialog
    :model-value="trial.asked !== null"
    :aria-label="trial.asked?.what"
    :scrim="false"
    class="beside"
    width="330"
    @after-enter="keep?.$el.focus()"
    @update:model-value="trial.drop()"
  >
    <v-card v-if="trial.asked" class="trial" data-test="trial">
      <h2>{{ trial.asked.what }}</h2>
      <v-table v-if="rows.length" density="compact" class="number">
        <tbody>
          <tr v-for="r in rows" :key="r.name">
            <td class="name">{{ r.name }}</td>
            <td class="gained">{{ r.gained ? `○ +${whole(r.gained)}` : '' }}</td>
            <td class="over">{{ r.lost ? `× −${whole(r.lost)}` : '' }}</td>
          </tr>
        </tbody>
      </v-table>
      <p v-else>No plant comes or goes.</p>
      <p v-if="uncounted.length" class="faint">
        {{ uncounted.join(', ') }} may change too; too many plants to be counted beforehand.
      </p>
      <p v-if="costs.length" class="number costs">
        <span class="faint">in this view</span>
        <span v-for="c in costs" :key="c.text" :class="{ over: c.up }">{{ c.text }}</span>
      </p>
      <p v-if="trial.trouble" class="over" role="alert" data-test="trial-trouble">{{ trial.trouble }}</p>
      <div class="foot">
        <v-btn variant="text" data-test="trial-drop" @click="trial.drop()">Cancel</v-btn>
        <v-btn
          color="primary"
          variant="flat"
          ref="keep"
          :loading="trial.busy"
          data-test="trial-keep"
          @click="trial.keep()"
          >Keep</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.beside {
  align-items: start;
  justify-content: end;
  padding: 54px 6px 0 0;
}
.beside :deep(.v-overlay__content) {
  margin: 0;
}
.trial {
  padding: 14px 16px 12px;
  display: grid;
  gap: 10px;
  border: 1px solid var(--ink);
}
h2,
p {
  margin: 0;
}
h2 {
  font-size: 19px;
}
.number td {
  padding: 0 6px 0 0 !important;
  text-align: right;
}
.number td.name {
  text-align: left;
}
.costs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  white-space: normal;
}
.foot {
  display: flex;
  justify-content: end;
  gap: 10px;
}
</style>

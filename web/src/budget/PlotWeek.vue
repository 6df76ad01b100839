<script setup lang="ts">
import { computed } from 'vue'
import { api, type Level } from '../api/client'
import { useServer } from '../shared/useServer'
import { amount, LINES, signed, whole, type LineName } from './budget'
import { dayAndTime } from '../shared/time'

/** A level's plots for its team: whose they are, what they may spend, what was done and traded this week. */
const props = defineProps<{ level: Level }>()
const { data: week } = useServer(
  () => ['plots week', props.level.slug],
  (signal) =>
    api.GET('/api/levels/{slug}/plots/week', { params: { path: { slug: props.level.slug } }, signal }),
)
const plots = computed(() => Object.entries(props.level.plots.plots ?? {}))
const done = (name: string) => week.value?.plots.find((p) => p.plot === name)
const label = (name: string) => LINES.find((l) => l.name === name)!.label.toLowerCase()
const shares = (tier: string, lines: Record<string, number>) =>
  `${tier}: ${Object.entries(lines)
    .map(([name, value]) => `${label(name)} ${amount(name as LineName, value)}`)
    .join(', ')}`
</script>

<template>
  <section v-if="plots.length" data-test="plot-week">
    <h2 class="minor">Plots</h2>
    <p class="faint">
      What each spends stands on the
      <router-link :to="`/levels/${level.slug}/budget`">Budget bench</router-link>, under
      <i>Plots and shares</i>.
    </p>
    <v-table density="compact">
      <thead>
        <tr>
          <th scope="col">Plot</th>
          <th scope="col">Owner</th>
          <th scope="col">May spend in a frame</th>
          <th scope="col">This week</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="[name, plot] in plots" :key="name">
          <td class="name">{{ name }}</td>
          <td>{{ plot.owner || 'nobody' }}</td>
          <td>
            <div v-for="(lines, tier) in plot.shares" :key="tier" class="number">
              {{ shares(tier, lines) }}
            </div>
          </td>
          <td>
            <template v-if="done(name)">
              {{ done(name)!.actions }} {{ done(name)!.actions === 1 ? 'action' : 'actions' }} by
              {{ done(name)!.people.join(', ') }}:
              <span class="number"
                >+{{ whole(done(name)!.gained) }} −{{ whole(done(name)!.lost) }} plants</span
              ><template v-if="done(name)!.ms"
                >, together
                <span class="number">{{ signed(done(name)!.ms.toFixed(2), done(name)!.ms) }} ms</span> at the
                dearest views they reach</template
              >
            </template>
            <span v-else class="faint">nothing was done</span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <template v-if="week?.changes.length">
      <h2 class="minor">Changed and traded this week</h2>
      <ul>
        <li v-for="c in week.changes" :key="c.id">
          <span class="number faint">{{ dayAndTime(c.at) }}</span> {{ c.what }}
          <span class="faint">by {{ c.who }}</span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
td.name {
  font-size: 16px;
}
ul {
  margin: 0;
  padding-left: 18px;
}
a {
  color: inherit;
}
</style>

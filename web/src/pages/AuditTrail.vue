<script setup lang="ts">
import { api, type AuditRecord } from '../api/client'
import { computed } from 'vue'
import { rowsBefore, useServerPages } from '../shared/useServer'
import PaperPage from './PaperPage.vue'
import { dayAndTime } from '../shared/time'

/** Who signed in, was refused, changed roles, took files out or restored; for leads, in pages. */
const PAGE = 100
const WORDS: Record<string, string> = {
  'sign-in': 'signed in',
  refused: 'was refused: wrong password',
  'sign-out': 'signed out',
  role: '',
  export: 'had made:',
  download: 'downloaded',
  token: '',
  restore: 'restored',
  level: '',
}
const {
  pages,
  more,
  trouble,
  onwards: older,
} = useServerPages<AuditRecord[]>(
  ['audit'],
  (before) => api.GET('/api/audit', { params: { query: { before } } }),
  { next: rowsBefore(PAGE) },
)
const rows = computed(() => pages.value.flat())
</script>

<template>
  <PaperPage title="Sign-in log">
    <p class="faint">
      Sign-ins of the people in the levels you lead, files handed over, roles and restored backups. Kept for
      400 days.
    </p>
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    <v-table v-if="rows.length" density="compact" data-test="audit">
      <thead>
        <tr>
          <th scope="col">When</th>
          <th scope="col">Who</th>
          <th scope="col">What</th>
          <th scope="col">Level</th>
          <th scope="col">From</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in rows" :key="r.id" :class="{ over: r.kind === 'refused' }">
          <td class="number">{{ dayAndTime(r.at) }}</td>
          <td>{{ r.person || '—' }}</td>
          <td>{{ WORDS[r.kind] }} {{ r.what }}</td>
          <td>{{ r.level ?? '' }}</td>
          <td class="number">{{ r.address }}</td>
        </tr>
      </tbody>
    </v-table>
    <p v-else-if="!trouble" class="faint">Nothing has been noted yet.</p>
    <v-btn v-if="more" @click="older()">Older</v-btn>
  </PaperPage>
</template>

<script setup lang="ts">
import { mdiCameraOutline, mdiDeleteOutline } from '@mdi/js'
import { computed, ref, shallowRef } from 'vue'
import { answer, answerBytes, api, type Compared, type Snapshot, type View } from '../api/client'
import { amount, signed, whole, type LineName } from '../budget/budget'
import type { Draft } from './useDraft'
import { NOWHERE, placesOf } from '../stage/payload'
import { useLevel } from '../level/level'
import { useTrial } from '../level/trial'
import ActionButton from '../shared/ActionButton.vue'
import FoldingPart from '../shared/FoldingPart.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { dayAndTime } from '../shared/time'

/** Saved states of the planting: taken under a name, compared with another or with now, and gone back to. */
const props = defineProps<{ draft: Draft; view: () => View | null }>()
const d = props.draft
const store = useLevel()
const trial = useTrial()
const snapshots = useServer(
  () => ['snapshots', store.slug],
  (signal) => api.GET('/api/levels/{slug}/snapshots', { ...store.here(), signal }),
)
const list = computed(() => snapshots.data.value ?? [])
const name = ref('')
const before = ref(0)
const after = ref(0)
const compared = shallowRef<Compared | null>(null)
const { trouble: refused, attempt } = useAttempt()
const trouble = computed(() => refused.value || snapshots.trouble.value)
const take = () =>
  attempt(async () => {
    const body = { key: crypto.randomUUID(), name: name.value.trim() }
    store.take(await answer(api.POST('/api/levels/{slug}/snapshots', { ...store.here(), body })))
    name.value = ''
    await snapshots.read()
  })
const compare = () =>
  attempt(async () => {
    const body = { before: before.value, after: after.value }
    compared.value = await answer(
      api.POST('/api/levels/{slug}/snapshots/compare', {
        ...store.here(),
        body: { ...body, view: props.view() },
      }),
    )
    d.marks.value = placesOf(
      await answerBytes(
        api.POST('/api/levels/{slug}/snapshots/difference', { ...store.here(), parseAs: 'stream', body }),
      ),
    )
  })
function close() {
  compared.value = null
  d.marks.value = NOWHERE
}
const remove = (id: number) =>
  attempt(async () => {
    const path = { slug: store.slug, snapshot: id }
    const query = { key: crypto.randomUUID() }
    store.take(
      await answer(api.DELETE('/api/levels/{slug}/snapshots/{snapshot}', { params: { path, query } })),
    )
    await snapshots.read()
    if (before.value === id || after.value === id) before.value = after.value = 0
  })
const goBack = (s: Snapshot) =>
  attempt(async () => {
    close()
    await trial.ask(`Go back to ${s.name}`, (view, headers) =>
      api.POST('/api/levels/{slug}/snapshots/{snapshot}/go-back', {
        params: { path: { slug: store.slug, snapshot: s.id } },
        body: { key: crypto.randomUUID(), view },
        headers,
      }),
    )
  })
const choices = computed(() => [
  { value: 0, title: 'now' },
  ...list.value.map((s) => ({ value: s.id, title: s.name })),
])
const changed = computed(() => compared.value?.stands.filter((s) => s.gained || s.lost) ?? [])
const costs = computed(() =>
  (['ms', 'triangles', 'draw_calls'] as LineName[]).map((n) => ({
    n,
    text: signed(amount(n, compared.value?.cost[n] ?? 0), compared.value?.cost[n] ?? 0),
    value: compared.value?.cost[n] ?? 0,
  })),
)
</script>

<template>
  <section data-test="snapshots">
    <FoldingPart name="snapshots" title="Snapshots of the planting" closed>
      <div v-if="store.mayPlant" class="row">
        <v-text-field
          v-model="name"
          maxlength="80"
          data-keys
          label="A name for it as it is now"
          hide-details
          data-test="snapshot-name"
          @keydown.enter="name.trim() && take()"
        />
        <ActionButton
          :icon="mdiCameraOutline"
          tip="Take a snapshot"
          :why="!name.trim() && 'give it a name'"
          data-test="snapshot-take"
          @click="take"
          >Take</ActionButton
        >
      </div>
      <ul>
        <li v-for="s in list" :key="s.id" :data-test="`snapshot-${s.name}`">
          <span
            ><span class="name">{{ s.name }}</span> &ensp;
            <span class="faint small">{{ s.by }}, {{ dayAndTime(s.at) }}</span></span
          >
          <ActionButton
            v-if="store.mayPlant"
            size="x-small"
            tip="Make the planting what it was; undo brings this back"
            data-test="go-back"
            @click="goBack(s)"
            >go back</ActionButton
          >
          <ActionButton
            v-if="store.mayPlant"
            size="x-small"
            variant="text"
            :icon="mdiDeleteOutline"
            :tip="`Remove ${s.name}`"
            @click="remove(s.id)"
          />
        </li>
      </ul>
      <p v-if="!list.length" class="faint small">
        A snapshot keeps every stand's settings, painting and single plants, to compare with and go back to.
      </p>
      <div v-else class="row">
        <v-select v-model="before" :items="choices" label="Compare" hide-details data-test="compare-before" />
        <v-select v-model="after" :items="choices" label="with" hide-details data-test="compare-after" />
        <ActionButton
          :why="before === after && 'choose two different ones'"
          tip="Show what differs"
          data-test="compare"
          @click="compare"
          >Show</ActionButton
        >
      </div>
      <v-table v-if="compared" class="number" data-test="compared">
        <tbody>
          <tr v-for="s in changed" :key="s.stand">
            <td class="name">{{ s.name }}</td>
            <td>{{ whole(s.before) }} → {{ whole(s.after) }}</td>
            <td class="gained">+{{ whole(s.gained) }}</td>
            <td class="over">−{{ whole(s.lost) }}</td>
          </tr>
          <tr v-if="!changed.length">
            <td>The two have the same plants.</td>
          </tr>
          <tr class="sum">
            <td>Cost of this view</td>
            <td colspan="3">
              <span v-for="c in costs" :key="c.n" :class="c.value > 0 ? 'over' : 'faint'"
                >{{ c.text
                }}{{ c.n === 'draw_calls' ? ' calls' : c.n === 'triangles' ? ' triangles' : '' }} &ensp;</span
              >
            </td>
          </tr>
        </tbody>
      </v-table>
      <p v-if="compared" class="row">
        <span class="faint small">On the plan: ○ gained, × lost.</span>
        <v-btn size="x-small" @click="close">close</v-btn>
      </p>
      <p v-if="trouble" class="over" role="alert" data-test="snapshot-trouble">{{ trouble }}</p>
    </FoldingPart>
  </section>
</template>

<style scoped>
.row {
  display: flex;
  gap: 6px;
  align-items: center;
  margin: 6px 0 4px;
}
.row > .v-input {
  min-width: 0;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: flex;
  align-items: center;
  gap: 4px;
}
li > span {
  flex: 1;
}
.name {
  font-size: 15px;
}
.small {
  font-size: 12.5px;
}
.gained {
  color: var(--green);
}
.sum td {
  text-align: left !important;
}
</style>

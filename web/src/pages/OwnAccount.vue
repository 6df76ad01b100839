<script setup lang="ts">
import { computed, ref } from 'vue'
import { answer, api, type Mark } from '../api/client'
import ChangePassword from './ChangePassword.vue'
import PaperPage from './PaperPage.vue'
import BuildTokens from './BuildTokens.vue'
import PersonMark from '../shared/PersonMark.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { MARKS } from '../level/marks'
import { dayAndTime } from '../shared/time'
import { useSession } from './session'

/** One's own account: name, mark on the plan, password, and where one is signed in. */
const session = useSession()
const name = ref(session.name ?? '')
const changing = ref(false)
const sessions = useServer(['sessions'], (signal) => api.GET('/api/sessions', { signal }))
const signedIn = computed(() => sessions.data.value ?? [])
const { trouble: refused, attempt } = useAttempt()
const trouble = computed(() => refused.value || sessions.trouble.value)
const rename = () =>
  attempt(async () =>
    session.take(await answer(api.PUT('/api/session/name', { body: { name: name.value.trim() } }))),
  )
const choose = (mark: Mark) =>
  attempt(async () => session.take(await answer(api.PUT('/api/session/mark', { body: { mark } }))))
const end = (id: string) =>
  attempt(async () =>
    sessions.put(await answer(api.DELETE('/api/sessions/{id}', { params: { path: { id } } }))),
  )
const endOthers = () => attempt(async () => sessions.put(await answer(api.DELETE('/api/sessions'))))

const time = (at: string | null) => (at ? dayAndTime(at) : 'not noted')
/** The browser and the system that a program names itself by, as far as they are known. */
function program(agent: string): string {
  const browser = /(Firefox|Edg|Chrome|Safari)\//.exec(agent)?.[1]
  const system = /(Windows|Mac OS X|Android|iPhone|iPad|Linux)/.exec(agent)?.[1]
  return [browser, system].filter(Boolean).join(', ') || agent.slice(0, 40) || 'unknown'
}
</script>

<template>
  <PaperPage title="Your account">
    <p v-if="trouble" class="over" role="alert" data-test="account-trouble">{{ trouble }}</p>
    <section>
      <h2 class="minor">Name</h2>
      <p class="faint">You sign in with it, and others see it on the plan and in the journal.</p>
      <form @submit.prevent="rename">
        <v-text-field v-model="name" label="Name" maxlength="60" hide-details data-test="own-name" />
        <v-btn
          type="submit"
          :disabled="!name.trim() || name.trim() === session.name"
          data-test="own-name-keep"
          >Change the name</v-btn
        >
      </form>
    </section>
    <section>
      <h2 class="minor">Mark on the plan</h2>
      <p class="faint">Others see where you look by it. Forms tell people apart, not colours.</p>
      <v-btn-toggle :model-value="session.mark" mandatory border>
        <v-btn
          v-for="m in MARKS"
          :key="m"
          :value="m"
          :aria-label="m"
          :title="m"
          :data-test="`mark-${m}`"
          @click="choose(m)"
          ><PersonMark :mark="m"
        /></v-btn>
      </v-btn-toggle>
    </section>
    <section>
      <h2 class="minor">Password</h2>
      <v-btn data-test="password" @click="changing = true">Change the password …</v-btn>
    </section>
    <section>
      <h2 class="minor">Where you are signed in</h2>
      <v-table v-if="signedIn.length" density="compact" data-test="sessions">
        <thead>
          <tr>
            <th scope="col">With</th>
            <th scope="col">From</th>
            <th scope="col">Since</th>
            <th scope="col">Used last, to the hour</th>
            <td />
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in signedIn" :key="s.id">
            <td>{{ program(s.program) }}</td>
            <td class="number">{{ s.address }}</td>
            <td class="number">{{ time(s.since) }}</td>
            <td class="number">{{ time(s.seen) }}</td>
            <td>
              <span v-if="s.here" class="faint">this page</span>
              <v-btn v-else size="x-small" :data-test="`end-${s.id}`" @click="end(s.id)">End it</v-btn>
            </td>
          </tr>
        </tbody>
      </v-table>
      <v-btn v-if="signedIn.length > 1" class="all" data-test="end-others" @click="endOthers"
        >End all others</v-btn
      >
    </section>
    <BuildTokens />
    <ChangePassword v-if="changing" @close="((changing = false), sessions.read())" />
  </PaperPage>
</template>

<style scoped>
section {
  max-width: 860px;
}
form {
  display: grid;
  grid-template-columns: 320px auto;
  justify-content: start;
  align-items: center;
  gap: 12px;
}
.all {
  margin-top: 10px;
}
</style>

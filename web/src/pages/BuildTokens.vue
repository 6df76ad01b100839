<script setup lang="ts">
import { mdiContentCopy } from '@mdi/js'
import { computed, ref } from 'vue'
import { answer, api } from '../api/client'
import ActionButton from '../shared/ActionButton.vue'
import { dayAndTime } from '../shared/time'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

/** One's tokens for build machines: made and shown once, named, ended. */
const list = useServer(['tokens'], (signal) => api.GET('/api/session/tokens', { signal }))
const tokens = computed(() => list.data.value ?? [])
const name = ref('')
const fresh = ref('')
const copied = ref(false)
const { trouble: refused, attempt } = useAttempt()
const trouble = computed(() => refused.value || list.trouble.value)
const make = () =>
  attempt(async () => {
    const made = await answer(api.POST('/api/session/tokens', { body: { name: name.value.trim() } }))
    list.put(made.tokens)
    fresh.value = made.token
    copied.value = false
    name.value = ''
  })
const end = (token: number) =>
  attempt(async () => {
    const path = { token }
    list.put(await answer(api.DELETE('/api/session/tokens/{token}', { params: { path } })))
    fresh.value = ''
  })
const copy = () =>
  attempt(async () => {
    await navigator.clipboard.writeText(fresh.value)
    copied.value = true
  })
</script>

<template>
  <section data-test="tokens">
    <h2 class="minor">Tokens for build machines</h2>
    <p class="faint">
      A machine that sends a token (Authorization: Bearer …) hands over the levels that you may see, and can
      do nothing else. It shows as you in the sign-in log.
    </p>
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    <v-table v-if="tokens.length" density="compact">
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">Since</th>
          <th scope="col">Used last, to the hour</th>
          <td />
        </tr>
      </thead>
      <tbody>
        <tr v-for="t in tokens" :key="t.id">
          <td>{{ t.name }}</td>
          <td class="number">{{ dayAndTime(t.at) }}</td>
          <td class="number">{{ t.used ? dayAndTime(t.used) : 'never' }}</td>
          <td>
            <v-btn size="x-small" :aria-label="`End ${t.name}`" data-test="end-token" @click="end(t.id)"
              >End it</v-btn
            >
          </td>
        </tr>
      </tbody>
    </v-table>
    <div v-if="fresh" class="fresh" role="status">
      <code data-test="fresh-token">{{ fresh }}</code>
      <ActionButton :icon="mdiContentCopy" tip="Copy the token" data-test="copy-token" @click="copy" />
      <span class="faint">{{ copied ? 'Copied.' : 'Copy it now: it is not shown again.' }}</span>
    </div>
    <form @submit.prevent="make">
      <v-text-field v-model="name" label="Its name" maxlength="80" hide-details data-test="token-name" />
      <v-btn type="submit" :disabled="!name.trim()" data-test="make-token">Make a token</v-btn>
    </form>
  </section>
</template>

<style scoped>
section {
  max-width: 860px;
}
form,
.fresh {
  margin-top: 10px;
  display: grid;
  grid-template-columns: 320px auto;
  justify-content: start;
  align-items: center;
  gap: 12px;
}
.fresh {
  grid-template-columns: auto auto auto;
}
code {
  overflow-wrap: anywhere;
}
</style>

<script setup lang="ts">
import { ref } from 'vue'
import { connection } from '../api/connection'
import { useOutbox } from '../planting/outbox'
import { useSession } from './session'
import { useAttempt } from '../shared/useAttempt'
import { queries } from '../shared/useServer'

/** Over the work when a sign-in has ended: sign in again, and everything goes on where it was. */
const emit = defineEmits<{ back: [] }>()
const session = useSession()
const outbox = useOutbox()
const password = ref('')
const { trouble, busy, attempt } = useAttempt()

const submit = () =>
  attempt(async () => {
    await session.signIn(session.name!, password.value)
    password.value = ''
    connection.signedOut = false
    void queries.invalidateQueries()
    emit('back')
  })
</script>

<template>
  <v-dialog
    :model-value="connection.signedOut && !!session.name"
    max-width="420"
    aria-label="Sign in again"
    persistent
  >
    <v-card class="again" data-test="sign-in-again">
      <h2>Your sign-in has ended</h2>
      <p>
        Everything is still here. Sign in again to go on.
        <span v-if="outbox.waiting.length"
          >{{ outbox.waiting.length }} {{ outbox.waiting.length === 1 ? 'stroke is' : 'strokes are' }} sent
          then.</span
        >
      </p>
      <v-form class="d-grid ga-3" @submit.prevent="submit">
        <v-text-field
          :model-value="session.name"
          label="Name"
          readonly
          autocomplete="username"
          hide-details
        />
        <v-text-field
          v-model="password"
          label="Password"
          type="password"
          autocomplete="current-password"
          autofocus
          :error-messages="trouble"
          data-test="password-again"
        />
        <v-btn type="submit" color="primary" :loading="busy" :disabled="!password" data-test="go-on"
          >Sign in and go on</v-btn
        >
        <v-btn variant="text" href="/sign-in" data-test="somebody-else">Sign in as somebody else</v-btn>
      </v-form>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.again {
  padding: 20px;
}
form {
  display: grid;
}
p {
  margin: 4px 0 16px;
}
</style>

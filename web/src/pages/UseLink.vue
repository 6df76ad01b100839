<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api } from '../api/client'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { useSession } from './session'

/** What a link that works once is for: joining a level, or a new password. */
const props = defineProps<{ token: string }>()
const session = useSession()
const router = useRouter()
const name = ref('')
const password = ref('')
const one = computed(() => ({ params: { path: { token: props.token } } }))
const { trouble: refused, busy, attempt } = useAttempt()
/** Whether it was tried to be used; whoever signs in by it has nothing more to ask of it. */
const used = ref(false)
const { data: link, trouble: unread } = useServer(
  () => ['link', props.token],
  (signal) => api.GET('/api/links/{token}', { ...one.value, signal }),
  { enabled: () => !used.value },
)
const reset = computed(() => link.value?.kind === 'password')
const SHORTEST = 10

const trouble = computed(() => refused.value || unread.value)
const join = () =>
  attempt(async () => {
    used.value = true
    const { slug } = await answer(api.POST('/api/links/{token}/join', one.value))
    await router.replace(`/levels/${slug}/planting`)
  })
const submit = () =>
  attempt(async () => {
    used.value = true
    const body = { password: password.value }
    session.take(
      await answer(
        reset.value
          ? api.POST('/api/links/{token}/password', { ...one.value, body })
          : api.POST('/api/links/{token}/account', {
              ...one.value,
              body: { ...body, name: name.value.trim() },
            }),
      ),
    )
    await router.replace('/levels')
  })
const until = computed(() =>
  link.value
    ? new Date(link.value.until).toLocaleString('en-GB', { dateStyle: 'long', timeStyle: 'short' })
    : '',
)
const an = (role: string) => (role === 'artist' ? 'an artist' : `a ${role}`)
</script>

<template>
  <main class="page">
    <section>
      <h1>Knee Thicket</h1>
      <template v-if="link">
        <p v-if="reset">
          {{ link.by }} made this link for {{ link.person }} to choose a new password. Wherever
          {{ link.person }} is signed in now, that ends.
        </p>
        <p v-else>
          {{ link.by }} invites you to the level <b class="name">{{ link.level }}</b> as {{ an(link.role) }}.
        </p>
        <template v-if="!reset">
          <template v-if="session.name">
            <v-btn color="primary" variant="flat" :loading="busy" data-test="join" @click="join"
              >Join as {{ session.name }}</v-btn
            >
          </template>
          <v-btn v-else :to="{ path: '/sign-in', query: { to: `/link/${token}` } }" data-test="have-account"
            >I have an account here</v-btn
          >
        </template>
        <form v-if="reset || (!session.name && link.new_accounts)" @submit.prevent="submit">
          <p v-if="!reset" class="faint">Or make an account:</p>
          <v-text-field
            v-if="!reset"
            v-model="name"
            label="Name"
            autocomplete="username"
            maxlength="60"
            hide-details
            data-test="link-name"
          />
          <v-text-field
            v-model="password"
            label="Password, at least ten characters"
            type="password"
            autocomplete="new-password"
            hide-details
            data-test="link-password"
          />
          <v-btn
            color="primary"
            variant="flat"
            type="submit"
            :loading="busy"
            :disabled="password.length < SHORTEST || (!reset && !name.trim())"
            data-test="link-go"
            >{{ reset ? 'Use this password' : 'Make the account and join' }}</v-btn
          >
        </form>
        <p v-else-if="!session.name" class="faint">No new accounts are made here at the moment.</p>
        <p class="faint">It works once, until {{ until }}.</p>
      </template>
      <p v-if="trouble" class="over" role="alert" data-test="link-trouble">{{ trouble }}</p>
      <v-btn v-if="!link && trouble" to="/levels">To the levels</v-btn>
    </section>
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  display: grid;
  place-items: center;
}
section,
form {
  display: grid;
  gap: 12px;
}
section {
  width: 380px;
  padding: 28px 32px 30px;
  background: var(--sheet);
  border: 1px solid var(--line);
}
h1 {
  font-size: 34px;
}
p {
  margin: 0;
}
</style>

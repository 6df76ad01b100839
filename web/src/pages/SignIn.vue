<script setup lang="ts">
import { onMounted, ref, useTemplateRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSession } from './session'
import { useAttempt } from '../shared/useAttempt'

const session = useSession()
const router = useRouter()
const route = useRoute()
const name = ref('')
const password = ref('')
const code = ref('')
const { trouble, busy, attempt } = useAttempt()
const form = useTemplateRef('form')
/** The k-th line of the drawn ground. */
function contour(k: number): string {
  const bends = `C 180 ${120 + 18 * k}, 260 ${190 + 12 * k}, 430 ${168 + 14 * k}`
  return `M0 ${150 + 16 * k} ${bends} S 720 ${110 + 20 * k}, 900 ${150 + 15 * k}`
}
/** The b-th branch of a drawn tree, which has its foot at x and y and is so many units high. */
function branch([x, y, high]: readonly [number, number, number], b: number): string {
  const side = b % 2 ? 1 : -1
  return `M${x} ${y - high * (0.25 + b * 0.1)} q ${9 * side} -4 ${side * (22 - b * 2)} ${-10 - b}`
}

// At once, and not by Vuetify's `autofocus`: that comes late and would take the focus from a password being
// typed.
onMounted(() => form.value?.querySelector('input')?.focus())

const submit = () =>
  attempt(async () => {
    if (session.first) await session.makeFirst(name.value, password.value, code.value)
    else await session.signIn(name.value, password.value)
    await router.replace(String(route.query.to ?? '/levels'))
  })
</script>

<template>
  <main class="page">
    <svg class="section" viewBox="0 0 900 300" aria-hidden="true">
      <g fill="none" stroke="currentColor" stroke-width="1">
        <path v-for="k in 9" :key="k" :d="contour(k)" :opacity="0.55 - k * 0.045" />
        <g
          v-for="(t, k) in [
            [80, 158, 70],
            [128, 163, 92],
            [330, 182, 80],
            [372, 178, 58],
            [610, 150, 88],
            [655, 147, 66],
            [790, 150, 76],
          ]"
          :key="`t${k}`"
        >
          <path :d="`M${t[0]} ${t[1]} V${t[1] - t[2]}`" />
          <path v-for="b in 7" :key="b" :d="branch(t, b)" />
          <ellipse
            :cx="t[0]"
            :cy="t[1] - t[2] * 0.66"
            :rx="t[2] * 0.27"
            :ry="t[2] * 0.4"
            stroke-dasharray="3 3"
          />
        </g>
      </g>
    </svg>
    <form ref="form" @submit.prevent="submit">
      <h1>Knee Thicket</h1>
      <p class="faint">{{ session.installation || 'Planting for real-time levels' }}</p>
      <p v-if="session.first">
        Nobody has an account here yet. Make the first one; it leads, and may let others in. The code stands
        where <code>./kt serve</code> was started.
      </p>
      <v-text-field v-if="session.first" v-model="code" label="Code" data-test="code" hide-details required />
      <v-text-field
        v-model="name"
        label="Name"
        data-test="name"
        autocomplete="username"
        hide-details
        required
      />
      <v-text-field
        v-model="password"
        :label="session.first ? 'Password, at least ten characters' : 'Password'"
        data-test="password"
        type="password"
        :autocomplete="session.first ? 'new-password' : 'current-password'"
        hide-details
        required
      />
      <p v-if="trouble" class="over" role="alert" data-test="trouble">{{ trouble }}</p>
      <v-btn color="primary" variant="flat" type="submit" data-test="sign-in" :loading="busy">{{
        session.first ? 'Make the account' : 'Sign in'
      }}</v-btn>
    </form>
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  display: grid;
  place-items: center;
  position: relative;
}
.section {
  position: absolute;
  inset: auto 0 0 0;
  width: 100%;
  color: var(--green);
  opacity: 0.5;
}
form {
  position: relative;
  width: 330px;
  padding: 28px 32px 30px;
  background: var(--sheet);
  border: 1px solid var(--line);
  display: grid;
  gap: 12px;
  margin-bottom: 12vh;
}
h1 {
  font-size: 34px;
}
p {
  margin: 0 0 4px;
}
</style>

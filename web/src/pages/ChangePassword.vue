<script setup lang="ts">
import { computed, ref } from 'vue'
import { useSession } from './session'
import AskSheet from '../shared/AskSheet.vue'
import { useAttempt } from '../shared/useAttempt'

/** Asks for one's password and a new one, twice. */
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const SHORTEST = 10
const old = ref('')
const fresh = ref('')
const again = ref('')
const { trouble, busy, attempt } = useAttempt()
const short = computed(() =>
  fresh.value && fresh.value.length < SHORTEST ? `At least ${SHORTEST} characters` : '',
)
const differs = computed(() => (again.value && again.value !== fresh.value ? 'Not the same' : ''))
const ready = computed(() => !!old.value && fresh.value.length >= SHORTEST && again.value === fresh.value)

const change = () =>
  attempt(async () => {
    await session.changePassword(old.value, fresh.value)
    emit('close')
  })
</script>

<template>
  <AskSheet
    title="Change password"
    act="Change"
    :busy="busy"
    :ready="ready"
    :trouble="trouble"
    test="password"
    @go="change"
    @close="emit('close')"
  >
    <p class="faint">Wherever else you are signed in, that ends.</p>
    <v-text-field
      v-model="old"
      label="Your password"
      type="password"
      autocomplete="current-password"
      hide-details="auto"
      data-test="password-old"
    />
    <v-text-field
      v-model="fresh"
      label="The new one"
      type="password"
      autocomplete="new-password"
      :error-messages="short"
      hide-details="auto"
      data-test="password-new"
    />
    <v-text-field
      v-model="again"
      label="The new one again"
      type="password"
      autocomplete="new-password"
      :error-messages="differs"
      hide-details="auto"
      data-test="password-twice"
      @keydown.enter="ready && change()"
    />
  </AskSheet>
</template>

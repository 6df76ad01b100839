<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answer, api, type Installation } from '../api/client'
import ChoiceField from '../shared/ChoiceField.vue'
import PaperPage from './PaperPage.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { whole } from '../budget/budget'

/** What holds for the whole installation, for who looks after it. */
const {
  data: kept,
  trouble: unread,
  put,
} = useServer(['installation'], (signal) => api.GET('/api/installation', { signal }))
const draft = ref<Pick<Installation, 'name' | 'address' | 'sign_up' | 'makers'>>({
  name: '',
  address: '',
  sign_up: 'invited',
  makers: 'artists',
})
const { trouble: refused, attempt } = useAttempt()
const trouble = computed(() => refused.value || unread.value)
const changed = computed(
  () =>
    !!kept.value &&
    (['name', 'address', 'sign_up', 'makers'] as const).some((k) => draft.value[k] !== kept.value[k]),
)
watch(
  kept,
  (installation) => {
    if (!installation) return
    const { name, address, sign_up, makers } = installation
    draft.value = { name, address, sign_up, makers }
  },
  { immediate: true },
)
const keep = () => attempt(async () => put(await answer(api.PUT('/api/installation', { body: draft.value }))))
const megabytes = (bytes: number) => `${whole(Math.round(bytes / 1e6))} MB`
const backup = computed(() =>
  kept.value?.last_backup
    ? new Date(kept.value.last_backup).toLocaleString('en-GB', { dateStyle: 'long', timeStyle: 'short' })
    : '',
)
</script>

<template>
  <PaperPage title="This installation">
    <p v-if="trouble" class="over" role="alert" data-test="installation-trouble">{{ trouble }}</p>
    <form v-if="kept" @submit.prevent="keep">
      <v-text-field
        v-model="draft.name"
        label="Name"
        maxlength="60"
        hide-details
        data-test="installation-name"
      />
      <v-text-field
        v-model="draft.address"
        label="Address under which people reach it"
        placeholder="https://thicket.example"
        maxlength="200"
        hide-details
        data-test="installation-address"
      />
      <p class="faint">
        Links that leads hand on begin with it; with the address of their own page where it is empty.
      </p>
      <ChoiceField
        label="New accounts"
        :value="draft.sign_up"
        :items="[
          { value: 'invited', title: 'by a lead’s invitation' },
          { value: 'closed', title: 'none' },
        ]"
        test="sign-up"
        @change="draft.sign_up = $event"
      />
      <ChoiceField
        label="Who may begin levels"
        :value="draft.makers"
        :items="[
          { value: 'leads', title: 'leads' },
          { value: 'artists', title: 'leads and artists' },
          { value: 'anyone', title: 'everybody' },
        ]"
        test="makers"
        @change="draft.makers = $event"
      />
      <v-btn color="primary" variant="flat" type="submit" :disabled="!changed" data-test="installation-keep"
        >Keep</v-btn
      >
    </form>
    <template v-if="kept">
      <h2 class="minor">What it holds</h2>
      <dl>
        <dt>Accounts</dt>
        <dd>{{ whole(kept.people) }}</dd>
        <dt>Levels</dt>
        <dd>{{ whole(kept.levels) }}</dd>
        <dt>Database</dt>
        <dd>{{ megabytes(kept.database_bytes) }}</dd>
        <dt>Bakes and handover files</dt>
        <dd>{{ megabytes(kept.file_bytes) }}</dd>
        <dt>Last backup</dt>
        <dd :class="{ over: !backup }" data-test="last-backup">
          {{ backup || 'none yet: ./kt backup FILE writes one while people work' }}
        </dd>
      </dl>
    </template>
  </PaperPage>
</template>

<style scoped>
form {
  display: grid;
  gap: 12px;
  width: min(460px, 100%);
  margin-top: 18px;
  --choice-width: 230px;
}
form p {
  margin: -6px 0 0;
}
form .v-btn {
  justify-self: start;
}
h2 {
  max-width: 460px;
}
dl {
  display: grid;
  grid-template-columns: 190px auto;
  justify-content: start;
  gap: 6px 12px;
  margin: 0;
}
dt {
  color: var(--faint);
}
dd {
  margin: 0;
}
</style>

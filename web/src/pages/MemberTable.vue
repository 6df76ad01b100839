<script setup lang="ts">
import { mdiContentCopy } from '@mdi/js'
import { computed, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api, type LinkMade, type Member, type Role } from '../api/client'
import { useSession } from './session'
import AskSheet from '../shared/AskSheet.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import PersonMark from '../shared/PersonMark.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { dayAndTime } from '../shared/time'

/** Who is a member of a level; leads give roles, invite, remove, and make links to new passwords. */
const props = defineProps<{ slug: string }>()
const ROLES = [
  { value: 'lead', title: 'lead' },
  { value: 'artist', title: 'artist' },
  { value: 'viewer', title: 'viewer' },
] as const
const session = useSession()
const router = useRouter()
const role = ref<Role>('artist')
/** The link that was made last; it is shown only once. */
const made = shallowRef<{ for: string; href: string; until: string } | null>(null)
const copied = ref(false)
const level = computed(() => ({ path: { slug: props.slug } }))
const {
  data: members,
  trouble: unread,
  read,
  put,
} = useServer(
  () => ['members', props.slug],
  (signal) => api.GET('/api/levels/{slug}/members', { params: level.value, signal }),
)
const { trouble: refused, busy, attempt } = useAttempt()
const trouble = computed(() => refused.value || unread.value)
const leads = computed(() => members.value?.members.find((m) => m.name === session.name)?.role === 'lead')
const one = (name: string) => ({ params: { path: { slug: props.slug, name } } })

const give = (member: Member, to: Role) =>
  attempt(async () => {
    const asked = api.PUT('/api/levels/{slug}/members/{name}', { ...one(member.name), body: { role: to } })
    put(await answer(asked))
  })
/** Who is about to be removed, or to leave. */
const going = shallowRef<Member | null>(null)
const leaves = computed(() => going.value?.name === session.name)
const remove = () =>
  attempt(async () => {
    const { name } = going.value!
    await answer(api.DELETE('/api/levels/{slug}/members/{name}', one(name)))
    going.value = null
    if (name === session.name) await router.replace('/levels')
    else await read()
  })
function ask(member: Member): void {
  refused.value = ''
  going.value = member
}
function show(what: string, link: LinkMade): void {
  const until = new Date(link.until)
  made.value = {
    for: what,
    href: `${link.address || location.origin}/link/${link.token}`,
    until: until.toLocaleString('en-GB', { dateStyle: 'long', timeStyle: 'short' }),
  }
  copied.value = false
}
const invite = () =>
  attempt(async () => {
    const body = { role: role.value }
    show(
      `somebody who joins as ${role.value}`,
      await answer(api.POST('/api/levels/{slug}/invitations', { params: level.value, body })),
    )
    await read()
  })
const reset = (member: Member) =>
  attempt(async () =>
    show(
      `${member.name}, for a new password`,
      await answer(api.POST('/api/levels/{slug}/members/{name}/password', one(member.name))),
    ),
  )
const withdraw = (pk: number) =>
  attempt(async () => {
    const path = { slug: props.slug, pk }
    put(await answer(api.DELETE('/api/levels/{slug}/invitations/{pk}', { params: { path } })))
  })
const copy = () =>
  attempt(async () => {
    await navigator.clipboard.writeText(made.value!.href)
    copied.value = true
  })
</script>

<template>
  <p v-if="trouble && !going" class="over" role="alert" data-test="team-trouble">{{ trouble }}</p>
  <AskSheet
    v-if="going"
    :title="leaves ? 'Leave the level' : `Remove ${going.name}`"
    :act="leaves ? 'Leave' : 'Remove'"
    :busy="busy"
    ready
    :trouble="trouble"
    test="remove"
    @go="remove"
    @close="going = null"
  >
    <p>
      What {{ leaves ? 'you' : going.name }} planted stays. Only by a new invitation
      {{ leaves ? 'do you' : `does ${going.name}` }} come back.
    </p>
  </AskSheet>
  <v-table v-if="members" density="compact" data-test="members">
    <thead>
      <tr>
        <th scope="col">Member</th>
        <th scope="col">Role</th>
        <th scope="col">Now</th>
        <td />
      </tr>
    </thead>
    <tbody>
      <tr v-for="m in members.members" :key="m.name" :data-test="`member-${m.name}`">
        <td>
          <PersonMark :mark="m.mark" /> <span class="name">{{ m.name }}</span>
        </td>
        <td>
          <ChoiceField
            v-if="leads"
            :label="`Role of ${m.name}`"
            bare
            :value="m.role"
            :items="ROLES"
            :test="`role-${m.name}`"
            @change="give(m, $event)"
          />
          <template v-else>{{ m.role }}</template>
        </td>
        <td>{{ m.here ? 'in the level' : '' }}</td>
        <td class="acts">
          <v-btn
            v-if="leads && m.name !== session.name"
            size="x-small"
            :data-test="`reset-${m.name}`"
            @click="reset(m)"
            >Link to a new password</v-btn
          >
          <v-btn
            v-if="leads || m.name === session.name"
            size="x-small"
            :data-test="`remove-${m.name}`"
            @click="ask(m)"
            >{{ m.name === session.name ? 'Leave the level' : 'Remove' }}</v-btn
          >
        </td>
      </tr>
    </tbody>
  </v-table>
  <template v-if="members && leads">
    <h2 class="minor">Invite</h2>
    <p class="faint">A link that works once, for a week. Hand it on as you like; no mail is sent.</p>
    <div class="invite">
      <ChoiceField label="Joins as" :value="role" :items="ROLES" test="invite-role" @change="role = $event" />
      <v-btn color="primary" variant="flat" data-test="invite" @click="invite">Make a link</v-btn>
    </div>
    <div v-if="made" class="made">
      <v-text-field
        :model-value="made.href"
        :label="`For ${made.for}, until ${made.until}`"
        readonly
        hide-details
        data-test="made-link"
        @focus="($event.target as HTMLInputElement).select()"
      />
      <v-btn :prepend-icon="mdiContentCopy" data-test="copy-link" @click="copy">{{
        copied ? 'Copied' : 'Copy'
      }}</v-btn>
      <p class="faint">It is shown only now: copy it before you leave this page.</p>
    </div>
    <v-table v-if="members.invitations.length" density="compact" data-test="invitations">
      <thead>
        <tr>
          <th scope="col">Open links</th>
          <th scope="col">Made by</th>
          <th scope="col">Until</th>
          <td />
        </tr>
      </thead>
      <tbody>
        <tr v-for="i in members.invitations" :key="i.id">
          <td>joins as {{ i.role }}</td>
          <td>{{ i.by }}</td>
          <td class="number">{{ dayAndTime(i.until) }}</td>
          <td class="acts">
            <v-btn size="x-small" :data-test="`withdraw-${i.id}`" @click="withdraw(i.id)">End it</v-btn>
          </td>
        </tr>
      </tbody>
    </v-table>
  </template>
</template>

<style scoped>
.name {
  font-size: 16px;
  margin-left: 4px;
}
.acts {
  text-align: right;
  white-space: nowrap;
}
.acts .v-btn + .v-btn {
  margin-left: 8px;
}
.invite {
  display: flex;
  gap: 16px;
  align-items: center;
  --choice-width: 130px;
}
.made {
  display: grid;
  grid-template-columns: minmax(0, 620px) auto;
  justify-content: start;
  align-items: center;
  gap: 4px 12px;
  margin: 14px 0;
}
.made p {
  margin: 0;
}
</style>

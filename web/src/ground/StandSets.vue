<script setup lang="ts">
import { mdiDeleteOutline, mdiTrayArrowDown, mdiTrayFull } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { answer, api, type StandSet, type Surface } from '../api/client'
import { many } from '../budget/budget'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

/** What grows on a placed mesh: kept as a set under a name, and sets planted on it in one action. */
const props = defineProps<{ surface: Surface }>()
const store = useLevel()
const known = useServer(['stand-sets'], (signal) => api.GET('/api/stand-sets', { signal }))
const sets = computed(() => known.data.value ?? [])
const { trouble: refused, busy, attempt } = useAttempt()
const trouble = computed(() => refused.value || known.trouble.value)
const message = ref('')
const name = ref('')
const whole = ref(false)
const grown = computed(() => {
  const names = [props.surface.name, props.surface.group].filter((n) => !!n)
  return store.stands.filter((s) => s.settings.on?.some((n) => names.includes(n)))
})

const guarded = (work: () => Promise<void>) => {
  message.value = ''
  return attempt(work)
}
const keep = () =>
  guarded(async () => {
    const body = { name: name.value.trim(), level: store.slug, surface: props.surface.id }
    const kept = await answer(api.POST('/api/stand-sets', { body }))
    message.value = `${many(kept.stands.length, 'stand')} kept as ${kept.name}.`
    name.value = ''
    await known.read()
  })
const plant = (set: StandSet) =>
  guarded(async () => {
    const changed = await answer(
      api.POST('/api/levels/{slug}/surfaces/{number}/plant-set', {
        params: { path: { slug: store.slug, number: props.surface.id } },
        body: { key: crypto.randomUUID(), set: set.id, group: whole.value, view: store.seen },
      }),
    )
    store.take(changed, undefined, store.seen)
    message.value = `${set.name} is planted here; undo takes it back.`
  })
const remove = (set: StandSet) =>
  guarded(async () => {
    await answer(api.DELETE('/api/stand-sets/{pk}', { params: { path: { pk: set.id } } }))
    await known.read()
  })
watch(
  () => props.surface.id,
  () => (refused.value = message.value = ''),
)
</script>

<template>
  <section class="sets" data-test="stand-sets">
    <p class="faint" data-test="grows-here">
      {{ grown.length ? `Here grow ${grown.map((s) => s.name).join(', ')}.` : 'Nothing grows here yet.' }}
    </p>
    <div class="tools">
      <v-menu :close-on-content-click="false">
        <template #activator="{ props: press }">
          <ActionButton
            v-bind="press"
            :icon="mdiTrayFull"
            tip="Begin all stands of a set on this mesh"
            data-test="plant-set"
            >Plant a set</ActionButton
          >
        </template>
        <v-card class="menu">
          <p v-if="!sets.length" class="faint">
            No sets kept yet. What grows on a mesh can be kept as one, for every level of the team.
          </p>
          <v-list v-else :border="false">
            <v-list-item
              v-for="s in sets"
              :key="s.id"
              :title="s.name"
              :subtitle="`${s.stands.join(', ')}; by ${s.by}`"
              :disabled="busy"
              :data-test="`stand-set-${s.id}`"
              @click="plant(s)"
            >
              <template v-if="s.may_change" #append
                ><ActionButton
                  variant="text"
                  size="x-small"
                  :icon="mdiDeleteOutline"
                  :tip="`Remove the set ${s.name}; what it planted stays`"
                  @click.stop="remove(s)"
              /></template>
            </v-list-item>
          </v-list>
          <v-checkbox
            v-if="surface.group && sets.length"
            v-model="whole"
            :label="`on all meshes of the group ${surface.group}`"
          />
          <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
          <p v-if="message" role="status">{{ message }}</p>
        </v-card>
      </v-menu>
      <template v-if="grown.length">
        <v-text-field
          v-model="name"
          label="Keep them as a set"
          maxlength="80"
          hide-details
          data-test="stand-set-name"
          @keydown.enter="name.trim() && keep()"
        />
        <ActionButton
          :icon="mdiTrayArrowDown"
          tip="Keep what grows here as a set of stands"
          :disabled="!name.trim() || busy"
          data-test="stand-set-keep"
          @click="keep"
        />
      </template>
    </div>
    <p v-if="trouble" class="over" role="alert" data-test="stand-set-trouble">{{ trouble }}</p>
    <p v-if="message" role="status" data-test="stand-set-message">{{ message }}</p>
  </section>
</template>

<style scoped>
.sets {
  border-top: 1px solid var(--line);
  margin-top: 8px;
  padding-top: 6px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
}
.tools :deep(.v-text-field) {
  flex: 1 1 90px;
}
.menu {
  width: 320px;
  padding: 8px 12px;
}
p {
  margin: 0 0 6px;
}
</style>

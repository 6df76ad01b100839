<script setup lang="ts">
import {
  mdiAccountGroupOutline,
  mdiAccountOutline,
  mdiBookOpenPageVariantOutline,
  mdiChevronLeft,
  mdiHelpCircleOutline,
  mdiKeyboardOutline,
  mdiLogout,
  mdiRedo,
  mdiUndo,
  mdiWeatherNight,
  mdiWhiteBalanceSunny,
} from '@mdi/js'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { useTheme } from 'vuetify'
import type { Level } from '../api/client'
import { BENCHES, type Bench } from '../router'
import { useLevel } from './level'
import { useSession } from '../pages/session'
import ActionButton from '../shared/ActionButton.vue'

/**
 * The top of a level's screen: its name, its benches, undo and redo, journal, theme, keys and who is
 * signed in.
 */
defineProps<{ level: Level; bench: Bench }>()
const emit = defineEmits<{ keys: []; journal: []; guide: [] }>()
const store = useLevel()
const session = useSession()
const router = useRouter()
const theme = useTheme()
const name = (b: Bench) => b[0]!.toUpperCase() + b.slice(1)

function dusk() {
  const next = theme.global.name.value === 'paper' ? 'dusk' : 'paper'
  theme.change(next)
  localStorage.setItem('kt-theme', next)
}
async function leave() {
  await session.signOut()
  await router.replace('/sign-in')
}
const canUndo = computed(() => store.mayPlant && !!store.pulse?.undo)
const canRedo = computed(() => store.mayPlant && !!store.pulse?.redo)
</script>

<template>
  <header>
    <v-btn to="/levels" variant="text" :prepend-icon="mdiChevronLeft">Levels</v-btn>
    <h1>{{ level.name }}</h1>
    <v-tabs :model-value="bench" class="benches" show-arrows :aria-label="`Benches of ${level.name}`">
      <v-tab
        v-for="b in BENCHES"
        :key="b"
        :value="b"
        :to="`/levels/${level.slug}/${b}`"
        :data-test="`bench-${b}`"
        >{{ name(b) }}</v-tab
      >
    </v-tabs>
    <ActionButton
      variant="text"
      :icon="mdiUndo"
      :tip="canUndo ? `Undo: ${store.pulse?.undo}  Ctrl Z` : 'Undo  Ctrl Z'"
      :why="!canUndo && 'nothing of yours to undo'"
      aria-label="Undo"
      data-test="undo"
      @click="store.move('undo')"
    />
    <ActionButton
      variant="text"
      :icon="mdiRedo"
      :tip="canRedo ? `Do again: ${store.pulse?.redo}  Ctrl Shift Z` : 'Do again  Ctrl Shift Z'"
      :why="!canRedo && 'nothing to do again'"
      aria-label="Do again"
      data-test="redo"
      @click="store.move('redo')"
    />
    <ActionButton
      variant="text"
      :icon="mdiBookOpenPageVariantOutline"
      tip="Journal: every action in this level"
      data-test="open-journal"
      @click="emit('journal')"
    />
    <ActionButton
      variant="text"
      :icon="theme.global.name.value === 'paper' ? mdiWeatherNight : mdiWhiteBalanceSunny"
      :tip="theme.global.name.value === 'paper' ? 'Dusk: dark paper' : 'Paper: light paper'"
      data-test="theme"
      @click="dusk"
    />
    <ActionButton
      variant="text"
      :icon="mdiHelpCircleOutline"
      tip="Guide: how this bench is worked with, and everything else"
      data-test="open-guide"
      @click="emit('guide')"
    />
    <ActionButton
      variant="text"
      class="keys"
      :icon="mdiKeyboardOutline"
      tip="Keys  ?"
      data-test="help"
      @click="emit('keys')"
    />
    <v-menu>
      <template #activator="{ props: menu }"
        ><ActionButton
          v-bind="menu"
          variant="text"
          :icon="mdiAccountOutline"
          :tip="`${session.name}, ${level.role}`"
          data-test="person"
      /></template>
      <v-list>
        <v-list-item :title="session.name ?? ''" :subtitle="`${level.role} of this level`" />
        <v-list-item
          :prepend-icon="mdiAccountGroupOutline"
          title="Team of this level"
          data-test="team"
          @click="router.push(`/levels/${level.slug}/team`)"
        />
        <v-list-item
          :prepend-icon="mdiAccountOutline"
          title="Your account"
          data-test="account"
          @click="router.push('/account')"
        />
        <v-list-item :prepend-icon="mdiLogout" title="Sign out" data-test="sign-out" @click="leave" />
      </v-list>
    </v-menu>
  </header>
</template>

<style scoped>
/* Where there is no room for this button, the guide has one, and the key itself opens the sheet. */
@media (max-width: 1100px) {
  .keys {
    display: none;
  }
}
header {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 2px;
  padding: 0 8px 0 4px;
  border-bottom: 1px solid var(--line);
  background: var(--sheet);
  white-space: nowrap;
  min-width: 0;
}
h1 {
  font-size: clamp(16px, 1.8vw, 23px);
  margin: 0 8px 0 2px;
  overflow: hidden;
  text-overflow: ellipsis;
  min-width: 60px;
}
.benches {
  flex: 1 1 auto;
  min-width: 0;
}
.benches :deep(.v-tab) {
  font: 500 17px var(--serif);
  min-width: 0;
  padding: 0 clamp(5px, 0.9vw, 13px);
}
</style>

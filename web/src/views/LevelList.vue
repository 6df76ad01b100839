<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { ask, type LevelCard } from '../api/client'
import NewLevel from '../components/NewLevel.vue'
import SignInAgain from '../components/SignInAgain.vue'
import { whole } from '../budget'
import { useSession } from '../stores/session'

const session = useSession()
const router = useRouter()
const levels = shallowRef<LevelCard[] | null>(null)
const trouble = ref('')
const making = ref(false)

async function load() {
  trouble.value = ''
  try {
    levels.value = await ask<LevelCard[]>('GET', '/levels')
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
onMounted(load)
const leads = computed(() => levels.value?.some((l) => l.role === 'lead'))
const mayMake = computed(() => !levels.value?.length || levels.value.some((l) => l.role !== 'viewer'))

async function leave() {
  await session.signOut()
  await router.replace('/sign-in')
}

const list = (names: string[]) => names.map((n) => `“${n}”`).join(', ')
</script>

<template>
  <main class="page">
    <header>
      <h1>Levels</h1>
      <span class="faint">signed in as {{ session.name }}</span>
      <router-link v-if="leads" to="/audit" class="plain" data-test="open-audit">Who came and went</router-link>
      <button v-if="mayMake" class="plain" data-test="new-level" @click="making = true">A new level …</button>
      <button class="plain" data-test="sign-out" @click="leave">Sign out</button>
    </header>
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    <p v-else-if="!levels" class="faint">Drawing the plans …</p>
    <p v-else-if="!levels.length" class="faint">There is no level that you are a member of yet. Begin one, or ask a lead to add you.</p>
    <section v-else class="sheets">
      <router-link v-for="l in levels" :key="l.slug" :to="`/levels/${l.slug}`" class="card" :data-test="`level-${l.slug}`">
        <img :src="l.plan" :alt="`Plan of ${l.name}`" />
        <div class="legend">
          <h2>{{ l.name }}</h2>
          <dl>
            <dt>Extent</dt>
            <dd>{{ whole(l.width) }} × {{ whole(l.length) }} m</dd>
            <dt>Plants</dt>
            <dd data-test="plants">{{ whole(l.plants) }}</dd>
            <dt>Budget</dt>
            <dd v-if="l.over.length" class="over">over in {{ l.over.length }} of {{ l.views }} views: {{ list(l.over) }}</dd>
            <dd v-else>within its marks in {{ l.views === 1 ? 'its one view' : `all ${l.views} views` }}</dd>
            <dt>You are</dt>
            <dd>{{ l.role }}</dd>
          </dl>
        </div>
      </router-link>
    </section>
    <SignInAgain @back="load" />
    <v-dialog v-model="making" max-width="820" persistent>
      <NewLevel v-if="making" @kept="router.push(`/levels/${$event}/ground`)" @close="making = false" />
    </v-dialog>
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  overflow: auto;
  padding: 28px 44px;
}
header {
  display: flex;
  gap: 18px;
  align-items: baseline;
  border-bottom: 1px solid var(--line);
  padding-bottom: 10px;
  margin-bottom: 26px;
}
h1 {
  font-size: 32px;
  margin-right: auto;
}
.sheets {
  display: flex;
  flex-wrap: wrap;
  gap: 30px;
}
.card {
  display: grid;
  grid-template-columns: 400px 240px;
  color: inherit;
  text-decoration: none;
  background: var(--sheet);
  border: 1px solid var(--line);
}
.card:hover {
  border-color: var(--ink);
}
img {
  width: 400px;
  height: 400px;
  object-fit: cover;
  display: block;
  border-right: 1px solid var(--line);
}
.legend {
  padding: 22px;
}
h2 {
  font-size: 27px;
  margin-bottom: 14px;
}
dl {
  margin: 0;
}
dt {
  color: var(--faint);
  font-size: 12.5px;
}
dd {
  margin: 0 0 10px;
}
</style>

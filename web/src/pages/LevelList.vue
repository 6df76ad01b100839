<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api, type LevelCard, type RemovedLevel } from '../api/client'
import { connection } from '../api/connection'
import type { LevelOrder } from '../level/LevelFind.vue'
import { whole } from '../budget/budget'
import { useSession } from './session'

/** Once what is on the page now has been drawn. */
const painted = () => new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
/** Loaded when the list is there, or when they are wanted. The list comes without them, and without the
 * libraries of icons and
 * composables, which cannot be loaded in part: it is the first that a person waits for. */
const LevelFind = defineAsyncComponent(() => import('../level/LevelFind.vue'))
const LevelMenu = defineAsyncComponent({
  loader: () => painted().then(() => import('../level/LevelMenu.vue')),
})
const SignInAgain = defineAsyncComponent(() => import('./SignInAgain.vue'))
const WorkList = defineAsyncComponent({
  loader: () => painted().then(() => import('../level/WorkList.vue')),
})
const NewLevel = defineAsyncComponent(() => import('./NewLevel.vue'))
const OpenSaved = defineAsyncComponent(() => import('./OpenSaved.vue'))

const session = useSession()
const router = useRouter()
const levels = shallowRef<LevelCard[] | null>(null)
const gone = shallowRef<RemovedLevel[]>([])
const trouble = ref('')
const making = ref(false)
const opening = ref(false)
const search = ref('')
const sort = ref((localStorage.getItem('kt-levels-by') as LevelOrder | null) ?? 'name')
watch(sort, (by) => localStorage.setItem('kt-levels-by', by))

async function load() {
  try {
    ;[levels.value, gone.value] = await Promise.all([
      answer(api.GET('/api/levels')),
      answer(api.GET('/api/removed-levels')),
    ])
    trouble.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
onMounted(load)
/**
 * While a level has changed since it was counted, the worker counts it again; and what could not be read is
 * asked for again.
 */
const again = setInterval(
  () => (!levels.value || levels.value.some((l) => !l.fresh && !l.trouble)) && void load(),
  2500,
)
onBeforeUnmount(() => clearInterval(again))
const shown = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/)
  const by = {
    name: (a: LevelCard, b: LevelCard) => a.name.localeCompare(b.name),
    changed: (a: LevelCard, b: LevelCard) => (b.changed ?? '').localeCompare(a.changed ?? ''),
    plants: (a: LevelCard, b: LevelCard) => (b.plants ?? 0) - (a.plants ?? 0),
  }
  return (levels.value ?? [])
    .filter((l) => words.every((w) => l.name.toLowerCase().includes(w)))
    .sort(by[sort.value])
})
const leads = computed(() => levels.value?.some((l) => l.role === 'lead'))
/** Shown with the levels, as `leads` is, so that no button moves under the pointer. */
const mayMake = computed(() => !!levels.value && session.mayMake)
async function bringBack(slug: string) {
  await answer(api.POST('/api/removed-levels/{slug}/bring-back', { params: { path: { slug } } })).catch(
    (error: Error) => (trouble.value = error.message),
  )
  await load()
}
async function count(slug: string) {
  await api
    .POST('/api/levels/{slug}/summary', { params: { path: { slug } } })
    .catch((error: Error) => (trouble.value = error.message))
  await load()
}
async function leave() {
  await session.signOut()
  await router.replace('/sign-in')
}

const list = (names: string[]) => names.map((n) => `“${n}”`).join(', ')
const day = (at: string) => new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'long' })
</script>

<template>
  <main class="page">
    <header>
      <h1>Levels</h1>
      <span class="faint"
        >{{ session.installation ? `${session.installation}, signed` : 'signed' }} in as
        {{ session.name }}</span
      >
      <v-btn
        v-if="mayMake"
        color="primary"
        variant="flat"
        prepend-icon="$plus"
        data-test="new-level"
        @click="making = true"
        >A new level …</v-btn
      >
      <v-btn v-if="mayMake" data-test="open-saved" @click="opening = true">Open a saved level …</v-btn>
      <v-btn v-if="leads" to="/audit" data-test="open-audit">Sign-in log</v-btn>
      <v-btn v-if="levels && session.looksAfter" to="/installation" data-test="open-installation"
        >This installation</v-btn
      >
      <v-btn to="/account" data-test="account">Your account</v-btn>
      <v-btn data-test="sign-out" @click="leave">Sign out</v-btn>
    </header>
    <LevelFind v-if="(levels?.length ?? 0) > 1" v-model:search="search" v-model:sort="sort" />
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    <p v-else-if="!levels" class="faint">Reading the list …</p>
    <p v-else-if="!levels.length" class="faint">
      There is no level that you are a member of yet.
      {{ mayMake ? 'Begin one, or ask' : 'Ask' }} a lead for a link that lets you in.
    </p>
    <p v-else-if="!shown.length" class="faint">No level is called that.</p>
    <section v-if="shown.length" class="sheets">
      <article v-for="l in shown" :key="l.slug" class="sheet">
        <router-link :to="`/levels/${l.slug}`" class="card" :data-test="`level-${l.slug}`">
          <img v-if="l.plan" :src="l.plan" :alt="`Plan of ${l.name}`" />
          <span v-else class="none faint">its plan is being drawn</span>
          <div class="legend">
            <h2>{{ l.name }}</h2>
            <dl>
              <dt>Extent</dt>
              <dd>{{ whole(l.width) }} × {{ whole(l.length) }} m</dd>
              <dt>Plants</dt>
              <dd data-test="plants" :data-fresh="l.fresh">
                <template v-if="l.trouble">{{
                  l.plants === null ? 'not counted' : `${whole(l.plants)}, of before`
                }}</template>
                <template v-else
                  >{{ l.plants === null ? 'being counted' : whole(l.plants)
                  }}<span v-if="!l.fresh && l.plants !== null" class="faint">, counting again</span></template
                >
              </dd>
              <dt>Budget</dt>
              <dd v-if="l.over.length" class="over">
                over in {{ l.over.length }} of {{ l.views }} views: {{ list(l.over) }}
              </dd>
              <dd v-else-if="l.plants === null">{{ l.trouble ? 'not known' : 'being calculated' }}</dd>
              <dd v-else>
                within its marks in {{ l.views === 1 ? 'its one view' : `all ${l.views} views` }}
              </dd>
              <dt>You are</dt>
              <dd>{{ l.role }}</dd>
            </dl>
          </div>
        </router-link>
        <p v-if="l.trouble" class="uncounted" :data-test="`uncounted-${l.slug}`">
          {{ l.trouble }}
          <v-btn v-if="l.role !== 'viewer'" size="small" :data-test="`count-${l.slug}`" @click="count(l.slug)"
            >Count again</v-btn
          >
        </p>
        <LevelMenu class="menu" :level="l" :may-make="mayMake" @changed="load" />
      </article>
    </section>
    <WorkList v-if="levels" />
    <section v-if="gone.length" class="gone" data-test="removed-levels">
      <h3>Removed</h3>
      <p v-for="g in gone" :key="g.slug">
        {{ g.name }} <span class="faint">can be brought back until {{ day(g.until) }}</span> &ensp;
        <v-btn size="small" :data-test="`bring-back-${g.slug}`" @click="bringBack(g.slug)"
          >Bring it back</v-btn
        >
      </p>
    </section>
    <SignInAgain v-if="connection.signedOut" @back="load" />
    <OpenSaved v-if="opening" @done="router.push(`/levels/${$event}/planting`)" @close="opening = false" />
    <NewLevel v-if="making" @kept="router.push(`/levels/${$event}/ground`)" @close="making = false" />
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
  flex-wrap: wrap;
  gap: 10px 14px;
  align-items: center;
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
.sheet {
  position: relative;
}
.menu {
  position: absolute;
  top: 8px;
  right: 8px;
}
.uncounted {
  position: absolute;
  right: 22px;
  bottom: 12px;
  width: 196px;
  margin: 0;
  font-size: 12.5px;
}
.none {
  width: 400px;
  height: 400px;
  display: grid;
  place-items: center;
  border-right: 1px solid var(--line);
}
.gone p {
  display: flex;
  gap: 10px;
  align-items: center;
  margin: 4px 0;
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

<script setup lang="ts">
import {
  mdiDeleteOutline,
  mdiDownload,
  mdiFileReplaceOutline,
  mdiLockOpenOutline,
  mdiLockOutline,
  mdiPencilOutline,
  mdiPlus,
  mdiSprout,
  mdiTrayMinus,
} from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { answer, api } from '../api/client'
import { useLevel } from '../level/level'
import { useTrial } from '../level/trial'
import { useShelf } from './shelf'
import FindingList from './FindingList.vue'
import ItemEditor from './ItemEditor.vue'
import ItemPicker from '../shared/ItemPicker.vue'
import ItemPicture from '../shared/ItemPicture.vue'
import ReplaceSource from './ReplaceSource.vue'
import StateTable from './StateTable.vue'
import { useAttempt } from '../shared/useAttempt'

/** What is known of the item that is looked at, where it is used, and what can be done with it. */
const props = defineProps<{ item: string }>()
const emit = defineEmits<{ take: [slug: string]; leave: [slug: string]; stand: [slug: string] }>()
const shelf = useShelf()
const store = useLevel()
const trial = useTrial()
const shown = computed(() => (shelf.detail?.slug === props.item ? shelf.detail : null))
const mayChange = computed(() => store.mayPlant && !!shown.value?.may_change)
const mine = computed(() => store.level?.stock.find((i) => i.slug === props.item))
const stands = computed(() => store.stands.filter((s) => s.items.includes(props.item)))
const scale = computed(() =>
  shown.value ? Math.min(190 / Math.max(shown.value.height, 1.8), 120 / Math.max(shown.value.crown, 0.4)) : 1,
)
const editing = ref(false)
const replacing = ref(false)
const { trouble, busy, attempt } = useAttempt()
const metres = (m: number) => (m < 1 ? `${Math.round(m * 100)} cm` : `${m.toFixed(2)} m`)
const day = (at: string) =>
  new Date(at).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  })

watch(
  () => props.item,
  (slug) => void shelf.look(slug),
  { immediate: true },
)
/** What is mended on a copy first, to be looked at beside the item. */
const trying = ref('')
const mend = (what: string) => {
  if (what === 'merge materials') trying.value = what
  else void mendAtOnce(what)
}
const mendAtOnce = (what: string) =>
  attempt(async () => {
    await shelf.changed(
      answer(
        api.POST('/api/shelf/{item}/mend', {
          params: { path: { item: props.item } },
          body: { revision: shown.value!.revision, mend: what },
        }),
      ),
    )
    await store.refresh()
  })
const use = (revision: number) =>
  attempt(async () => {
    await shelf.changed(
      answer(
        api.POST('/api/shelf/{item}/version', {
          params: { path: { item: props.item } },
          body: { revision: shown.value!.revision, use: revision },
        }),
      ),
    )
    await store.refresh()
  })
const hold = (held: boolean) =>
  attempt(async () => {
    const body = { key: crypto.randomUUID(), item: props.item, held }
    store.take(await answer(api.POST('/api/levels/{slug}/stock/hold', { ...store.here(), body })))
    await shelf.look()
  })
const nameOf = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.name ?? slug
const exchange = (by: string) =>
  attempt(async () => {
    await trial.ask(`${nameOf(props.item)} for ${nameOf(by)} everywhere`, (view, headers) =>
      api.POST('/api/levels/{slug}/exchange', {
        ...store.here(),
        body: { key: crypto.randomUUID(), item: props.item, by, view },
        headers,
      }),
    )
    await shelf.look()
  })
const remove = () =>
  attempt(async () => {
    await shelf.remove(shown.value!)
    await store.refresh()
  })
</script>

<template>
  <div class="bench" data-test="stock-bench">
    <h2>Stock</h2>
    <p class="faint">
      {{
        store.level?.stock.length
          ? `This level uses ${store.level.stock.length} items of the shelf.`
          : 'This level uses nothing of the shelf yet. Take what you want to plant.'
      }}
    </p>
    <p v-if="trouble || shelf.unread" class="over" role="alert" data-test="stock-trouble">
      {{ trouble || shelf.unread }}
    </p>
    <template v-if="shown">
      <h3>{{ shown.name }}</h3>
      <div class="picture">
        <ItemPicture
          :key="shown.picture"
          :picture="shown.picture"
          :name="shown.name"
          :item-scale="shown.scale"
          :scale="scale"
        />
      </div>
      <div class="do">
        <v-btn
          v-if="!mine"
          color="primary"
          variant="flat"
          :prepend-icon="mdiPlus"
          :disabled="!store.mayPlant"
          data-test="take"
          @click="emit('take', shown.slug)"
          >Take into this level</v-btn
        >
        <v-btn
          v-else
          color="primary"
          variant="flat"
          :prepend-icon="mdiSprout"
          :disabled="!store.mayPlant"
          data-test="begin-stand"
          @click="emit('stand', shown.slug)"
          >Begin a stand with it</v-btn
        >
        <v-btn
          v-if="mine && !stands.length"
          :prepend-icon="mdiTrayMinus"
          :disabled="!store.mayPlant"
          data-test="leave"
          @click="emit('leave', shown.slug)"
          >Leave out</v-btn
        >
      </div>
      <p>
        {{ metres(shown.height) }} high, crown radius {{ metres(shown.crown) }}, trunk radius
        {{ metres(shown.trunk) }}. {{ shown.group
        }}<template v-if="shown.tags.length">, {{ shown.tags.join(', ') }}</template
        >. Collider: {{ shown.traits.collider }}.
      </p>
      <StateTable :item="shown" />
      <FindingList :findings="shown.findings" :disabled="!mayChange || busy" @mend="mend" />
      <p v-if="shown.note" class="faint small">{{ shown.note }}</p>
      <p v-if="store.mayPlant && !shown.may_change" class="faint small" data-test="item-owner">
        It is {{ shown.owner }}’s: only they, a lead of theirs, or who looks after this installation may
        change it.
      </p>
      <div class="do">
        <v-btn
          size="small"
          :prepend-icon="mdiPencilOutline"
          :disabled="!mayChange"
          data-test="item-edit"
          @click="editing = true"
          >Edit …<v-tooltip activator="parent"
            >Size, footprint, anchors, collider, how it is drawn; its name and tags</v-tooltip
          ></v-btn
        >
        <v-btn
          size="small"
          :prepend-icon="mdiFileReplaceOutline"
          :disabled="!mayChange"
          data-test="item-replace"
          @click="replacing = true"
          >Replace its source …<v-tooltip activator="parent"
            >Another file for it; every plant of it in every level follows</v-tooltip
          ></v-btn
        >
        <v-btn size="small" :prepend-icon="mdiDownload" :href="shown.glb" :download="`${shown.slug}.glb`"
          >Its file</v-btn
        >
      </div>
      <template v-if="shown.used.length">
        <h3>Used in</h3>
        <ul class="used" data-test="used">
          <li v-for="u in shown.used" :key="u.level">
            <span
              ><b>{{ u.level }}</b> {{ u.stands.length ? u.stands.join(', ') : 'not planted'
              }}<span v-if="u.held" class="faint">, held at version {{ u.revision }}</span></span
            >
          </li>
        </ul>
        <div v-if="mine" class="do">
          <v-btn
            v-if="store.level?.role === 'lead'"
            size="small"
            :prepend-icon="mine.held ? mdiLockOpenOutline : mdiLockOutline"
            data-test="hold"
            @click="hold(!mine.held)"
          >
            {{ mine.held ? 'Let it follow the shelf' : 'Hold this version here' }}
            <v-tooltip activator="parent">{{
              mine.held
                ? 'This level takes over the version that the shelf has now'
                : 'This level keeps its version when the item is replaced or edited'
            }}</v-tooltip>
          </v-btn>
          <ItemPicker
            v-if="stands.length"
            :model-value="''"
            label="Exchange it here for …"
            :without="[item]"
            test="exchange-here"
            :disabled="!store.mayPlant"
            @update:model-value="exchange"
          />
        </div>
      </template>
      <template v-if="shown.versions.length > 1">
        <h3>Versions</h3>
        <ul class="used">
          <li v-for="v in shown.versions" :key="v.revision">
            <span class="number"
              >{{ v.revision }}. {{ v.what.replace(`${shown.name}: `, '')
              }}<span class="faint">, {{ day(v.at) }}{{ v.by ? `, ${v.by}` : '' }}</span></span
            >
            <span v-if="v.revision === shown.revision" class="faint">in use</span>
            <v-btn
              v-else
              size="x-small"
              :disabled="!mayChange || busy"
              :data-test="`version-${v.revision}`"
              @click="use(v.revision)"
              >Use it again</v-btn
            >
          </li>
        </ul>
      </template>
      <v-btn
        size="small"
        variant="text"
        :prepend-icon="mdiDeleteOutline"
        class="remove"
        :disabled="!mayChange || busy"
        data-test="item-remove"
        @click="remove"
        >Take it off the shelf</v-btn
      >
      <ItemEditor v-if="editing" :item="shown" @close="editing = false" />
      <ReplaceSource v-if="replacing" :item="shown" @close="replacing = false" />
      <ReplaceSource v-if="trying" :item="shown" :mend="trying" @close="trying = ''" />
    </template>
    <p v-else-if="!item" class="faint">Choose an item on the shelf to see what is known of it.</p>
    <v-snackbar :model-value="!!shelf.removed" :timeout="12000" @update:model-value="shelf.removed = null">
      {{ shelf.removed?.name }} was taken off the shelf.
      <template #actions
        ><v-btn variant="text" data-test="put-back" @click="attempt(shelf.putBack)"
          >Put it back</v-btn
        ></template
      >
    </v-snackbar>
  </div>
</template>

<style scoped>
.picture {
  display: grid;
  align-items: end;
  min-height: 110px;
  margin: 6px 0 10px;
}
.do {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px 0;
}
p {
  margin: 6px 0;
}
.small {
  font-size: 12.5px;
}
.used {
  list-style: none;
  margin: 0;
  padding: 0;
}
.used li {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
  padding: 2px 0;
}
.used .number {
  white-space: normal;
}
.remove {
  margin: 14px 0 0 -10px;
}
</style>

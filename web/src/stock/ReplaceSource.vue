<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { answer, api, type ItemDetail } from '../api/client'
import { amount, LINES, many, signed, whole } from '../budget/budget'
import { useBringIn } from './useBringIn'
import { newEdges } from '../sightline/distances'
import { useLevel } from '../level/level'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { useShelf } from './shelf'
import ItemView from './ItemView.vue'
import StateTable from './StateTable.vue'

/**
 * Another file for an item, or a mended copy of it: the old one and the new side by side, what it changes in
 * every level, then kept or dropped. Stands that plant it are offered the distances that its new states ask
 * for.
 */
const props = defineProps<{ item: ItemDetail; mend?: string }>()
const emit = defineEmits<{ close: [] }>()
const shelf = useShelf()
const store = useLevel()
const {
  batch,
  options,
  sent,
  sending,
  busy,
  trouble: unread,
  send,
  sendMended,
  again,
  drop,
} = useBringIn(() => 'meshes')
const thing = computed(() => batch.value?.things.find((t) => !t.refused))
const refused = computed(() => batch.value?.things.find((t) => t.refused)?.refused)
/** Both are looked at at the scale at which the larger one is seen whole. */
const frame = computed(() =>
  thing.value
    ? {
        height: Math.max(props.item.height, thing.value.height),
        reach: Math.max(props.item.crown, thing.value.crown),
      }
    : undefined,
)
onMounted(() => {
  if (props.mend) void sendMended(props.item.slug, props.item.revision, props.mend)
})
/** Stands of this level whose edges lie elsewhere for the new states, and which of them take these. */
const offered = computed(() =>
  thing.value ? newEdges(store.stands, store.level!.stock, props.item.slug, thing.value.distances) : [],
)
const taking = ref<number[]>([])
watch(offered, (those) => (taking.value = those.map((o) => o.stand.id)))
const edges = (d: { steps: number[]; billboard: number }) =>
  [...new Set([...d.steps, d.billboard])].map((m) => Math.round(m)).join(' · ')
const against = () => ({ item: props.item.slug, batch: batch.value!.id, thing: thing.value!.id })
const { data: found, trouble: unknown } = useServer(
  () => [
    'against',
    props.item.slug,
    props.item.revision,
    batch.value?.id,
    batch.value?.state,
    thing.value?.id,
  ],
  (signal) => api.GET('/api/shelf/{item}/against/{batch}/{thing}', { params: { path: against() }, signal }),
  { enabled: () => !!thing.value && !busy.value },
)
const { trouble: refusedToKeep, busy: working, attempt } = useAttempt()
const trouble = computed(() => unread.value || refusedToKeep.value || unknown.value)
const chosen = (next: File[] | File) => {
  const list = Array.isArray(next) ? next : [next]
  if (list.length) void send(list)
}
const keep = () =>
  attempt(async () => {
    await shelf.changed(
      answer(
        api.POST('/api/shelf/{item}/replace', {
          params: { path: { item: props.item.slug } },
          body: { revision: props.item.revision, batch: batch.value!.id, thing: thing.value!.id },
        }),
      ),
    )
    const wanted = offered.value.filter((o) => taking.value.includes(o.stand.id))
    await store.refresh()
    if (wanted.length) {
      await store.keepSeveral(
        wanted.map(({ stand, distances }) => ({ stand, settings: { distances }, was: {} })),
        null,
      )
    }
    emit('close')
  })
function leave() {
  drop()
  emit('close')
}
const same = computed(() => options.value.height === null)
/** As high as the old one, or as the file has it. */
function size(keepHeight: boolean) {
  options.value.height = keepHeight ? +props.item.height.toFixed(3) : null
  void again()
}
</script>

<template>
  <v-dialog :model-value="true" max-width="1080" aria-label="Replace the source" persistent scrollable>
    <v-card class="replace" data-test="replace">
      <h2>{{ mend ? `${item.name}, with its materials merged` : `Another source for ${item.name}` }}</h2>
      <v-file-input
        v-if="!mend"
        multiple
        label="Its new file, with what belongs to it"
        accept=".glb,.gltf,.bin,.obj,.mtl,.png,.jpg,.jpeg,.webp,.zip"
        hide-details
        data-test="replace-files"
        @update:model-value="chosen"
      />
      <p v-if="trouble || refused" class="over" role="alert">{{ trouble || refused }}</p>
      <template v-if="busy">
        <v-progress-linear
          :model-value="(sending ? sent : (batch?.share ?? 0)) * 100"
          color="primary"
          aria-label="Reading the file"
        />
        <p class="faint">{{ sending ? 'Sending the files' : batch?.step || 'Waiting' }} …</p>
      </template>
      <div v-if="thing && !busy" class="sides">
        <section>
          <h3>As it is</h3>
          <ItemView
            :frame="frame"
            :glb="item.glb"
            :crown="item.crown"
            :trunk="item.trunk"
            :anchors="item.anchors"
          />
          <StateTable :item="item" />
        </section>
        <section>
          <h3>As it would be</h3>
          <ItemView
            :frame="frame"
            :glb="thing.glb"
            :crown="thing.crown"
            :trunk="thing.trunk"
            :anchors="thing.anchors"
          />
          <StateTable :item="thing" />
          <v-checkbox
            v-if="!mend"
            :model-value="!same"
            :label="`as high as the old one, ${item.height.toFixed(2)} m`"
            @update:model-value="size(!!$event)"
          />
        </section>
      </div>
      <section v-if="thing && !busy" class="levels" data-test="replaced-levels">
        <p v-if="!found" class="faint">Calculating what it changes in the levels that use it …</p>
        <p v-else-if="!found.length" class="faint">No level uses it.</p>
        <template v-for="l in found ?? []" :key="l.level">
          <p>
            <b>{{ l.level }}</b><span v-if="l.held" class="faint"
              >, which holds its own version: nothing changes there</span
            >
            <template v-else
              >: <span :class="{ over: l.lost }">{{ many(l.lost, 'plant loses', 'plants lose') }} room</span>,
              {{ whole(l.gained) }} find room</template
            >
          </p>
          <v-table v-if="!l.held && l.views.length" density="compact" class="number">
            <thead>
              <tr>
                <th>View</th>
                <th v-for="line in LINES" :key="line.name" class="n">{{ line.label }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="v in l.views" :key="v.name">
                <td>{{ v.name }}</td>
                <td v-for="line in LINES" :key="line.name" class="n">
                  {{ signed(amount(line.name, v.change[line.name]!), v.change[line.name]!) }}
                </td>
              </tr>
            </tbody>
          </v-table>
        </template>
      </section>
      <section v-if="offered.length && !busy" data-test="new-edges">
        <h3>Distances in this level</h3>
        <p class="faint small">
          The new states look like the full mesh to within two pixels from other distances than the old ones.
          Stands that are ticked take them, as an action of its own.
        </p>
        <v-checkbox
          v-for="o in offered"
          :key="o.stand.id"
          v-model="taking"
          :value="o.stand.id"
          :label="`${o.stand.name}: ${edges(o.stand.settings.distances)} m → ${edges(o.distances)} m`"
          hide-details
        />
      </section>
      <div class="foot">
        <span class="faint small">Every plant keeps its place. One undo takes it back everywhere.</span>
        <v-btn variant="text" @click="leave">Cancel</v-btn>
        <v-btn
          color="primary"
          variant="flat"
          :loading="working"
          :disabled="busy || !thing"
          data-test="replace-keep"
          @click="keep"
          >Replace it</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.replace {
  padding: 18px 24px 16px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  max-height: 92vh;
  overflow-y: auto;
}
h2,
p {
  margin: 0;
}
.sides {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(360px, 1fr));
  gap: 18px;
}
.sides :deep(.item-view) {
  min-height: 280px;
}
.v-table {
  background: transparent;
  font-size: 13px;
}
.v-table :is(th, td) {
  padding: 0 6px !important;
  height: 26px !important;
}
.n {
  text-align: right !important;
}
.foot {
  position: sticky;
  bottom: -16px;
  padding-bottom: 12px;
  background: var(--sheet);
  display: flex;
  justify-content: end;
  align-items: center;
  gap: 10px;
  border-top: 1px solid var(--ink);
  padding-top: 10px;
}
.foot span {
  flex: 1;
}
.small {
  font-size: 12.5px;
}
</style>

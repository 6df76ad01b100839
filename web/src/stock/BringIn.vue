<script setup lang="ts">
import { mdiFolderOpenOutline } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import { useBringIn, type Source } from './useBringIn'
import { useShelf } from './shelf'
import { useLevel } from '../level/level'
import FindingList from './FindingList.vue'
import ItemPicture from '../shared/ItemPicture.vue'
import ItemView from './ItemView.vue'
import NumberField from '../shared/NumberField.vue'
import StateTable from './StateTable.vue'
import { CardsInBounds, ImportRequestBounds } from '../api/bounds'

/**
 * Bring one's own meshes, or grass from pictures, to the shelf: nothing is kept before it has been looked
 * at.
 */
const props = defineProps<{ source: Source }>()
const emit = defineEmits<{ kept: [slugs: string[]]; close: [] }>()
const {
  batch,
  choices,
  options,
  cards,
  sent,
  sending,
  busy,
  trouble,
  wanted,
  send,
  again,
  mend,
  keep,
  drop,
} = useBringIn(() => props.source)
const shelf = useShelf()
const store = useLevel()
const files = ref<File[] | File>([])
const shown = ref(0)
const UNITS = [
  { value: null, title: 'guessed from the size' },
  { value: 'm', title: 'metres' },
  { value: 'cm', title: 'centimetres' },
  { value: 'mm', title: 'millimetres' },
  { value: 'in', title: 'inches' },
  { value: 'ft', title: 'feet' },
]
const UPS = [
  { value: null, title: 'guessed' },
  { value: 'y', title: 'y is up' },
  { value: 'z', title: 'z is up' },
]
const LODS = [0, 1, 2, 3, 4].map((n) => ({ value: n, title: n ? `make ${n}` : 'make none' }))
const COARSE = [0.5, 0.3, 0.15].map((n) => ({ value: n, title: `each ${Math.round(n * 100)} % of the last` }))
const BILLBOARDS = [
  { value: 'facing', title: 'one card that faces the eye' },
  { value: 'crossed', title: 'two crossed cards' },
  { value: 'three crossed', title: 'three crossed cards' },
  { value: 'none', title: 'none' },
]
const ROWS = [
  { value: null, title: 'by its distance' },
  ...[64, 128, 256, 512].map((n) => ({ value: n, title: `${n} pixels high` })),
]
const KINDS = [
  { value: 'tuft', title: 'a tuft of bent cards' },
  { value: 'crossed', title: 'crossed cards' },
  { value: 'facing', title: 'one card that faces the eye' },
]
const things = computed(() => batch.value?.things ?? [])
const thing = computed(
  () => things.value.find((t) => t.id === shown.value && !t.refused) ?? things.value.find((t) => !t.refused),
)
const soil = computed(() => store.level?.layers[0]?.colour ?? '#9aa06e')
watch(things, () => (shown.value = thing.value?.id ?? 0))
const chosen = (next: File[] | File) => {
  const list = Array.isArray(next) ? next : [next]
  if (list.length) void send(list)
}
async function put() {
  const slugs = await keep()
  if (slugs) emit('kept', slugs)
}
function leave() {
  drop()
  emit('close')
}
const metres = (m: number) => (m < 1 ? `${Math.round(m * 100)} cm` : `${m.toFixed(2)} m`)
</script>

<template>
  <section class="bring" data-test="bring-in">
    <p class="faint">
      <template v-if="source === 'meshes'"
        >glTF (.glb, or .gltf with what belongs to it), OBJ with its materials and images, or a zip of these;
        several things at once if you like. Files whose names end in “lod” and a number become one
        thing.</template
      >
      <template v-else
        >A PNG or WebP picture of grass, leaves or flowers on a see-through background. Several variants may
        lie in it, one above another.</template
      >
    </p>
    <div class="pick">
      <v-file-input
        v-model="files"
        multiple
        :label="source === 'meshes' ? 'Files' : 'Pictures'"
        :accept="source === 'meshes' ? '.glb,.gltf,.bin,.obj,.mtl,.png,.jpg,.jpeg,.webp,.zip' : '.png,.webp'"
        hide-details
        data-test="bring-files"
        @update:model-value="chosen"
      />
      <v-file-input
        v-if="source === 'meshes'"
        multiple
        webkitdirectory
        label="Or a whole folder"
        :prepend-icon="mdiFolderOpenOutline"
        hide-details
        data-test="bring-folder"
        @update:model-value="chosen"
      />
    </div>
    <div v-if="source === 'meshes'" class="options">
      <v-select
        v-model="options.unit"
        :items="UNITS"
        label="Unit"
        hide-details
        data-test="bring-unit"
        @update:model-value="again"
      />
      <v-select
        v-model="options.up"
        :items="UPS"
        label="Upright axis"
        hide-details
        @update:model-value="again"
      />
      <v-select
        v-model="options.lods"
        :items="LODS"
        label="LODs, where it has none"
        hide-details
        data-test="bring-lods"
        @update:model-value="again"
      />
      <v-select
        v-model="options.coarse"
        :items="COARSE"
        label="Triangles"
        :disabled="!options.lods"
        hide-details
        @update:model-value="again"
      />
      <v-select
        v-model="options.billboard"
        :items="BILLBOARDS"
        label="Billboard"
        hide-details
        data-test="bring-billboard"
        @update:model-value="again"
      />
      <v-select
        v-model="options.rows"
        :items="ROWS"
        label="Its picture"
        :disabled="options.billboard === 'none'"
        hide-details
        @update:model-value="again"
      />
      <v-checkbox v-model="options.grounded" label="Foot on the ground line" @update:model-value="again" />
    </div>
    <div v-else class="options">
      <v-select
        v-model="cards.kind"
        :items="KINDS"
        label="Becomes"
        hide-details
        data-test="cards-kind"
        @update:model-value="again"
      />
      <NumberField
        inside
        :value="cards.width"
        label="Width"
        :bounds="CardsInBounds.width"
        late
        @change="((cards.width = $event), again())"
      />
      <NumberField
        inside
        :value="cards.height"
        label="Height"
        :bounds="CardsInBounds.height"
        test="cards-height"
        late
        @change="((cards.height = $event), again())"
      />
      <NumberField
        inside
        v-if="cards.kind !== 'facing'"
        :value="cards.count"
        label="Cards"
        :bounds="CardsInBounds.count"
        :digits="0"
        late
        @change="((cards.count = $event), again())"
      />
      <NumberField
        inside
        v-if="cards.kind === 'tuft'"
        :value="cards.bend"
        label="Bend"
        :bounds="CardsInBounds.bend"
        :digits="0"
        late
        @change="((cards.bend = $event), again())"
      />
      <NumberField
        inside
        :value="cards.rows"
        label="Variants, one above another"
        :bounds="CardsInBounds.rows"
        :digits="0"
        test="cards-rows"
        late
        @change="((cards.rows = $event), again())"
      />
    </div>
    <p v-if="trouble" class="over" role="alert" data-test="bring-trouble">{{ trouble }}</p>
    <template v-if="busy">
      <v-progress-linear
        :model-value="(sending ? sent : (batch?.share ?? 0)) * 100"
        color="primary"
        aria-label="Reading the files"
      />
      <p class="faint">{{ sending ? 'Sending the files' : batch?.step || 'Waiting' }} …</p>
    </template>
    <p
      v-for="t in things.filter((t) => t.refused)"
      :key="t.id"
      class="over"
      role="alert"
      :data-test="`thing-${t.name}`"
    >
      <b>{{ t.name }}</b> {{ t.refused }}
    </p>
    <div v-if="!busy && thing" class="found">
      <ul
        v-if="things.filter((t) => !t.refused).length > 1"
        class="things"
        aria-label="Things that were found"
      >
        <li v-for="t in things.filter((t) => !t.refused)" :key="t.id">
          <v-checkbox v-if="choices[t.id]" v-model="choices[t.id]!.keep" :aria-label="`Keep ${t.name}`" />
          <v-btn
            variant="text"
            class="thing"
            :active="t.id === thing.id"
            :data-test="`show-${t.name}`"
            @click="shown = t.id"
          >
            <ItemPicture
              :picture="t.picture"
              :name="t.name"
              :item-scale="t.scale"
              :scale="Math.min(54 / Math.max(t.height, 0.1), 40 / Math.max(t.crown, 0.1))"
              :pole="false"
            />
            {{ choices[t.id]?.name ?? t.name }}
          </v-btn>
        </li>
      </ul>
      <ItemView
        :glb="thing.glb"
        :crown="thing.crown"
        :trunk="thing.trunk"
        :anchors="thing.anchors"
        :ground="soil"
      />
      <div v-if="choices[thing.id]" class="about" :data-test="`thing-${thing.name}`">
        <v-text-field
          v-model="choices[thing.id]!.name"
          label="Name"
          hide-details
          :data-test="`thing-name-${thing.name}`"
        />
        <div class="two">
          <v-combobox
            v-model="choices[thing.id]!.group"
            :items="shelf.groups"
            label="Group"
            maxlength="40"
            hide-details
          />
          <v-combobox
            v-model="choices[thing.id]!.tags"
            :items="shelf.tags"
            multiple
            chips
            closable-chips
            label="Tags"
            hide-details
          />
        </div>
        <v-text-field
          v-model="choices[thing.id]!.note"
          label="Where it came from, its licence"
          hide-details
        />
        <div v-if="source === 'meshes'" class="two">
          <p class="number">
            {{ metres(thing.height) }} tall<template v-if="thing.unit !== 'm'"
              >, read in {{ thing.unit }}</template
            ><br />
            crown {{ metres(thing.crown) }}, trunk {{ metres(thing.trunk) }}
          </p>
          <NumberField
            inside
            :value="options.height"
            label="Scale it to a height of"
            :bounds="ImportRequestBounds.height"
            late
            @change="((options.height = $event), again())"
          />
        </div>
        <StateTable :item="thing" />
        <p v-for="n in thing.notes" :key="n" class="faint">{{ n }}</p>
        <FindingList :findings="thing.findings" @mend="mend(thing.id, $event)" />
      </div>
    </div>
    <div class="foot">
      <v-btn variant="text" data-test="bring-drop" @click="leave">Cancel</v-btn>
      <v-btn
        color="primary"
        variant="flat"
        :disabled="busy || !wanted.length"
        data-test="bring-keep"
        @click="put"
        >Put {{ wanted.length > 1 ? `${wanted.length} things` : 'it' }} on the shelf</v-btn
      >
    </div>
  </section>
</template>

<style scoped>
.bring {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
p {
  margin: 0;
}
.pick {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 10px;
  align-items: center;
}
.options {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
  gap: 10px;
  align-items: center;
}
.found {
  display: grid;
  grid-template-columns: auto minmax(260px, 1fr) minmax(380px, 1.15fr);
  gap: 14px;
}
.found > :deep(.item-view) {
  min-height: 380px;
  grid-column: -3 / -2;
}
.things {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 420px;
  overflow-y: auto;
}
.things li {
  display: flex;
  align-items: center;
}
.thing {
  height: auto !important;
  min-height: 62px;
}
.thing :deep(.v-btn__content) {
  display: grid;
  justify-items: center;
  max-width: 100px;
  white-space: normal;
  font-size: 12.5px;
}
.about {
  display: grid;
  gap: 8px;
  align-content: start;
  grid-column: -2 / -1;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.foot {
  display: flex;
  justify-content: end;
  gap: 10px;
  border-top: 1px solid var(--ink);
  padding-top: 10px;
}
@media (max-width: 900px) {
  .found {
    grid-template-columns: 1fr;
  }
}
</style>

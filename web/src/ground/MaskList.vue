<script setup lang="ts">
import {
  mdiBrush,
  mdiDeleteOutline,
  mdiEyedropper,
  mdiEyeOutline,
  mdiPencilOutline,
  mdiPlus,
  mdiRefresh,
  mdiUpload,
} from '@mdi/js'
import { onScopeDispose, ref } from 'vue'
import { answer, api, type Changed, type Mask, type MaskSource } from '../api/client'
import { upload } from '../api/upload'
import { KINDS } from '../api/kinds'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ColourMask from './ColourMask.vue'
import MaskMaker from './MaskMaker.vue'
import TouchUp from './TouchUp.vue'
import { useTouchUp } from './touchUp'
import { useMasks } from './masks'
import { useAttempt } from '../shared/useAttempt'

/** The level's mask images: brought in, made from the level, named, looked at, made again and removed. */
const store = useLevel()
const masks = useMasks()
const touchUp = useTouchUp()
const file = ref<File | null>(null)
/** Of one that is brought in; that of one there is has it replaced. */
const broughtName = ref('')
const { trouble, attempt } = useAttempt()
const making = ref(false)
const picking = ref(false)
const naming = ref<string | null>(null)
const name = ref('')
/** The mask image whose brush is open. */
const painting = ref('')
function paint(m: Mask) {
  painting.value = painting.value === m.name ? '' : m.name
  if (touchUp.mask) touchUp.verb = null
  if (painting.value && masks.shown !== m.name) void masks.look({ name: m.name })
}
onScopeDispose(() => {
  masks.hide()
  if (touchUp.mask) touchUp.verb = null
})

const FROM: Record<MaskSource['made_from'], string> = {
  values: '',
  suitability: 'what suits a stand',
  basins: 'drainage basins',
  rivers: 'rivers',
  'river distance': 'distance to rivers',
}
const madeFrom = (source: MaskSource) =>
  FROM[source.made_from] || KINDS[source.conditions[0]!.kind].label.toLowerCase()
const size = (m: Mask) => `${whole(m.columns)} × ${whole(m.rows)}, ${m.bits} bits`
const about = (m: Mask) =>
  [
    size(m),
    m.source && `made from ${madeFrom(m.source)}`,
    m.painted && 'painted over',
    m.source?.automatic && 'made again by itself',
  ]
    .filter(Boolean)
    .join('; ')

async function bring(picked: File | File[] | null) {
  const given = Array.isArray(picked) ? picked[0] : picked
  if (!given) return
  const form = new FormData()
  form.set('key', crypto.randomUUID())
  form.set('name', broughtName.value.trim() || given.name.replace(/\.[^.]+$/, '').slice(0, 40))
  form.set('file', given)
  await attempt(async () => void store.take(await upload<Changed>(`/levels/${store.slug}/masks`, form)))
  file.value = null
  broughtName.value = ''
}
const one = (m: Mask) => ({ path: { slug: store.slug, name: m.name } })
const remove = (m: Mask) =>
  attempt(async () => {
    const params = { ...one(m), query: { key: crypto.randomUUID() } }
    store.take(await answer(api.DELETE('/api/levels/{slug}/masks/{name}', { params })))
  })
const byItself = (m: Mask, automatic: boolean | null) => again(m, !!automatic)
const again = (m: Mask, automatic = m.source!.automatic) =>
  attempt(async () => {
    const body = {
      key: crypto.randomUUID(),
      name: m.name,
      source: { ...m.source!, automatic },
      view: store.seen,
    }
    store.take(
      await answer(api.POST('/api/levels/{slug}/made-masks', { ...store.here(), body })),
      undefined,
      store.seen,
    )
  })
const rename = (m: Mask) =>
  attempt(async () => {
    const to = name.value.trim()
    naming.value = null
    if (!to || to === m.name) return
    const body = { key: crypto.randomUUID(), to, view: null }
    store.take(await answer(api.POST('/api/levels/{slug}/masks/{name}/rename', { params: one(m), body })))
  })
const begin = (m: Mask) => ((naming.value = m.name), (name.value = m.name))
const see = (m: Mask) => (masks.shown === m.name ? masks.hide() : void masks.look({ name: m.name }))
</script>

<template>
  <ul class="masks">
    <li v-for="m in store.masks" :key="m.name" :data-test="`mask-${m.name}`">
      <v-text-field
        v-if="naming === m.name"
        v-model="name"
        autofocus
        label="Name"
        maxlength="40"
        hide-details
        data-test="mask-rename"
        @keydown.enter="rename(m)"
        @keydown.esc.stop="naming = null"
        @blur="rename(m)"
      />
      <span v-else class="name">
        {{ m.name }}<br />
        <span class="faint number">{{ about(m) }}</span>
        <template v-if="!m.current"
          ><br /><span class="over">What it is made from has changed.</span></template
        >
      </span>
      <span class="tools">
        <ActionButton
          variant="text"
          size="x-small"
          :icon="mdiEyeOutline"
          :on="masks.shown === m.name"
          :tip="`Lay ${m.name} over the ground`"
          :data-test="`mask-see-${m.name}`"
          @click="see(m)"
        />
        <template v-if="store.mayPlant">
          <ActionButton
            variant="text"
            size="x-small"
            :icon="mdiBrush"
            :on="painting === m.name"
            :tip="`Paint ${m.name}`"
            :data-test="`mask-paint-${m.name}`"
            @click="paint(m)"
          />
          <ActionButton
            v-if="m.source"
            variant="text"
            size="x-small"
            :icon="mdiRefresh"
            :tip="`Make ${m.name} again from the level as it is now`"
            :data-test="`mask-again-${m.name}`"
            @click="again(m)"
          />
          <ActionButton
            variant="text"
            size="x-small"
            :icon="mdiPencilOutline"
            :tip="`Give ${m.name} another name`"
            :data-test="`mask-name-${m.name}`"
            @click="begin(m)"
          />
          <ActionButton
            variant="text"
            size="x-small"
            :icon="mdiDeleteOutline"
            :tip="`Remove ${m.name}`"
            @click="remove(m)"
          />
        </template>
      </span>
      <div v-if="painting === m.name" class="below">
        <TouchUp :mask="m.name" />
        <v-checkbox
          v-if="m.source"
          label="made again by itself when the level changes"
          :model-value="m.source.automatic"
          :data-test="`mask-automatic-${m.name}`"
          @update:model-value="byItself(m, $event)"
        />
      </div>
    </li>
  </ul>
  <p v-if="!store.masks.length" class="faint">
    None. A greyscale picture, stretched over the level, can be a site condition; it is brought in, or made
    here from the ground, from conditions, or from colours of a picture.
  </p>
  <p v-if="trouble || (!making && masks.trouble)" class="over" role="alert" data-test="masks-trouble">
    {{ trouble || masks.trouble }}
  </p>
  <template v-if="store.mayPlant && !making">
    <div class="ways">
      <v-btn size="small" :prepend-icon="mdiPlus" data-test="mask-make" @click="making = true"
        >Make one …</v-btn
      >
      <v-btn size="small" :prepend-icon="mdiEyedropper" data-test="mask-colours" @click="picking = true"
        >From colours …</v-btn
      >
    </div>
    <div class="two">
      <v-text-field
        v-model="broughtName"
        label="Name"
        placeholder="the file’s"
        persistent-placeholder
        maxlength="40"
        hide-details
        data-test="mask-name"
      />
      <v-file-input
        v-model="file"
        label="Bring one in"
        accept=".png,.tif,.tiff"
        prepend-icon=""
        :prepend-inner-icon="mdiUpload"
        hide-details
        data-test="mask-file"
        @update:model-value="bring"
      />
    </div>
  </template>
  <MaskMaker v-if="making" @close="making = false" />
  <v-dialog v-model="picking" max-width="860" aria-label="A mask image from colours">
    <ColourMask v-if="picking" @close="picking = false" />
  </v-dialog>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: start;
  gap: 6px;
  padding: 3px 0;
}
.name .number {
  white-space: normal;
}
.name {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
.tools {
  display: flex;
  flex: none;
}
.below {
  flex: 0 0 100%;
  border-left: 2px solid var(--line);
  padding: 0 0 4px 8px;
}
.two {
  display: grid;
  grid-template-columns: 2fr 3fr;
  gap: 8px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 6px 0;
}
p {
  margin: 4px 0;
}
</style>

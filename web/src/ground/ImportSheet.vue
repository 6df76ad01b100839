<script setup lang="ts">
import { mdiClose, mdiFolderOpenOutline, mdiStop } from '@mdi/js'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answer, api, type Import, type ImportOptions } from '../api/client'
import { upload } from '../api/upload'
import { amount, LINES, signed, whole } from '../budget/budget'
import type { Frame } from '../shared/frame'
import { useLevel } from '../level/level'
import ActionButton from '../shared/ActionButton.vue'
import ChoiceField from '../shared/ChoiceField.vue'
import FrameField from './FrameField.vue'
import NumberField from '../shared/NumberField.vue'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { DraftOptionsBounds, MadeInBounds } from '../api/bounds'

/**
 * Bring heights or ground layers in: look at them, say what the file does not, see what would change, keep
 * or drop.
 */
const props = defineProps<{
  kind: 'heights' | 'layers'
  level: string
  title?: string
  /** Ground that is made here, in place of a file: the draft of it, null until there is one. */
  made?: Import | null
  /** Whether it is being made again. */
  making?: boolean
}>()
const emit = defineEmits<{ kept: [level: string]; close: [] }>()
const store = useLevel()
/** The draft that is in hand. */
const id = ref('')
const isOpen = ({ state, level, forecast }: Import) =>
  state === 'reading' || state === 'keeping' || (state === 'ready' && !!level && !forecast)
const asked = useServer(
  () => ['import', id.value],
  (signal) => api.GET('/api/drafts/{draft}', { params: { path: { draft: id.value } }, signal }),
  { enabled: () => !!id.value, every: (now) => !!now && isOpen(now) && 400, fixed: true },
)
const draft = computed(() => (id.value && asked.data.value) || null)
const none = (): ImportOptions => ({
  cell: null,
  low: null,
  high: null,
  width: null,
  big_endian: null,
  names: null,
  frame: null,
  stretch: false,
})
const options = ref(none())
function begin(next: Import | null): void {
  options.value = none()
  id.value = next?.id ?? ''
  if (next) asked.put(next)
}
watch(
  () => props.made,
  (made) => begin(made ?? null),
)
const { trouble: refusal, attempt } = useAttempt()
const trouble = computed(() => refusal.value || asked.trouble.value || draft.value?.trouble)
const sent = ref(0)
const sending = ref(false)
const name = ref('')
const turn = ref(0)
/** Whether what is typed has not reached the server yet. */
const unsaid = ref(false)
let timer = 0

const busy = computed(
  () => sending.value || draft.value?.state === 'reading' || draft.value?.state === 'keeping',
)
/** What was found in the draft; while it is read again, under other options, what was found last: no field
 * goes from under a hand
 * that types into it. */
const found = shallowRef<Import['found']>(null)
watch(draft, (now, was) => {
  if (now?.found || now?.id !== was?.id) found.value = now?.found ?? null
})
const working = computed(
  () => draft.value?.state === 'ready' && draft.value.level && !draft.value.forecast && draft.value.share > 0,
)
const refused = computed(() => draft.value?.forecast?.stands.some((s) => s.refused) ?? false)
/** Why it cannot be kept yet. */
const why = computed(() => {
  if (busy.value || props.making || unsaid.value) return 'it is still being read'
  if (draft.value?.state !== 'ready') return 'nothing has been read yet'
  if (refused.value) return 'a stand would be lost; see above'
  return props.level === '' && name.value.trim() === '' ? 'give the level a name' : ''
})
const FORMS = [
  { value: 'crop', title: 'cropped by a frame' },
  { value: 'stretch', title: 'stretched to it' },
] as const
/** Width over length of the level that layers are brought into. */
const form = computed(() => {
  const l = store.level
  return l ? l.columns / l.rows : 1
})
const ORDERS = [
  { value: false, title: 'least significant first' },
  { value: true, title: 'most significant first' },
]
const labelOf = (label: string, what: string) =>
  found.value?.says.includes(what) ? `${label}, as the file says` : label
const bars = computed(() => {
  const h = found.value?.histogram
  if (!h) return []
  const most = Math.sqrt(Math.max(...h.counts))
  return h.counts.map((c, k) => ({ x: k, h: (Math.sqrt(c) / most) * 44 }))
})

const picked = shallowRef<File[]>([])
async function choose(chosen: File | File[] | null) {
  const files = Array.isArray(chosen) ? chosen : chosen ? [chosen] : []
  if (!files.length) return
  picked.value = files
  const form = new FormData()
  form.set('kind', props.kind)
  form.set('level', props.level)
  form.set('options', '{}')
  for (const f of files) form.append('files', f)
  sending.value = true
  unsaid.value = false
  window.clearTimeout(timer)
  // The options of the last file are not those of this one.
  forget()
  begin(null)
  await attempt(async () => begin(await upload<Import>('/drafts', form, (share) => (sent.value = share))))
  sending.value = false
}
watch(draft, (next, last) => {
  if (!next) return
  if (next.found && (last?.state !== next.state || last?.id !== next.id)) turn.value++
  const f = next.found
  if (f && props.kind === 'heights') {
    const o = options.value
    options.value = {
      ...o,
      cell: o.cell ?? f.cell,
      low: o.low ?? f.low,
      high: o.high ?? f.high,
      width: f.raw ? f.width : null,
      big_endian: f.raw ? f.big_endian : null,
    }
  }
  if (f && props.kind === 'layers' && !options.value.names?.length)
    options.value = { ...options.value, names: f.names.slice() }
  if (next.state === 'kept' && last?.state !== 'kept') emit('kept', next.level!)
})

function say(part: Partial<ImportOptions>) {
  options.value = { ...options.value, ...part }
  window.clearTimeout(timer)
  unsaid.value = true
  timer = window.setTimeout(() => void again(), 350)
}
async function again() {
  const mine = timer
  const one = { params: { path: { draft: id.value } } }
  if (id.value) await take(answer(api.PUT('/api/drafts/{draft}', { ...one, body: options.value })))
  if (mine === timer) unsaid.value = false
}
function rename(k: number, to: string) {
  say({ names: (options.value.names ?? []).map((n, i) => (i === k ? to : n)) })
}
/** Take over the draft as a change of it gives it back; not one that is in hand no longer. */
const take = (changed: Promise<Import>) =>
  attempt(async () => {
    const next = await changed
    if (next.id === id.value) asked.put(next)
  })
function act(what: 'keep' | 'stop') {
  const one = { params: { path: { draft: id.value } } }
  const body = { key: crypto.randomUUID(), name: name.value }
  return take(
    answer(
      what === 'keep'
        ? api.POST('/api/drafts/{draft}/keep', { ...one, body })
        : api.POST('/api/drafts/{draft}/stop', one),
    ),
  )
}
/** Let the draft go, unless it is kept. */
function forget() {
  if (!draft.value || draft.value.state === 'kept' || draft.value.state === 'keeping') return
  void answer(api.DELETE('/api/drafts/{draft}', { params: { path: { draft: id.value } } })).catch(() => {})
}
function leave() {
  forget()
  emit('close')
}
onBeforeUnmount(() => window.clearTimeout(timer))

const percent = (v: number) => `${(v * 100).toFixed(v < 0.1 ? 1 : 0)} %`
const changes = computed(() =>
  (draft.value?.forecast?.views ?? []).map((v) => ({
    name: v.name,
    parts: LINES.map((l) => ({
      label: l.label.toLowerCase(),
      value: v.change[l.name] ?? 0,
      text: signed(amount(l.name, v.change[l.name] ?? 0), v.change[l.name] ?? 0),
    })).filter((p) => Math.abs(p.value) >= 0.005),
  })),
)
</script>

<template>
  <div class="sheet" data-test="import">
    <div class="head">
      <h2>{{ title ?? (kind === 'heights' ? 'Bring in heights' : 'Bring in ground layers') }}</h2>
      <v-btn :icon="mdiClose" variant="text" aria-label="Close" @click="leave" />
    </div>
    <slot />
    <v-file-input
      v-if="made === undefined"
      :model-value="picked"
      :label="kind === 'heights' ? 'Choose a file' : 'Choose files'"
      :multiple="kind === 'layers'"
      :accept="kind === 'heights' ? '.png,.tif,.tiff,.npy,.raw,.r16,.bin,.glb,.gltf,.obj' : '.png,.tif,.tiff'"
      prepend-icon=""
      :prepend-inner-icon="mdiFolderOpenOutline"
      :hint="
        kind === 'heights'
          ? '16-bit PNG, GeoTIFF, NumPy .npy, raw 16 bit, or a mesh (glTF, OBJ); up to 4 097 values a side'
          : 'PNG or GeoTIFF: each channel is a layer; several files together if you like'
      "
      persistent-hint
      :clearable="false"
      :disabled="sending"
      class="pick"
      data-test="import-file"
      @update:model-value="choose"
    />
    <p v-if="trouble" class="over" role="alert" data-test="import-trouble">
      {{ trouble }}
    </p>
    <div v-if="busy || working" class="progress" data-test="import-progress">
      <span>{{ sending ? 'Sending the file' : draft?.step || 'Reading' }} …</span>
      <v-progress-linear
        :model-value="(sending ? sent : (draft?.share ?? 0)) * 100"
        color="primary"
        aria-label="How far it is"
      />
      <v-btn v-if="draft && !sending" :prepend-icon="mdiStop" data-test="import-stop" @click="act('stop')"
        >Stop</v-btn
      >
    </div>

    <div v-if="draft && found" class="found">
      <figure>
        <FrameField
          v-if="found.other_form && found.frame"
          :src="`/api/drafts/${draft.id}/preview.png?whole=true&${draft.id}`"
          :picture="found.columns / found.rows"
          :form="form"
          :frame="(options.frame ?? found.frame) as Frame"
          @change="say({ frame: $event })"
        />
        <img
          v-else
          :src="`/api/drafts/${draft.id}/preview.png?${turn}`"
          :alt="kind === 'heights' ? 'Relief of what was read' : 'The layers that were read'"
          @error="($event.target as HTMLElement).style.visibility = 'hidden'"
          @load="($event.target as HTMLElement).style.visibility = ''"
          data-test="import-picture"
        />
        <svg v-if="bars.length" viewBox="0 0 64 46" preserveAspectRatio="none">
          <rect v-for="b in bars" :key="b.x" :x="b.x" :y="46 - b.h" width="0.86" :height="b.h" />
        </svg>
        <figcaption v-if="found.histogram" class="faint number">
          {{
            found.wanted
              ? 'steps of the file'
              : `${found.lowest?.toFixed(1)} m to ${found.highest?.toFixed(1)} m`
          }}
        </figcaption>
      </figure>
      <div>
        <p class="number" data-test="import-numbers">
          <b>{{ found.kind }}</b>, {{ whole(found.columns) }} × {{ whole(found.rows) }} values<template
            v-if="found.cell && kind === 'heights'"
            >: {{ whole((found.columns - 1) * found.cell) }} m ×
            {{ whole((found.rows - 1) * found.cell) }} m</template
          >
        </p>
        <template v-if="kind === 'heights' && made === undefined">
          <NumberField
            :label="labelOf('Cell size', 'cell')"
            :value="options.cell"
            :bounds="MadeInBounds.cell"
            :digits="4"
            test="import-cell"
            @change="say({ cell: $event })"
          />
          <NumberField
            :label="labelOf('Lowest altitude', 'low')"
            unit="m"
            :value="options.low"
            :step="1"
            :digits="3"
            test="import-low"
            @change="say({ low: $event })"
          />
          <NumberField
            :label="labelOf('Highest altitude', 'high')"
            unit="m"
            :value="options.high"
            :step="1"
            :digits="3"
            test="import-high"
            @change="say({ high: $event })"
          />
          <template v-if="found.raw">
            <NumberField
              label="Values in a row"
              :value="options.width"
              :bounds="DraftOptionsBounds.width"
              :digits="0"
              test="import-width"
              @change="say({ width: Math.round($event) })"
            />
            <ChoiceField
              label="Byte order"
              :value="!!options.big_endian"
              :items="ORDERS"
              @change="say({ big_endian: $event })"
            />
          </template>
        </template>
        <ChoiceField
          v-if="found.other_form"
          label="Of another form than the level"
          :value="options.stretch ? 'stretch' : 'crop'"
          :items="FORMS"
          test="import-form"
          @change="say({ stretch: $event === 'stretch' })"
        />
        <table v-if="kind === 'layers'" class="layers">
          <tbody>
            <tr v-for="(n, k) in options.names ?? []" :key="k">
              <td>
                <v-text-field
                  :model-value="n"
                  maxlength="40"
                  hide-details
                  :aria-label="`Name of layer ${k + 1}`"
                  :data-test="`layer-name-${k}`"
                  @change="rename(k, ($event.target as HTMLInputElement).value)"
                />
              </td>
              <td class="faint source">{{ found.sources[k] }}</td>
              <td class="number faint">
                {{ found.shares[k] === undefined ? '' : percent(found.shares[k]) }}
              </td>
            </tr>
          </tbody>
        </table>
        <ul class="notes">
          <li v-for="n in found.notes" :key="n">{{ n }}</li>
        </ul>
      </div>
    </div>

    <section v-if="draft?.forecast" class="forecast" data-test="import-forecast">
      <h3>What keeping it changes</h3>
      <table class="number">
        <thead>
          <tr>
            <th>Stand</th>
            <th>plants now</th>
            <th>then</th>
            <th>gained</th>
            <th>lost</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in draft.forecast.stands" :key="s.stand">
            <td class="name">{{ s.name }}</td>
            <td>{{ whole(s.before) }}</td>
            <td>{{ s.refused ? '—' : whole(s.after) }}</td>
            <td>{{ s.gained ? `+${whole(s.gained)}` : '0' }}</td>
            <td>{{ s.lost ? `−${whole(s.lost)}` : '0' }}</td>
          </tr>
        </tbody>
      </table>
      <ul class="notes">
        <template v-for="s in draft.forecast.stands" :key="s.stand"
          ><li v-for="n in s.notes" :key="n" class="over">{{ s.name }}: {{ n }}</li></template
        >
        <li v-for="n in draft.forecast.notes" :key="n">{{ n }}</li>
        <li v-for="v in changes" :key="v.name">
          “{{ v.name }}”:
          <template v-if="v.parts.length"
            ><span v-for="(p, k) in v.parts" :key="p.label" :class="{ over: p.value > 0 }"
              >{{ k ? ', ' : '' }}{{ p.text }} {{ p.label }}</span
            ></template
          ><template v-else>costs the same</template>
        </li>
        <li>All painting stays. Undo brings the ground back as it was.</li>
      </ul>
    </section>
    <div class="foot">
      <v-text-field
        v-if="!level"
        v-model="name"
        label="Name of the level"
        maxlength="60"
        hide-details
        class="newname"
        data-test="import-name"
      />
      <ActionButton
        color="primary"
        variant="flat"
        tip=""
        :why="why"
        data-test="import-keep"
        @click="act('keep')"
        >{{ level ? 'Keep' : 'Make the level' }}</ActionButton
      >
      <v-btn data-test="import-drop" @click="leave">Cancel</v-btn>
    </div>
  </div>
</template>

<style scoped>
.sheet {
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  padding: 16px 22px;
  font: 14px var(--sans);
  font-variant-numeric: tabular-nums lining-nums;
  max-height: 88vh;
  overflow-y: auto;
}
.head {
  display: flex;
  justify-content: space-between;
}
.pick {
  margin: 10px 0;
}
.progress {
  display: grid;
  grid-template-columns: auto 1fr auto;
  gap: 10px;
  align-items: center;
  margin: 6px 0;
}
.found {
  display: grid;
  grid-template-columns: 300px 1fr;
  gap: 20px;
  border-top: 1px solid var(--line);
  padding-top: 10px;
}
figure {
  margin: 0;
}
figure img {
  width: 100%;
  max-height: 320px;
  object-fit: contain;
  object-position: left top;
  border: 1px solid var(--line);
}
figure svg {
  width: 100%;
  height: 46px;
  display: block;
}
figure rect {
  fill: var(--slate);
}
.newname {
  margin-right: auto;
  max-width: 280px;
}
table.layers {
  width: 100%;
}
table.layers td:first-child {
  width: 50%;
}
.source {
  font-size: 12.5px;
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.notes {
  padding-left: 16px;
  margin: 8px 0 0;
}
.forecast table {
  width: 100%;
  border-collapse: collapse;
}
.forecast th {
  font-weight: 400;
  color: var(--faint);
}
.forecast th:not(:first-child),
.forecast td:not(:first-child) {
  text-align: right;
}
.forecast th:first-child {
  text-align: left;
}
.forecast td {
  border-top: 1px solid var(--line);
  padding: 2px 0;
}
.foot {
  position: sticky;
  bottom: -16px;
  background: var(--sheet);
  margin: 0 -22px -16px;
  padding: 0 22px 14px;
  display: flex;
  gap: 10px;
  justify-content: flex-end;
  align-items: center;
  margin-top: 14px;
  border-top: 1px solid var(--ink);
  padding-top: 10px;
}
p {
  margin: 4px 0;
}
</style>

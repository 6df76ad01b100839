<script setup lang="ts">
import { mdiCrosshairsGps, mdiDeleteOutline, mdiDotsCircle } from '@mdi/js'
import { computed, ref } from 'vue'
import { answer, api, type ItemDetail, type Traits } from '../api/client'
import { useShelf, type Group } from './shelf'
import { useLevel } from '../level/level'
import type { AnchorPoint } from '../stage/itemScene'
import ItemView from './ItemView.vue'
import NumberField from '../shared/NumberField.vue'
import { ItemEditBounds, TraitSettingsBounds } from '../api/bounds'
import { useAttempt } from '../shared/useAttempt'

/** What an item knows: measured, and edited here, drawn on its mesh. */
const props = defineProps<{ item: ItemDetail }>()
const emit = defineEmits<{ close: [] }>()
const shelf = useShelf()
const store = useLevel()
const name = ref(props.item.name)
const group = ref<Group>(props.item.group)
const tags = ref([...props.item.tags])
const note = ref(props.item.note)
const height = ref(+props.item.height.toFixed(3))
const crown = ref(+props.item.crown.toFixed(3))
const trunk = ref(+props.item.trunk.toFixed(3))
const lift = ref(0)
const traits = ref<Required<Traits>>({ ...(props.item.traits as Required<Traits>) })
const anchors = ref<AnchorPoint[]>(props.item.anchors.map((a) => ({ ...a })) as AnchorPoint[])
const placing = ref(false)
/** Whether a tint is tried on the mesh: one that nobody takes for the item's own colour. */
const tinting = ref(false)
const TINT = '#d87a4a'
const into = ref('rim')
const { trouble, busy, attempt } = useAttempt()
const COLLIDERS = [
  { value: 'none', title: 'none' },
  { value: 'cylinder', title: 'upright cylinder, from the trunk' },
  { value: 'box', title: 'box' },
  { value: 'hull', title: 'convex hull' },
]
const groups = computed(() => [...new Set(anchors.value.map((a) => a.name.replace(/[\d ]+$/, '') || a.name))])
const number = () =>
  Math.max(
    0,
    ...anchors.value
      .filter((a) => a.name.startsWith(`${into.value} `))
      .map((a) => Number(a.name.slice(into.value.length + 1)) || 0),
  ) + 1
function place(point: { at: [number, number, number]; up: [number, number, number] }) {
  anchors.value = [...anchors.value, { name: `${into.value.trim() || 'point'} ${number()}`, ...point }]
}
/**
 * Four points around the item, at its crown's edge or at half that for what is narrow, at nine tenths of
 * its height.
 */
function ring() {
  const [r, y, first] = [crown.value * 0.6, height.value * 0.9, number()]
  const four = [0, 1, 2, 3].map((k): AnchorPoint => ({
    name: `${into.value} ${first + k}`,
    at: [
      +(Math.sin((k * Math.PI) / 2) * r).toFixed(3),
      +y.toFixed(3),
      +(Math.cos((k * Math.PI) / 2) * r).toFixed(3),
    ],
    up: [0, 1, 0],
  }))
  anchors.value = [...anchors.value, ...four]
}
const changed = (now: number, was: number) => (Math.abs(now - was) > 5e-4 ? now : null)
const keep = () =>
  attempt(async () => {
    const body = {
      revision: props.item.revision,
      name: name.value,
      group: group.value,
      tags: tags.value,
      note: note.value,
      height: changed(height.value, props.item.height),
      crown: changed(crown.value, props.item.crown),
      trunk: changed(trunk.value, props.item.trunk),
      lift: lift.value,
      anchors: anchors.value,
      traits: traits.value,
    }
    await shelf.changed(
      answer(api.PUT('/api/shelf/{item}', { params: { path: { item: props.item.slug } }, body })),
    )
    await store.refresh()
    emit('close')
  })
</script>

<template>
  <v-dialog :model-value="true" max-width="1080" :aria-label="`Edit ${item.name}`" persistent scrollable>
    <v-card class="editor" data-test="item-editor">
      <h2>{{ item.name }}</h2>
      <div class="both">
        <div class="look">
          <ItemView
            :glb="item.glb"
            :crown="crown"
            :trunk="trunk"
            :anchors="anchors"
            :collider="traits.collider !== 'none' && traits.collider === item.traits.collider"
            :placing="placing"
            :cutoff="traits.cutoff"
            :tint="tinting ? TINT : null"
            :untinted="traits.untinted"
            @place="place"
          />
          <p class="faint small">
            {{
              placing
                ? 'Click on the mesh: each click places a point that takes the direction of the surface.'
                : 'Drag to turn it, wheel to come nearer.'
            }}
          </p>
        </div>
        <div class="fields">
          <v-text-field v-model="name" label="Name" hide-details data-test="edit-name" />
          <div class="two">
            <v-combobox v-model="group" :items="shelf.groups" label="Group" maxlength="40" hide-details />
            <v-combobox
              v-model="tags"
              :items="shelf.tags"
              multiple
              chips
              closable-chips
              label="Tags"
              hide-details
              data-test="edit-tags"
            />
          </div>
          <v-text-field v-model="note" label="Where it came from, its licence" maxlength="300" hide-details />
          <h3>Measures</h3>
          <div class="four">
            <NumberField
              inside
              :value="height"
              label="Height"
              test="edit-height"
              :bounds="ItemEditBounds.height"
              @change="height = $event"
            />
            <NumberField
              inside
              :value="crown"
              label="Crown radius"
              test="edit-crown"
              :bounds="ItemEditBounds.crown"
              @change="crown = $event"
            />
            <NumberField
              inside
              :value="trunk"
              label="Trunk radius"
              test="edit-trunk"
              :bounds="ItemEditBounds.trunk"
              @change="trunk = $event"
            />
            <NumberField
              inside
              :value="lift"
              label="Lift it by"
              :bounds="ItemEditBounds.lift"
              @change="lift = $event"
            />
          </div>
          <h3>Drawn and met</h3>
          <div class="two">
            <v-select
              v-model="traits.collider"
              :items="COLLIDERS"
              label="Collider"
              hide-details
              data-test="edit-collider"
            />
            <v-slider
              v-model="traits.stiffness"
              v-bind="TraitSettingsBounds.stiffness"
              :step="0.05"
              label="Stiff in the wind"
              name="Stiff in the wind"
              hide-details
              thumb-label
            />
          </div>
          <div class="checks">
            <v-checkbox v-model="traits.casts_shadow" label="casts shadow" data-test="edit-casts" />
            <v-checkbox v-model="traits.receives_shadow" label="receives shadow" />
            <v-checkbox v-model="traits.becomes_billboard" label="may become its billboard" />
            <v-checkbox v-model="traits.faces_eye" label="turns to the eye" />
          </div>
          <div class="tints">
            <v-select
              v-model="traits.untinted"
              :items="item.materials"
              label="Tints leave alone"
              placeholder="no material"
              persistent-placeholder
              multiple
              chips
              closable-chips
              hide-details
              data-test="edit-untinted"
            />
            <v-checkbox v-model="tinting" label="show a tint" hide-details data-test="edit-tint" />
          </div>
          <template v-if="item.states.some((s) => s.overdraw)">
            <h3>Cut-out cards</h3>
            <div class="two">
              <NumberField
                inside
                :value="traits.cutoff * 100"
                label="Cut below an alpha of"
                test="edit-cutoff"
                :bounds="TraitSettingsBounds.cutoff"
                :digits="0"
                :normal="TraitSettingsBounds.cutoff.default * 100"
                @change="traits.cutoff = $event / 100"
              />
              <NumberField
                inside
                :value="traits.softness * 100"
                label="Softness of the edge"
                test="edit-softness"
                :bounds="TraitSettingsBounds.softness"
                :digits="0"
                :normal="TraitSettingsBounds.softness.default * 100"
                @change="traits.softness = $event / 100"
              />
            </div>
          </template>
          <h3>Anchor points</h3>
          <p class="faint small">
            Companions may stand on them: on each, along the closed line through a group, or inside it. Points
            whose names differ by a number are a group.
          </p>
          <div class="anchor-tools">
            <v-combobox v-model="into" :items="groups" label="Into the group" hide-details />
            <v-btn
              :prepend-icon="mdiCrosshairsGps"
              :active="placing"
              data-test="anchor-place"
              @click="placing = !placing"
              >{{ placing ? 'Done placing' : 'Place by clicking' }}</v-btn
            >
            <v-btn :prepend-icon="mdiDotsCircle" data-test="anchor-ring" @click="ring">A ring of four</v-btn>
          </div>
          <ul v-if="anchors.length" class="points" data-test="anchors">
            <li v-for="(a, k) in anchors" :key="k">
              <v-text-field
                v-model="a.name"
                :aria-label="`Name of point ${k + 1}`"
                hide-details
                maxlength="40"
              />
              <span class="faint number">{{ a.at.map((v) => v.toFixed(2)).join(', ') }} m</span>
              <v-btn
                :icon="mdiDeleteOutline"
                size="x-small"
                variant="text"
                :aria-label="`Remove ${a.name}`"
                @click="anchors = anchors.filter((_, i) => i !== k)"
              />
            </li>
          </ul>
        </div>
      </div>
      <p v-if="trouble" class="over" role="alert" data-test="edit-trouble">{{ trouble }}</p>
      <div class="foot">
        <span class="faint small"
          >Every plant of it follows, in all levels that do not hold their own version.</span
        >
        <v-btn variant="text" @click="emit('close')">Cancel</v-btn>
        <v-btn
          color="primary"
          variant="flat"
          :loading="busy"
          :disabled="!name.trim()"
          data-test="edit-keep"
          @click="keep"
          >Keep</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.editor {
  padding: 18px 24px 16px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  max-height: 92vh;
}
h2,
p {
  margin: 0;
}
h3 {
  margin: 8px 0 0;
}
.both {
  display: grid;
  grid-template-columns: minmax(300px, 1fr) minmax(400px, 1.2fr);
  gap: 18px;
  min-height: 0;
  overflow-y: auto;
}
.look {
  display: grid;
  grid-template-rows: minmax(360px, 1fr) auto;
  gap: 6px;
  position: sticky;
  top: 0;
  max-height: 62vh;
}
.fields {
  display: grid;
  gap: 8px;
  align-content: start;
  padding: 4px 2px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.four {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 8px;
}
.checks {
  display: grid;
  grid-template-columns: 1fr 1fr;
}
.tints {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: center;
}
.anchor-tools {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 8px;
  align-items: center;
}
.points {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 200px;
  overflow-y: auto;
}
.points li {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
}
.small {
  font-size: 12.5px;
}
.foot {
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
@media (max-width: 860px) {
  .both {
    grid-template-columns: 1fr;
  }
  .look {
    position: static;
  }
}
</style>

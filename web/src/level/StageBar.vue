<script setup lang="ts">
import {
  mdiDeleteOutline,
  mdiEye,
  mdiImageMultipleOutline,
  mdiMap,
  mdiTuneVariant,
  mdiViewSplitVertical,
} from '@mdi/js'
import { ref } from 'vue'
import { answer, api, type Bookmark, type Changed } from '../api/client'
import type { Stage } from '../stage/stage'
import { useKeys } from './keys'
import { useLevel } from './level'
import ActionButton from '../shared/ActionButton.vue'
import OneOf from '../shared/OneOf.vue'
import ViewSketch from '../stock/ViewSketch.vue'
import WindMenu from './WindMenu.vue'

/** Which views are shown, the kept ones, and how the stage draws. */
const props = defineProps<{ stage: Stage }>()
const shown = defineModel<'both' | 'eye' | 'plan'>('shown', { required: true })
const shadows = defineModel<boolean>('shadows', { required: true })
const everything = defineModel<boolean>('everything', { required: true })
const alone = defineModel<boolean>('alone', { required: true })
const walking = defineModel<boolean>('walking', { required: true })
const emit = defineEmits<{ go: [bookmark: Bookmark] }>()

const store = useLevel()
const keys = useKeys()
const name = ref('')
async function change(work: Promise<Changed>) {
  try {
    store.take(await work)
  } catch (error) {
    store.report(error)
  }
}
/** Keep what the eye sees under a name, with a small picture of it. */
async function keep() {
  if (!name.value.trim()) return
  const { x, y, z, heading, pitch, fov } = props.stage.eye.view
  const view = {
    key: crypto.randomUUID(),
    name: name.value.trim(),
    x,
    y,
    z,
    heading,
    pitch,
    fov,
    picture: props.stage.picture(),
  }
  name.value = ''
  await change(
    answer(api.POST('/api/levels/{slug}/views', { params: { path: { slug: store.slug } }, body: view })),
  )
}
const drop = (of: string) =>
  change(
    answer(
      api.DELETE('/api/levels/{slug}/views/{name}', {
        params: { path: { slug: store.slug, name: of }, query: { key: crypto.randomUUID() } },
      }),
    ),
  )
const VIEWS = [
  {
    value: 'both',
    title: 'Eye and plan',
    icon: mdiViewSplitVertical,
    test: 'show-both',
    tip: 'Eye and plan',
  },
  { value: 'eye', title: 'Eye alone', icon: mdiEye, test: 'show-eye', tip: 'Eye alone' },
  { value: 'plan', title: 'Plan alone', icon: mdiMap, test: 'show-plan', tip: 'Plan alone' },
] as const
</script>

<template>
  <div class="views">
    <OneOf label="Views" :value="shown" :items="VIEWS" @change="shown = $event" />
    <v-menu :close-on-content-click="false">
      <template #activator="{ props: menu }"
        ><ActionButton
          v-bind="menu"
          :icon="mdiImageMultipleOutline"
          tip="Kept views: go to one, keep this one"
          data-test="bookmarks"
      /></template>
      <v-card class="kept">
        <v-list :border="false">
          <v-list-item
            v-for="(b, k) in store.level!.bookmarks"
            :key="b.name"
            :title="b.name"
            :data-test="`bookmark-${k + 1}`"
            @click="emit('go', b)"
          >
            <template #prepend
              ><img v-if="b.picture" :src="b.picture" alt="" /><ViewSketch v-else :view="b"
            /></template>
            <template #append>
              <kbd v-if="k < 9">{{ k + 1 }}</kbd>
              <ActionButton
                v-if="store.mayPlant"
                variant="text"
                size="x-small"
                :icon="mdiDeleteOutline"
                :tip="`Remove the view ${b.name}`"
                :data-test="`view-remove-${k + 1}`"
                @click.stop="drop(b.name)"
              />
            </template>
          </v-list-item>
        </v-list>
        <div v-if="store.mayPlant" class="keep">
          <v-text-field
            v-model="name"
            label="Keep this view as"
            maxlength="60"
            data-keys
            hide-details
            data-test="view-name"
            @keydown.enter="keep"
            @keydown.stop
          />
          <ActionButton
            color="primary"
            variant="flat"
            :why="!name.trim() && 'give it a name'"
            data-test="view-keep"
            @click="keep"
            >Keep</ActionButton
          >
        </div>
      </v-card>
    </v-menu>
    <v-menu eager :close-on-content-click="false">
      <template #activator="{ props: menu }"
        ><ActionButton
          v-bind="menu"
          :icon="mdiTuneVariant"
          :on="!shadows || everything || alone || walking"
          tip="What the stage draws, and how one moves"
          data-test="display"
      /></template>
      <v-card class="display" data-test="display-sheet">
        <v-switch v-model="shadows" :label="`Shadows (${keys.of('shadows')})`" data-test="shadows" />
        <v-switch
          v-model="everything"
          :label="`All plants, however far (${keys.of('everything')})`"
          data-test="everything"
        />
        <p class="faint">Swards keep their distance, and the cost below stays the game’s.</p>
        <v-switch v-model="alone" label="All but the selected stands pale" data-test="alone" />
        <v-switch
          v-model="walking"
          :label="`Walk at eye height, held to the ground (${keys.of('walk')})`"
          data-test="walk"
        />
        <WindMenu :stage="stage" />
      </v-card>
    </v-menu>
  </div>
</template>

<style scoped>
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  margin-left: auto;
}
.kept {
  width: 320px;
}
.kept img {
  width: 64px;
  height: 36px;
  margin-right: 10px;
  border: 1px solid var(--line);
  object-fit: cover;
}
.keep {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 4px 12px 12px;
}
.display {
  padding: 8px 16px 12px;
}
.display p {
  margin: -4px 0 4px 48px;
  font-size: 12.5px;
}
</style>

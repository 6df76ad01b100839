<script setup lang="ts">
import { mdiMagnify, mdiMenuDown } from '@mdi/js'
import { computed, ref } from 'vue'
import { picked } from './picking'
import { useLevel } from '../level/level'

/** Choose one of the level's stock items by its picture; `none` is a choice of its own, for no item. */
const props = defineProps<{
  label: string
  without?: string[]
  only?: string[]
  none?: string
  test?: string
  disabled?: boolean
}>()
const item = defineModel<string>({ required: true })
const store = useLevel()
const open = ref(false)
/** So many items are seen at a glance. */
const FEW = 8
const items = computed(() =>
  (store.level?.stock ?? []).filter(
    (i) => !props.without?.includes(i.slug) && (!props.only || props.only.includes(i.slug)),
  ),
)
const wanted = ref('')
const groups = computed(() => picked(items.value, wanted.value ?? ''))
const chosen = computed(() => store.level?.stock.find((i) => i.slug === item.value))
function choose(slug: string) {
  item.value = slug
  open.value = false
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" max-width="420">
    <template #activator="{ props: press }">
      <v-btn
        v-bind="press"
        :disabled="disabled || !items.length"
        size="small"
        :data-test="test"
        :data-item="item"
      >
        <img v-if="chosen" :src="chosen.silhouette" alt="" />
        {{ chosen?.name ?? (item === '' && none ? none : label) }}
        <v-icon :icon="mdiMenuDown" end />
      </v-btn>
    </template>
    <v-card class="items" :aria-label="label">
      <v-btn v-if="none" variant="text" class="item" data-test="pick-none" @click="choose('')"
        ><span>{{ none }}</span></v-btn
      >
      <v-text-field
        v-if="items.length > FEW"
        v-model="wanted"
        class="search"
        :prepend-inner-icon="mdiMagnify"
        label="Search by name, group or tag"
        clearable
        autofocus
        hide-details
        data-keys
        data-test="pick-search"
      />
      <template v-for="[group, those] in groups" :key="group">
        <p v-if="groups.length > 1 || wanted" class="group">{{ group || 'not on the shelf' }}</p>
        <v-btn
          v-for="i in those"
          :key="i.slug"
          variant="text"
          class="item"
          :data-test="`pick-${i.slug}`"
          @click="choose(i.slug)"
        >
          <img :src="i.silhouette" alt="" loading="lazy" />
          <span>{{ i.name }}</span>
        </v-btn>
      </template>
      <p v-if="!groups.length" class="faint none">No item of the level has these words.</p>
    </v-card>
  </v-menu>
</template>

<style scoped>
.items {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 4px;
  padding: 8px;
  max-height: 60vh;
  overflow-y: auto;
}
.search,
.group,
.none {
  grid-column: 1 / -1;
}
.group {
  margin: 6px 4px 0;
  font: 15px var(--serif);
}
.item {
  height: auto !important;
  padding: 6px 4px;
}
.item :deep(.v-btn__content) {
  display: grid;
  justify-items: center;
  font-size: 12.5px;
  white-space: normal;
}
img {
  height: 56px;
  max-width: 80px;
  object-fit: contain;
  object-position: bottom;
}
.v-btn > :deep(.v-btn__content) > img {
  height: 22px;
  margin-right: 6px;
}
.item :deep(img) {
  height: 56px;
}
</style>

<script setup lang="ts">
import { mdiClose, mdiMagnify } from '@mdi/js'
import { computed, nextTick, ref, watch } from 'vue'
import text from '../../../docs/guide.md?raw'
import { found, sectionsOf } from './guide'
import type { Bench } from '../router'

/** The guide, opened at the bench that one stands on. */
const props = defineProps<{ bench: Bench }>()
const emit = defineEmits<{ keys: [] }>()
const shown = defineModel<boolean>({ required: true })
const files = import.meta.glob<string>(
  '../../../docs/screenshots/{ground,stock,planting,try,sightline,walk,budget,survey,plots,handover}.png',
  { query: '?url', import: 'default', eager: true },
)
const pictures = Object.fromEntries(Object.entries(files).map(([path, url]) => [path.split('/').pop()!, url]))
const sections = sectionsOf(text, pictures)
const wanted = ref('')
const open = ref('')
const list = computed(() => found(sections, wanted.value))
const section = computed(() => list.value.find((s) => s.title === open.value) ?? list.value[0])
const page = ref<HTMLElement>()
watch(
  shown,
  (on) => {
    if (!on) return
    wanted.value = ''
    open.value = sections.find((s) => s.title.toLowerCase() === props.bench)?.title ?? sections[0]!.title
  },
  { immediate: true },
)
watch(section, () => void nextTick(() => page.value?.scrollTo({ top: 0 })))
</script>

<template>
  <v-dialog v-model="shown" max-width="1000" aria-label="Guide">
    <v-card class="guide" data-test="guide">
      <header>
        <h2>Guide</h2>
        <v-text-field
          v-model="wanted"
          :prepend-inner-icon="mdiMagnify"
          label="Search the guide"
          clearable
          hide-details
          data-keys
          data-test="guide-search"
        />
        <v-btn variant="outlined" data-test="guide-keys" @click="emit('keys')">Keys</v-btn>
        <v-btn :icon="mdiClose" variant="text" aria-label="Close" @click="shown = false" />
      </header>
      <div class="both">
        <nav aria-label="Parts of the guide">
          <v-list density="compact">
            <v-list-item
              v-for="s in list"
              :key="s.title"
              :title="s.title"
              :active="s.title === section?.title"
              :data-test="`guide-${s.title.toLowerCase().replaceAll(' ', '-')}`"
              @click="open = s.title"
            />
          </v-list>
          <p v-if="!list.length" class="faint">Nothing in the guide has all these words.</p>
        </nav>
        <article v-if="section" ref="page" tabindex="0" data-test="guide-page">
          <h3>{{ section.title }}</h3>
          <!-- eslint-disable-next-line vue/no-v-html: our own guide, which ships with the application -->
          <div v-html="section.html" />
        </article>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.guide {
  padding: 16px 22px 0;
  height: min(86vh, 760px);
  display: flex;
  flex-direction: column;
}
header {
  display: grid;
  grid-template-columns: 1fr minmax(160px, 320px) auto 40px;
  gap: 16px;
  align-items: center;
}
h2,
h3 {
  margin: 0;
}
.both {
  display: grid;
  grid-template-columns: 200px minmax(0, 1fr);
  gap: 22px;
  min-height: 0;
  flex: 1;
  margin-top: 12px;
  border-top: 1px solid var(--line);
}
nav {
  overflow-y: auto;
  padding: 10px 0;
}
nav .v-list {
  background: transparent;
}
nav :deep(.v-list-item-title) {
  font-family: var(--serif);
  font-size: 17px;
  white-space: normal;
}
article {
  overflow-y: auto;
  padding: 12px 12px 24px 0;
  line-height: 1.5;
}
article :deep(img) {
  max-width: 100%;
  border: 1px solid var(--line);
  margin: 4px 0;
}
article :deep(p) {
  margin: 8px 0;
  max-width: 82ch;
}
</style>

<script setup lang="ts">
import { mdiDeleteOutline, mdiTrayFull } from '@mdi/js'
import { ref } from 'vue'
import ActionButton from './ActionButton.vue'

/** What is kept under names for all levels of the team: one is used, or what is in hand is kept as one. */
const props = defineProps<{
  label: string
  tip: string
  /** What is shown where none is kept. */
  none: string
  kept: { id: number; name: string; says: string; may_change: boolean }[]
  nameLabel: string
  /** Why what is in hand cannot be kept; empty when it can. */
  why: string
  /** Whether one can be used now. */
  usable: boolean
  /** Keep what is in hand under a name; whether that was done. */
  keep: (name: string) => Promise<boolean>
  menu: string
  test: string
}>()
const emit = defineEmits<{ use: [id: number]; remove: [id: number] }>()
const name = ref('')
async function save() {
  if (await props.keep(name.value.trim())) name.value = ''
}
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: press }"
      ><ActionButton v-bind="press" :icon="mdiTrayFull" :tip="tip" :data-test="menu">{{
        label
      }}</ActionButton></template
    >
    <v-card class="sheet">
      <p v-if="!kept.length" class="faint">{{ none }}</p>
      <v-list v-else :border="false">
        <v-list-item
          v-for="k in kept"
          :key="k.id"
          :title="k.name"
          :subtitle="k.says"
          :disabled="!usable"
          :data-test="`${test}-${k.id}`"
          @click="emit('use', k.id)"
        >
          <template v-if="k.may_change" #append
            ><ActionButton
              variant="text"
              size="x-small"
              :icon="mdiDeleteOutline"
              :tip="`Remove ${k.name}`"
              :data-test="`remove-${test}-${k.id}`"
              @click.stop="emit('remove', k.id)"
          /></template>
        </v-list-item>
      </v-list>
      <div class="own">
        <v-text-field
          v-model="name"
          :label="nameLabel"
          maxlength="80"
          min-width="150"
          hide-details
          :data-test="`${test}-name`"
        />
        <ActionButton
          color="primary"
          variant="flat"
          :why="why || (!name.trim() && 'give it a name')"
          :data-test="`${test}-save`"
          @click="save"
          >Save</ActionButton
        >
      </div>
    </v-card>
  </v-menu>
</template>

<style scoped>
.sheet {
  padding: 10px 12px;
  display: grid;
  gap: 6px;
}
.own {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>

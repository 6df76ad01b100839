<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useLevel } from '../stores/level'
import ItemPicker from './ItemPicker.vue'
import { STRATA, type Stratum } from '../strata'

const store = useLevel()
const open = ref(false)
const item = ref('')
const name = ref('')
const stratum = ref<Stratum>('Shrub')
const sward = ref(false)
const trouble = ref('')

const chosen = computed(() => store.level?.stock.find((i) => i.slug === item.value))
watch(item, () => {
  const i = chosen.value
  if (!i) return
  name.value = i.name
  stratum.value = i.height > 6 ? 'Canopy' : i.height > 3 ? 'Understorey' : i.trunk > 0.5 * i.crown ? 'Stone' : i.height > 0.9 ? 'Shrub' : 'Field'
})
watch(
  () => store.beginWith,
  (slug) => {
    if (!slug) return
    open.value = true
    item.value = slug
    store.beginWith = ''
  },
  { immediate: true },
)
async function add() {
  trouble.value = ''
  try {
    await store.arrange('new-stand', { name: name.value.trim(), stratum: stratum.value, item: item.value, sward: sward.value })
    open.value = false
    item.value = name.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
</script>

<template>
  <div class="new">
    <button v-if="!open" class="plain" data-test="new-stand" @click="open = true">+ A new stand</button>
    <form v-else data-test="new-stand-form" @submit.prevent="add" @keydown.esc.stop="open = false">
      <p class="choose">Plant <ItemPicker v-model="item" label="choose a stock item" test="new-item" /></p>
      <label>Name <input v-model="name" class="cell" maxlength="80" data-keys data-test="new-name" /></label>
      <label>Stratum <select v-model="stratum" class="cell" data-test="new-stratum"><option v-for="s in STRATA" :key="s">{{ s }}</option></select></label>
      <label class="switch"><input v-model="sward" type="checkbox" /> a sward, without single plants</label>
      <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
      <p v-if="!store.level!.stock.length" class="faint">This level has no stock yet. <router-link :to="`/levels/${store.slug}/stock`">Take some from the shelf</router-link>.</p>
      <button class="solid" :disabled="!item || !name.trim()" data-test="new-add">Add</button>
      <button type="button" class="plain" @click="open = false">Drop</button>
    </form>
  </div>
</template>

<style scoped>
.new {
  padding: 6px 6px 0;
}
form {
  padding: 2px 6px;
}
label {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: baseline;
  padding: 2px 0;
}
label input:not([type='checkbox']),
select {
  width: 140px;
  text-align: left;
}
.choose {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin: 2px 0;
}
.switch {
  justify-content: start;
  font-size: 13px;
}
</style>

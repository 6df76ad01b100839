<script setup lang="ts">
import { mdiDeleteOutline, mdiImagePlusOutline } from '@mdi/js'
import { computed, ref } from 'vue'
import { answer, api, type Tip } from '../api/client'
import { upload } from '../api/upload'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import { useBrush } from './brush'

/** The tip of the brush, and how it turns; pictures are added as tips, and one's own removed. */
const brush = useBrush()
const { trouble, attempt } = useAttempt()
const file = ref<File | null>(null)
const known = useServer(['tips'], (signal) => api.GET('/api/tips', { signal }))
const tips = computed(() => known.data.value ?? [])

async function add(chosen: File | File[] | null) {
  const picked = Array.isArray(chosen) ? chosen[0] : chosen
  if (!picked) return
  await attempt(async () => {
    const form = new FormData()
    form.append('file', picked)
    const tip = await upload<Tip>('/tips', form)
    await known.read()
    brush.tip = tip.key
  })
  file.value = null
}
/** The tip in hand, when it is one's own. */
const mine = computed(() => tips.value.find((t) => t.key === brush.tip && t.own))
const remove = () =>
  attempt(async () => {
    await answer(
      api.DELETE('/api/tips/{tip}', {
        params: { path: { tip: Number(mine.value!.key.replace(/\D/g, '')) } },
      }),
    )
    brush.tip = ''
    await known.read()
  })
</script>

<template>
  <h2 class="minor">Tip</h2>
  <div class="tips">
    <v-btn
      class="tip"
      :aria-pressed="brush.tip === ''"
      aria-label="Round"
      data-test="tip-round"
      @click="brush.tip = ''"
      ><i class="round"
    /></v-btn>
    <v-btn
      v-for="t in tips"
      :key="t.key"
      class="tip"
      :aria-pressed="brush.tip === t.key"
      :aria-label="t.name"
      :data-test="`tip-${t.key}`"
      @click="brush.tip = t.key"
      ><img :src="t.picture" alt=""
    /></v-btn>
    <v-btn v-if="mine" size="x-small" :prepend-icon="mdiDeleteOutline" data-test="tip-remove" @click="remove"
      >Remove {{ mine.name }}</v-btn
    >
  </div>
  <v-file-input
    v-model="file"
    label="Add a picture as a tip"
    accept="image/*"
    prepend-icon=""
    :prepend-inner-icon="mdiImagePlusOutline"
    hide-details
    data-test="tip-file"
    @update:model-value="add"
  />
  <p v-if="trouble || known.trouble.value" class="over" role="alert">
    {{ trouble || known.trouble.value }}
  </p>
  <v-radio-group
    v-if="brush.tip"
    v-model="brush.turn"
    inline
    density="compact"
    hide-details
    aria-label="How the tip turns"
  >
    <v-radio value="along" label="turns with the stroke" />
    <v-radio value="random" label="at random" />
    <v-radio value="still" label="stays" />
  </v-radio-group>
</template>

<style scoped>
.minor {
  margin: 9px 0 4px;
}
.tips {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  align-items: center;
  margin: 3px 0 6px;
}
.tip {
  min-width: 0;
  width: 34px;
  height: 34px !important;
  padding: 2px;
  background: #23211d !important;
}
.tip[aria-pressed='true'] {
  outline: 2px solid var(--green);
}
.tip img,
.tip .round {
  display: block;
  width: 28px;
  height: 28px;
}
.tip .round {
  border-radius: 50%;
  background: radial-gradient(#fff 40%, #fff0 70%);
}
</style>

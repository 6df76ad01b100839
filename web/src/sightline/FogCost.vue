<script setup lang="ts">
import { useThrottleFn } from '@vueuse/core'
import { onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answer, api, type FogOut } from '../api/client'
import { amount, whole } from '../budget/budget'
import type { Stage } from '../stage/stage'
import { useAtmosphere } from './atmosphere'
import { useLevel } from '../level/level'

/** What the fog costs in this view, and what it saves not to draw what it hides. */
const props = defineProps<{ stage: Stage | null; locked: boolean }>()
const store = useLevel()
const air = useAtmosphere()
const found = shallowRef<FogOut | null>(null)
const trouble = ref('')
let round = 0
let ended = false

const ask = useThrottleFn(
  async () => {
    const mine = ++round
    if (ended || !props.stage || !air.now) return
    try {
      const reply = await answer(
        api.POST('/api/levels/{slug}/fog', {
          ...store.here(),
          body: { ...props.stage.eye.view, fog: air.now.fog },
        }),
      )
      if (mine === round) [found.value, trouble.value] = [reply, '']
    } catch (error) {
      if (mine === round) [found.value, trouble.value] = [null, (error as Error).message]
    }
  },
  500,
  true,
)
watch([() => air.now?.fog, () => store.cost, () => props.stage], () => void ask(), { immediate: true })
onBeforeUnmount(() => {
  ended = true
  round++
})
</script>

<template>
  <v-switch
    :model-value="air.now?.fog.hides ?? false"
    label="Stop drawing what the fog hides"
    :disabled="locked"
    data-test="fog-hides"
    @update:model-value="air.change({ fog: { hides: !!$event } })"
  />
  <p v-if="found" class="faint" data-test="fog-cost">
    The fog lies over {{ found.mpx.toFixed(1) }} Mpx of this view: {{ found.ms.toFixed(2) }} ms.
    <template v-if="found.clear === null">From here it hides nothing wholly.</template>
    <template v-else-if="found.saves.triangles || found.saves.shadow_triangles">
      From {{ whole(found.clear) }} m on it hides everything; not to draw that
      {{ air.now?.fog.hides ? 'saves' : 'would save' }}
      <b>{{ amount('ms', found.saves.ms) }}</b> and
      {{ amount('triangles', found.saves.triangles) }} triangles.
    </template>
    <template v-else>
      From {{ whole(found.clear) }} m on it hides everything; nothing of this view is drawn so far away.
    </template>
  </p>
  <p v-else-if="trouble" class="over">{{ trouble }}</p>
</template>

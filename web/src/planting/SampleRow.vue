<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { answer, api, type Sample } from '../api/client'
import type { Draft } from './useDraft'
import { useLevel } from '../level/level'

/**
 * Nine plants as the draft would make them, from the side on a slope; each with its turn from above and
 * its tint.
 */
const props = defineProps<{ draft: Draft }>()
const store = useLevel()
const nine = shallowRef<Sample[]>([])
const trouble = ref('')
const WIDE = 304
const FOOT = 96
const STEP = 33.5
const FALL = Math.tan((18 * Math.PI) / 180)
let round = 0
let timer = 0

async function load() {
  const mine = ++round
  const stand = store.chosen[0]
  if (!stand) return
  try {
    const reply = await answer(
      api.POST('/api/levels/{slug}/stands/{stand}/sample', {
        params: { path: { slug: store.slug, stand: stand.id } },
        body: { settings: props.draft.partOf(stand) },
      }),
    )
    if (mine === round) [nine.value, trouble.value] = [reply, '']
  } catch (error) {
    if (mine === round) trouble.value = (error as Error).message
  }
}
const later = () => {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => void load(), 160)
}
onMounted(load)
watch([props.draft.changes, () => store.selected.join()], later)

const tints = computed(() => props.draft.shared((s) => s.tints).value)
function between(t: number): string {
  const [one, other] = tints.value
  const mixed = [1, 3, 5].map((k) => {
    const [a, b] = [one, other].map((c) => parseInt(c.slice(k, k + 2), 16)) as [number, number]
    return Math.round(a + (b - a) * t)
  })
  return `rgb(${mixed.join(' ')})`
}
const silhouette = (slug: string) => store.level!.stock.find((i) => i.slug === slug)?.silhouette ?? ''
const drawn = computed(() => {
  const tallest = Math.max(...nine.value.map((p) => p.height + p.sink), 0.01)
  const scale = Math.min(80 / tallest, 31 / Math.max(...nine.value.map((p) => p.width), 0.01))
  return nine.value.map((p, k) => {
    const item = store.level!.stock.find((i) => i.slug === p.item)
    const tall = p.height * scale
    const frame = item ? Math.max(item.crown * 2.6, item.height * 0.5) / (item.height * 1.06) : 0.6
    const spread = item ? p.width / (2 * item.crown) / (p.height / item.height) : 1
    const x = 17 + k * STEP
    return {
      ...p,
      x,
      y: FOOT - 8 + p.sink * scale,
      tall,
      wide: tall * 1.06 * frame * spread,
      colour: between(p.tint),
      url: silhouette(p.item),
    }
  })
})
const top = computed(() => Math.min(...drawn.value.map((p) => p.y - p.tall), FOOT - 30) - 6)
/** The piece of slope that a plant stands on, and the soil under it. */
const piece = (x: number) => `M${x - 14} ${FOOT - 8 - 14 * FALL} L${x + 14} ${FOOT - 8 + 14 * FALL}`
</script>

<template>
  <div v-if="store.chosen.length === 1" class="sample" data-test="sample">
    <p v-if="trouble" class="faint small">{{ trouble }}</p>
    <svg
      v-else
      :viewBox="`0 ${top} ${WIDE} ${124 - top}`"
      role="img"
      aria-label="Nine plants as these settings make them, on a slope of 18 degrees"
    >
      <defs>
        <mask v-for="(p, k) in drawn" :id="`nine-${k}`" :key="k" style="mask-type: alpha">
          <image
            :href="p.url"
            :x="p.x - p.wide / 2"
            :y="p.y - p.tall"
            :width="p.wide"
            :height="p.tall"
            preserveAspectRatio="none"
          />
        </mask>
      </defs>
      <g v-for="(p, k) in drawn" :key="k" :transform="`rotate(${p.lean} ${p.x} ${p.y})`">
        <rect
          :x="p.x - p.wide / 2"
          :y="p.y - p.tall"
          :width="p.wide"
          :height="p.tall"
          class="ink"
          :mask="`url(#nine-${k})`"
        />
      </g>
      <g v-for="(p, k) in drawn" :key="`s${k}`">
        <path class="ground" :d="`${piece(p.x)} V${FOOT + 6} H${p.x - 14} Z`" />
        <path class="slope" :d="piece(p.x)" />
      </g>
      <g v-for="(p, k) in drawn" :key="`t${k}`">
        <circle :cx="p.x" cy="112" r="7" :fill="p.colour" class="swatch" />
        <path class="turn" d="M0 0 v-10" :transform="`translate(${p.x} 112) rotate(${p.turn})`" />
      </g>
    </svg>
    <p class="faint small">Nine of them on an 18° slope; below, the way each faces and its tint.</p>
  </div>
</template>

<style scoped>
svg {
  width: 100%;
  display: block;
}
.ink {
  fill: var(--ink);
  opacity: 0.82;
}
.ground {
  fill: var(--sheet);
}
.slope {
  stroke: var(--ink);
  fill: none;
  stroke-width: 1;
}
.swatch {
  stroke: var(--line);
}
.turn {
  stroke: var(--ink);
  stroke-width: 1.3;
  fill: none;
}
.small {
  font-size: 12.5px;
  margin: 0;
}
</style>

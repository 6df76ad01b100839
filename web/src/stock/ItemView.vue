<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import type { AnchorPoint, ItemScene } from '../stage/itemScene'

/** An item that can be turned: a state of its mesh, its footprint, a pole of 1.8 m, anchors and collider. */
const props = withDefaults(
  defineProps<{
    glb: string
    crown: number
    trunk: number
    anchors?: AnchorPoint[]
    collider?: boolean
    ground?: string
    placing?: boolean
    /** From which alpha on cut-out cards are there, 0–1, where another than the file's is tried. */
    cutoff?: number
    /** A tint that is tried on the mesh, and the materials that it leaves alone. */
    tint?: string | null
    untinted?: readonly string[]
    /** What the eye sees whole, in m, for items that are looked at side by side at one scale. */
    frame?: { height: number; reach: number }
  }>(),
  {
    anchors: () => [],
    collider: false,
    ground: '#9aa06e',
    placing: false,
    cutoff: undefined,
    tint: null,
    untinted: () => [],
    frame: undefined,
  },
)
const emit = defineEmits<{ place: [point: { at: [number, number, number]; up: [number, number, number] }] }>()
const canvas = ref<HTMLCanvasElement>()
const scene = shallowRef<ItemScene | null>(null)
const states = ref<string[]>([])
const state = ref('lod0')
const trouble = ref('')
let pressed: [number, number] = [0, 0]

const label = (s: string) =>
  s === 'billboard' ? 'Billboard' : s === 'lod0' ? 'Full mesh' : `LOD ${s.slice(3)}`
const mark = () =>
  scene.value?.mark({
    crown: props.crown,
    trunk: props.trunk,
    anchors: props.anchors,
    pole: true,
    collider: props.collider,
  })
async function open(keepEye = false) {
  trouble.value = ''
  try {
    await scene.value?.open(props.glb, keepEye, props.frame)
    states.value = [...(scene.value?.states ?? [])]
    if (!states.value.includes(state.value)) state.value = 'lod0'
    scene.value?.show(state.value)
    mark()
  } catch {
    trouble.value = 'The mesh could not be loaded.'
  }
}
onMounted(async () => {
  const { ItemScene: Scene } = await import('../stage/itemScene')
  if (!canvas.value) return
  try {
    scene.value = new Scene(canvas.value, props.ground)
  } catch {
    trouble.value = 'This browser cannot draw the mesh.'
    return
  }
  scene.value.resize()
  await open()
})
useResizeObserver(canvas, () => scene.value?.resize())
watch(
  () => props.glb,
  () => void open(true),
)
watch([() => props.frame?.height, () => props.frame?.reach], () => void open())
watch(() => [props.crown, props.trunk, props.anchors, props.collider], mark, { deep: true })
watch([() => props.tint, () => props.untinted], ([tint, untinted]) => scene.value?.tint(tint, untinted))
watch(
  () => props.cutoff,
  (cutoff) => cutoff !== undefined && scene.value?.cut(cutoff),
)
watch(state, (s) => scene.value?.show(s))
onBeforeUnmount(() => scene.value?.dispose())
function press(event: PointerEvent) {
  pressed = [event.clientX, event.clientY]
}
/** A click, not a drag, places an anchor. */
function lift(event: PointerEvent) {
  if (!props.placing || Math.hypot(event.clientX - pressed[0], event.clientY - pressed[1]) > 4) return
  const box = canvas.value!.getBoundingClientRect()
  const hit = scene.value?.pick(event.clientX - box.left, event.clientY - box.top)
  if (hit) emit('place', hit)
}
</script>

<template>
  <div class="item-view" data-test="item-view">
    <canvas
      ref="canvas"
      :class="{ placing }"
      aria-label="The item, drag to turn it, wheel to come nearer"
      @pointerdown="press"
      @pointerup="lift"
    />
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    <v-btn-toggle
      v-if="states.length > 1"
      v-model="state"
      mandatory
      density="compact"
      class="states"
      aria-label="State"
    >
      <v-btn v-for="s in states" :key="s" :value="s" size="x-small" :data-test="`state-${s}`">{{
        label(s)
      }}</v-btn>
    </v-btn-toggle>
    <p class="faint legend">
      <i class="crown" /> crown <i class="trunk" /> trunk
      <template v-if="collider"><i class="collider" /> collider</template> <span>pole 1.8 m</span>
    </p>
  </div>
</template>

<style scoped>
.item-view {
  position: relative;
  min-height: 260px;
  background: linear-gradient(var(--paper), color-mix(in srgb, var(--paper) 80%, var(--slate)));
  border: 1px solid var(--line);
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  display: block;
  cursor: grab;
}
canvas.placing {
  cursor: crosshair;
}
.states {
  position: absolute;
  top: 6px;
  left: 6px;
  background: var(--sheet);
}
.legend {
  position: absolute;
  right: 8px;
  bottom: 6px;
  margin: 0;
  font-size: 12px;
  color: var(--ink);
}
i {
  display: inline-block;
  width: 14px;
  border-top: 2px solid;
  vertical-align: middle;
}
.crown {
  border-color: #4a6034;
}
.trunk {
  border-color: #a8751f;
  margin-left: 6px;
}
.collider {
  border-color: #7b2d26;
  margin-left: 6px;
}
span {
  margin-left: 6px;
}
</style>

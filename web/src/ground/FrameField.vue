<script setup lang="ts">
import { computed, ref } from 'vue'
import { framed, largest, moved, shareOf, type Frame } from '../shared/frame'

/** A frame of one form over a picture of another: dragged, and made larger or smaller. */
const props = defineProps<{
  src: string
  /** Width over height of the picture, and of the frame. */
  picture: number
  form: number
  frame: Frame
  disabled?: boolean
}>()
const emit = defineEmits<{ change: [frame: Frame] }>()
const box = ref<HTMLElement>()
let held: { x: number; y: number; frame: Frame } | null = null
const size = computed(() => Math.round(shareOf(props.frame, props.picture, props.form) * 100))
const style = computed(() => {
  const [x0, y0, x1, y1] = props.frame
  return {
    left: `${x0 * 100}%`,
    top: `${y0 * 100}%`,
    width: `${(x1 - x0) * 100}%`,
    height: `${(y1 - y0) * 100}%`,
  }
})
function press(event: PointerEvent) {
  if (props.disabled) return
  held = { x: event.clientX, y: event.clientY, frame: props.frame }
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
function move(event: PointerEvent) {
  if (!held || !box.value) return
  const { width, height } = box.value.getBoundingClientRect()
  emit('change', moved(held.frame, (event.clientX - held.x) / width, (event.clientY - held.y) / height))
}
function key(event: KeyboardEvent) {
  const step = event.shiftKey ? 0.05 : 0.005
  const [dx, dy] =
    { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key] ??
    []
  if (dx === undefined || props.disabled) return
  event.preventDefault()
  emit('change', moved(props.frame, dx, dy!))
}
const resize = (percent: number) =>
  emit('change', framed(largest(props.picture, props.form), percent / 100, props.frame))
</script>

<template>
  <div class="frame-field">
    <div ref="box" class="picture" :style="{ aspectRatio: String(picture) }">
      <img :src="src" alt="All of what was read" />
      <div
        class="frame"
        :style="style"
        tabindex="0"
        role="group"
        data-keys
        aria-label="The part that is taken: drag it, or move it by arrow keys"
        data-test="frame"
        @pointerdown="press"
        @pointermove="move"
        @pointerup="held = null"
        @pointercancel="held = null"
        @keydown="key"
      />
    </div>
    <v-slider
      :model-value="size"
      :min="10"
      :max="100"
      :step="1"
      :disabled="disabled"
      label="Size"
      name="Size of the frame"
      hide-details
      data-test="frame-size"
      @update:model-value="resize"
    />
  </div>
</template>

<style scoped>
.picture {
  position: relative;
  overflow: hidden;
  border: 1px solid var(--line);
  max-height: 320px;
  max-width: 100%;
}
img {
  width: 100%;
  height: 100%;
  display: block;
}
.frame {
  position: absolute;
  border: 2px solid var(--sheet);
  outline: 1px solid var(--ink);
  box-shadow: 0 0 0 2000px color-mix(in srgb, var(--ink) 45%, transparent);
  cursor: move;
  touch-action: none;
}
</style>

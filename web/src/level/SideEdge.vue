<script setup lang="ts">
import { mdiChevronLeft, mdiChevronRight } from '@mdi/js'
import { computed } from 'vue'

/**
 * The edge of a side panel: dragged to make the panel narrower or wider, pressed to fold it away and back.
 */
const props = defineProps<{ side: 'left' | 'right'; label: string; least: number; most: number }>()
const width = defineModel<number>('width', { required: true })
const folded = defineModel<boolean>('folded', { required: true })
const away = computed(() => (props.side === 'left' ? 1 : -1))
const icon = computed(() => ((props.side === 'left') === folded.value ? mdiChevronRight : mdiChevronLeft))
const put = (w: number) => (width.value = Math.round(Math.min(Math.max(w, props.least), props.most)))

let began: { x: number; width: number; moved: boolean } | null = null
function down(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  began = { x: event.clientX, width: width.value, moved: false }
}
function move(event: PointerEvent) {
  if (!began) return
  began.moved ||= Math.abs(event.clientX - began.x) > 3
  if (began.moved && !folded.value) put(began.width + away.value * (event.clientX - began.x))
}
function up() {
  if (began && !began.moved) folded.value = !folded.value
  began = null
}
function key(event: KeyboardEvent) {
  const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (way) put(width.value + 16 * way * away.value)
  else if (event.key === 'Enter') folded.value = !folded.value
  else return
  event.preventDefault()
}
</script>

<template>
  <div
    v-tooltip="{
      text: folded ? `Bring back: ${label}` : 'Drag to make it narrower or wider; press to fold it away',
      openDelay: 600,
    }"
    class="edge"
    tabindex="0"
    role="separator"
    aria-orientation="vertical"
    data-keys
    :aria-label="label"
    :aria-valuenow="folded ? 0 : width"
    :aria-valuemin="least"
    :aria-valuemax="most"
    :data-test="`edge-${side}`"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="began = null"
    @keydown="key"
  >
    <v-icon :icon="icon" size="14" />
  </div>
</template>

<style scoped>
.edge {
  display: grid;
  place-items: center;
  background: var(--sheet);
  border: solid var(--line);
  border-width: 0 1px;
  cursor: col-resize;
  touch-action: none;
  color: var(--faint);
}
.edge:hover {
  background: color-mix(in srgb, var(--green) 18%, var(--sheet));
  color: var(--ink);
}
</style>

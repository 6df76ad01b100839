<script setup lang="ts">
/** An item's picture on the ground line, beside a pole of 1.8 m, at so many pixels a metre. */
withDefaults(
  defineProps<{ picture: string; name: string; itemScale: number; scale: number; pole?: boolean }>(),
  { pole: true },
)
const width = (event: Event) => (event.target as HTMLImageElement).naturalWidth
const resize = (event: Event, ratio: number) =>
  ((event.target as HTMLImageElement).style.width = `${Math.max(width(event) * ratio, 3)}px`)
</script>

<template>
  <span class="stands">
    <i v-if="pole" class="pole" :style="{ height: `${1.8 * scale}px` }" />
    <img
      :src="picture"
      :alt="`Picture of ${name}`"
      loading="lazy"
      @load="resize($event, scale / itemScale)"
    />
  </span>
</template>

<style scoped>
.stands {
  display: flex;
  align-items: end;
  justify-content: center;
  gap: 6px;
  border-bottom: 1px solid var(--ink);
}
img {
  width: 0;
  display: block;
}
.pole {
  width: 3px;
  background: repeating-linear-gradient(var(--oxblood) 0 12.5%, var(--sheet) 12.5% 25%);
  border: 1px solid var(--oxblood);
}
</style>

<script setup lang="ts">
import { mdiChevronLeft } from '@mdi/js'
import SignInAgain from './SignInAgain.vue'

/** A page of its own, beside the stage: where one came from, a heading, and what is on it. */
defineProps<{ title: string; back?: string; where?: string }>()
</script>

<template>
  <main class="page">
    <header>
      <v-btn :to="back ?? '/levels'" variant="text" :prepend-icon="mdiChevronLeft">{{
        where ?? 'Levels'
      }}</v-btn>
      <h1>{{ title }}</h1>
    </header>
    <slot />
    <SignInAgain />
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  overflow: auto;
  padding: 28px 44px;
}
header {
  display: flex;
  align-items: baseline;
  gap: 18px;
}
</style>

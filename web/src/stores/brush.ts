import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref } from 'vue'

export type Verb = 'thicken' | 'thin'

/** The brush in hand; its size and strength are kept for this person. */
export const useBrush = defineStore('brush', () => {
  const verb = ref<Verb | null>(null)
  const radius = useLocalStorage('kt-radius', 12)
  const soft = useLocalStorage('kt-soft', 0.5)
  const strength = useLocalStorage('kt-strength', 0.6)

  const clamp = (v: number, lo: number, hi: number) => Math.min(Math.max(v, lo), hi)
  const scaleRadius = (factor: number) => void (radius.value = Math.round(clamp(radius.value * factor, 0.5, 200) * 10) / 10)
  const addStrength = (step: number) => void (strength.value = Math.round(clamp(strength.value + step, 0.05, 1) * 100) / 100)
  const take = (v: Verb | null) => void (verb.value = verb.value === v ? null : v)

  return { verb, radius, soft, strength, scaleRadius, addStrength, take }
})

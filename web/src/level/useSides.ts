import { useLocalStorage, useWindowSize } from '@vueuse/core'
import { computed } from 'vue'

const EDGE = 11
const clamp = (v: number, lo: number, hi: number) => Math.round(Math.min(Math.max(v, lo), hi))

/** The two panels beside the stage: how wide they are and whether folded away, kept in this browser. */
export function useSides() {
  const window = useWindowSize()
  const kept = useLocalStorage<{
    left: number | null
    right: number | null
    leftFolded: boolean
    rightFolded: boolean
  }>('kt-sides', { left: null, right: null, leftFolded: false, rightFolded: false })
  /** The share of the window that a side has until it is dragged; it never takes more than two fifths. */
  const side = (name: 'left' | 'right', share: number, least: number, usual: number) => ({
    least,
    most: computed(() => Math.max(least, Math.round(window.width.value * 0.4))),
    width: computed({
      get: () =>
        clamp(
          kept.value[name] ?? clamp(window.width.value * share, least, usual),
          least,
          Math.max(least, window.width.value * 0.4),
        ),
      set: (w: number) => void (kept.value = { ...kept.value, [name]: w }),
    }),
    folded: computed({
      get: () => kept.value[`${name}Folded`],
      set: (f: boolean) => void (kept.value = { ...kept.value, [`${name}Folded`]: f }),
    }),
  })
  const left = side('left', 0.185, 200, 280)
  const right = side('right', 0.267, 300, 420)
  const columns = computed(() => {
    const [a, b] = [left, right].map((side) => (side.folded.value ? 0 : side.width.value))
    return `${a}px ${EDGE}px minmax(0, 1fr) ${EDGE}px ${b}px`
  })
  return { left, right, columns }
}

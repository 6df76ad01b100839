import { defineStore } from 'pinia'
import { ref, shallowRef, watch } from 'vue'
import { answer, api, type MaskSource } from '../api/client'
import { useLevel } from '../level/level'
import { bytesOf, rasterOf } from '../stage/payload'

const INK = [40, 62, 92] as const
const PAPER = [246, 240, 226] as const
const STRENGTH = 0.8

/** A mask in paper and ink, dark where it is white, so that what it would plant stands out. */
function inked(greys: Uint8Array): Uint8Array {
  const data = new Uint8Array(greys.length * 4)
  for (const [k, grey] of greys.entries()) {
    for (let c = 0; c < 3; c++) data[4 * k + c] = PAPER[c]! + ((INK[c]! - PAPER[c]!) * grey) / 255
    data[4 * k + 3] = 255 * STRENGTH
  }
  return data
}

/** One mask image at a time, kept or only tried, laid over the ground. */
export const useMasks = defineStore('masks', () => {
  const level = useLevel()
  const sheet = shallowRef<{ data: Uint8Array; columns: number; rows: number } | null>(null)
  /** The mask that lies over the ground; empty for one that is only tried. */
  const shown = ref<string | null>(null)
  const trouble = ref('')
  const busy = ref(false)
  let round = 0

  function lay(raster: string, name: string): void {
    const read = rasterOf(bytesOf(raster))
    sheet.value = { ...read, data: inked(read.data) }
    shown.value = name
  }

  /** Lay a mask over the ground, by its name or what it is made from. */
  async function look(what: { name: string } | { source: MaskSource }): Promise<void> {
    const mine = ++round
    trouble.value = ''
    busy.value = true
    try {
      const body = { ...what }
      const { raster } = await answer(api.POST('/api/levels/{slug}/mask-look', { ...level.here(), body }))
      if (mine === round) lay(raster, 'name' in what ? what.name : '')
    } catch (error) {
      if (mine !== round) return
      trouble.value = (error as Error).message
      sheet.value = shown.value = null
    } finally {
      if (mine === round) busy.value = false
    }
  }

  function hide(): void {
    round++
    busy.value = false
    sheet.value = shown.value = null
    trouble.value = ''
  }

  // One that is made again, brought in again or gone, by whomever, is not shown as it was.
  watch(
    [shown, () => level.masks.find((m) => m.name === shown.value)?.digest],
    ([name, digest], [before]) => {
      if (!name || name !== before) return
      if (digest) void look({ name })
      else hide()
    },
  )

  return { sheet, shown, trouble, busy, lay, look, hide }
})

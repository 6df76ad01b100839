import { ref, type ShallowRef } from 'vue'
import { askBytes, type Stand, type Stroke } from '../api/client'
import { decode } from '../stage/payload'
import type { Stage } from '../stage/stage'
import { useBrush } from '../stores/brush'
import { useLevel } from '../stores/level'

/** A stroke that was kept where the eye cannot see its plants. */
export interface Unseen {
  stand: Stand
  x: number
  z: number
}

/** Paint the selected stands: plants come and go in the stroke's wake; letting go keeps it. */
export function usePainting(stage: ShallowRef<Stage | null>) {
  const store = useLevel()
  const brush = useBrush()
  const path = ref<[number, number][]>([])
  const painting = ref(false)
  const unseen = ref<Unseen | null>(null)
  let tried = 0
  let trying: AbortController | null = null

  const stroke = (stand: Stand): Stroke => ({
    key: crypto.randomUUID(),
    stand: stand.id,
    verb: brush.verb!,
    path: path.value,
    radius: brush.radius,
    soft: brush.soft,
    strength: brush.strength,
    view: null,
  })

  async function attempt(): Promise<void> {
    const s = stage.value
    if (!s || trying || !painting.value || tried === path.value.length) return
    tried = path.value.length
    const control = (trying = new AbortController())
    try {
      for (const stand of store.chosen) {
        const bytes = await askBytes('POST', `/levels/${store.slug}/strokes/try`, stroke(stand), control.signal)
        const [x0, z0, x1, z1] = new Float32Array(bytes, 0, 4)
        if (control.signal.aborted) return
        s.store.stands.get(stand.id)?.replace(x0, z0, x1, z1, decode(bytes, 16))
        s.plantsChanged()
      }
    } catch {
      // What could not be tried will tell its trouble when it is kept.
    } finally {
      if (trying === control) trying = null
      if (painting.value) void attempt()
    }
  }

  /** Begin at a place; whether there is something to paint with and on. */
  function begin(x: number, z: number): boolean {
    if (!brush.verb || !store.chosen.length) return false
    if (!store.mayPlant) {
      store.trouble = 'You may look at this level, but only artists and leads may change its planting.'
      return false
    }
    path.value = [[x, z]]
    tried = 0
    painting.value = true
    unseen.value = null
    void attempt()
    return true
  }

  function extend(x: number, z: number): void {
    const [lx, lz] = path.value[path.value.length - 1]
    if (!painting.value || Math.hypot(x - lx, z - lz) < Math.max(0.3, brush.radius * 0.06)) return
    if (path.value.length < 4000) path.value.push([x, z])
    void attempt()
  }

  /** Put back what was only tried. */
  function restore(): void {
    const s = stage.value
    if (!s) return
    for (const stand of store.chosen) {
      const plants = s.store.stands.get(stand.id)
      for (const index of plants?.resident ?? []) plants!.spoil(index)
    }
    s.setStands(store.stands)
  }

  async function end(): Promise<void> {
    if (!painting.value) return
    painting.value = false
    trying?.abort()
    trying = null
    const s = stage.value!
    const [x, z] = path.value[path.value.length - 1]
    for (const stand of store.chosen) {
      const kept = await store.paint({ ...stroke(stand), view: { ...s.eye.view } })
      if (!kept) restore()
      else if (Math.hypot(s.eye.view.x - x, s.eye.view.z - z) > stand.settings.distances.gone) unseen.value = { stand, x, z }
    }
  }

  function cancel(): void {
    if (!painting.value) return
    painting.value = false
    trying?.abort()
    trying = null
    restore()
  }

  return { painting, unseen, begin, extend, end, cancel }
}

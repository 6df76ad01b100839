import { ref, type ShallowRef } from 'vue'
import { answer, api } from '../api/client'
import { STRIDE } from '../stage/payload'
import type { Spot } from '../stage/eyeView'
import type { Ring, Stage } from '../stage/stage'
import type { Stores } from '../shared/stores'

type Place = [number, number, number]
const NOTHING = new Float32Array(0)
const MOST = 4000

/** Take plants out under the brush: what would go is marked before the press; letting go takes it out. */
export function useUproot(
  stage: ShallowRef<Stage | null>,
  { level: store, brush }: Pick<Stores, 'level' | 'brush'>,
) {
  const pulling = ref(false)
  /** Plants that are marked. */
  const marked = ref(0)
  let path: Spot[] = []

  /** Mark what stands under a path on the stage. */
  function mark(along: Spot[]): void {
    const s = stage.value
    if (!s) return
    const out: number[] = []
    const rings: Ring[] = []
    const reach = brush.radius
    const flat = !along[0]!.on
    const at = along.map((p): Place => [p.at[0], flat ? 0 : p.at[1], p.at[2]])
    const x0 = Math.min(...at.map((p) => p[0])) - reach
    const x1 = Math.max(...at.map((p) => p[0])) + reach
    const z0 = Math.min(...at.map((p) => p[2])) - reach
    const z1 = Math.max(...at.map((p) => p[2])) + reach
    for (const stand of brush.worksOn(along[0]!.on)) {
      if (stand.sward) continue
      for (const cell of s.store.stands.get(stand.id)?.cells.values() ?? []) {
        if (cell.box[0]! > x1 || cell.box[3]! < x0 || cell.box[2]! > z1 || cell.box[5]! < z0) continue
        const { form, count } = cell.plants
        for (let o = 0; o < count * STRIDE && out.length < 2 * MOST; o += STRIDE) {
          const [x, y, z] = [form[o]!, form[o + 1]!, form[o + 2]!]
          if (x < x0 || x > x1 || z < z0 || z > z1) continue
          const foot: Place = [x, flat ? 0 : y, z]
          if (!at.some((p, k) => far(foot, at[Math.max(k - 1, 0)]!, p) <= reach)) continue
          out.push(x, z)
          if (rings.length < 300) rings.push({ x, z, radius: 0.6, ...(flat ? {} : { y }) })
        }
      }
    }
    marked.value = out.length / 2
    s.setMarks(NOTHING, Float32Array.from(out))
    s.setRings(rings)
  }
  const hover = (spot: Spot) => !pulling.value && mark([spot])
  function clear(): void {
    marked.value = 0
    stage.value?.setMarks(NOTHING, NOTHING)
    stage.value?.setRings([])
  }

  function begin(spot: Spot): boolean {
    if (!brush.targets.length || !store.mayPlant) return false
    path = [spot]
    pulling.value = true
    mark(path)
    return true
  }
  function extend(spot: Spot): void {
    const last = path[path.length - 1]!
    if (!pulling.value || !spot.on !== !last.on) return
    const [x, y, z] = spot.at
    const up = spot.on ? y - last.at[1] : 0
    if (Math.hypot(x - last.at[0], up, z - last.at[2]) < Math.max(0.3, brush.radius * 0.1)) return
    path.push(spot)
    mark(path)
  }
  async function end(): Promise<void> {
    if (!pulling.value) return
    pulling.value = false
    clear()
    const stands = brush.targets.map((s) => s.id)
    try {
      const body = {
        key: crypto.randomUUID(),
        stands,
        path: path.map((p): [number, number] => [p.at[0], p.at[2]]),
        on: path.flatMap((p) => (p.on ? [p.on] : [])),
        radius: brush.radius,
      }
      store.take(await answer(api.POST('/api/levels/{slug}/uproot', { ...store.here(), body })))
    } catch (error) {
      store.report(error)
    }
  }
  function cancel(): void {
    pulling.value = false
    clear()
  }

  return { pulling, marked, hover, begin, extend, end, cancel, clear }
}

/** How far a place is from a straight piece of a path. */
function far(at: Place, a: Place, b: Place): number {
  const e = [0, 1, 2].map((k) => b[k]! - a[k]!)
  const off = [0, 1, 2].map((k) => at[k]! - a[k]!)
  const length = e[0]! * e[0]! + e[1]! * e[1]! + e[2]! * e[2]!
  const along = off[0]! * e[0]! + off[1]! * e[1]! + off[2]! * e[2]!
  const t = length ? Math.min(Math.max(along / length, 0), 1) : 0
  return Math.hypot(...off.map((v, k) => v - t * e[k]!))
}

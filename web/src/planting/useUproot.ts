import { ref, type ShallowRef } from 'vue'
import { answer, api } from '../api/client'
import { STRIDE } from '../stage/payload'
import type { Spot } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import type { Stores } from '../shared/stores'

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
  let path: [number, number][] = []

  /** Mark what stands under a path on the stage. */
  function mark(along: [number, number][]): void {
    const s = stage.value
    if (!s) return
    const out: number[] = []
    const reach = brush.radius
    const x0 = Math.min(...along.map((p) => p[0])) - reach
    const x1 = Math.max(...along.map((p) => p[0])) + reach
    const z0 = Math.min(...along.map((p) => p[1])) - reach
    const z1 = Math.max(...along.map((p) => p[1])) + reach
    for (const stand of brush.targets) {
      if (stand.sward) continue
      for (const cell of s.store.stands.get(stand.id)?.cells.values() ?? []) {
        if (cell.box[0] > x1 || cell.box[3] < x0 || cell.box[2] > z1 || cell.box[5] < z0) continue
        const { form, count } = cell.plants
        for (let o = 0; o < count * STRIDE && out.length < 2 * MOST; o += STRIDE) {
          const x = form[o]
          const z = form[o + 2]
          if (
            x >= x0 &&
            x <= x1 &&
            z >= z0 &&
            z <= z1 &&
            along.some((p, k) => far(x, z, along[Math.max(k - 1, 0)], p) <= reach)
          )
            out.push(x, z)
        }
      }
    }
    marked.value = out.length / 2
    s.setMarks(NOTHING, Float32Array.from(out))
    const rings = []
    for (let k = 0; k < Math.min(out.length, 600); k += 2)
      rings.push({ x: out[k], z: out[k + 1], radius: 0.6 })
    s.setRings(rings)
  }
  const hover = (spot: Spot) => !pulling.value && mark([[spot.at[0], spot.at[2]]])
  function clear(): void {
    marked.value = 0
    stage.value?.setMarks(NOTHING, NOTHING)
    stage.value?.setRings([])
  }

  function begin(spot: Spot): boolean {
    if (!brush.targets.length || !store.mayPlant) return false
    path = [[spot.at[0], spot.at[2]]]
    pulling.value = true
    mark(path)
    return true
  }
  function extend(spot: Spot): void {
    const [x, z] = [spot.at[0], spot.at[2]]
    const [lx, lz] = path[path.length - 1]
    if (!pulling.value || Math.hypot(x - lx, z - lz) < Math.max(0.3, brush.radius * 0.1)) return
    path.push([x, z])
    mark(path)
  }
  async function end(): Promise<void> {
    if (!pulling.value) return
    pulling.value = false
    clear()
    const stands = brush.targets.map((s) => s.id)
    try {
      const body = { key: crypto.randomUUID(), stands, path, radius: brush.radius }
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
function far(x: number, z: number, a: [number, number], b: [number, number]): number {
  const ex = b[0] - a[0]
  const ez = b[1] - a[1]
  const length = ex * ex + ez * ez
  const t = length ? Math.min(Math.max(((x - a[0]) * ex + (z - a[1]) * ez) / length, 0), 1) : 0
  return Math.hypot(x - a[0] - t * ex, z - a[1] - t * ez)
}

import { useIntervalFn } from '@vueuse/core'
import { ref, watch, type ShallowRef } from 'vue'
import type { Selected } from '../api/client'
import type { Spot } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import type { Stores } from '../shared/stores'

type Place = [number, number]
const RINGED = 400
/** How far, in m, the eye goes before other plants are ringed, when more are selected than that. */
const STEP = 12

/**
 * Select single plants on the stage: click one, draw a box or a line round many, drag what is selected
 * elsewhere.
 */
export function useSelect(
  stage: ShallowRef<Stage | null>,
  { selection, brush }: Pick<Stores, 'selection' | 'brush'>,
) {
  const drawing = ref<'outline' | 'move' | null>(null)
  let path: Place[] = []
  let ringed: Place = [0, 0]
  let add = false
  /** The altitude of the placed mesh that was pressed; null on the terrain. */
  let height: number | null = null

  /** How near, in m, the pointer must be to a plant to mean it. */
  const near = (where: 'eye' | 'plan') =>
    where === 'plan' ? Math.max(1.2, 8 * (stage.value?.plan.pixel ?? 1)) : 1.5
  const outline = (): Place[] => {
    const [a, b] = [path[0]!, path[path.length - 1]!]
    return selection.shape === 'box' ? [a, [b[0], a[1]], b, [a[0], b[1]]] : path
  }
  /** Ring what is selected, moved by as much as it is dragged. */
  function show(east = 0, south = 0): void {
    const s = stage.value
    if (!s) return
    const plants = selection.plants
    s.setMarks(Float32Array.from(plants.flatMap((p) => [p.x + east, p.z + south])), new Float32Array(0))
    ringed = [s.eye.view.x, s.eye.view.z]
    const raised = (p: Selected) => (selection.onMeshes(p) ? { y: p.y } : {})
    s.setRings(nearest(plants).map((p) => ({ x: p.x + east, z: p.z + south, radius: 0.7, ...raised(p) })))
  }
  /** Those that are ringed: the nearest to the eye, when there are too many. */
  function nearest(plants: Selected[]): Selected[] {
    if (plants.length <= RINGED) return plants
    const [x, z] = ringed
    return [...plants]
      .sort((a, b) => Math.hypot(a.x - x, a.z - z) - Math.hypot(b.x - x, b.z - z))
      .slice(0, RINGED)
  }
  watch(
    () => selection.plants,
    () => show(),
  )
  useIntervalFn(() => {
    const v = stage.value?.eye.view
    if (
      v &&
      !drawing.value &&
      selection.plants.length > RINGED &&
      Math.hypot(v.x - ringed[0], v.z - ringed[1]) > STEP
    )
      show()
  }, 400)

  function begin(spot: Spot, event: PointerEvent, where: 'eye' | 'plan'): boolean {
    const [x, y, z] = spot.at
    path = [[x, z]]
    height = spot.on ? y : null
    add = event.shiftKey
    const reach = near(where)
    const hit =
      !add && selection.movable && selection.plants.some((p) => Math.hypot(p.x - x, p.z - z) <= reach)
    drawing.value = hit ? 'move' : 'outline'
    return true
  }
  function extend(x: number, z: number): void {
    const [lx, lz] = path[path.length - 1]!
    if (!drawing.value || Math.hypot(x - lx, z - lz) < 0.2) return
    if (path.length < 1900) path.push([x, z])
    if (drawing.value === 'move') show(x - path[0]![0], z - path[0]![1])
    else stage.value?.setLasso(outline())
  }
  async function end(where: 'eye' | 'plan'): Promise<void> {
    const was = drawing.value
    drawing.value = null
    stage.value?.setLasso([])
    const [a, b] = [path[0]!, path[path.length - 1]!]
    const still = path.length < 2 || Math.hypot(b[0] - a[0], b[1] - a[1]) < 0.3
    if (was === 'move' && !still) {
      if (!(await selection.act({ east: b[0] - a[0], south: b[1] - a[1] }))) show()
    } else if (still) await selection.nearest(...a, near(where), add, height)
    else if (path.length > 2 || selection.shape === 'box') {
      if (selection.scatters) await selection.scatter(outline(), brush.drawn)
      else await selection.inside(outline(), add)
    }
  }
  function cancel(): void {
    drawing.value = null
    stage.value?.setLasso([])
    show()
  }
  /** What the eye sees of the ground, out to a distance in m. */
  function seen(far: number): Place[] {
    const v = stage.value!.eye.view
    const half = (Math.atan(Math.tan((v.fov * Math.PI) / 360) * v.aspect) * 180) / Math.PI
    const ray = (angle: number): Place => {
      const a = (angle * Math.PI) / 180
      return [v.x + Math.sin(a) * far, v.z - Math.cos(a) * far]
    }
    return [[v.x, v.z], ray(v.heading - half), ray(v.heading), ray(v.heading + half)]
  }

  return { drawing, begin, extend, end, cancel, show, seen }
}

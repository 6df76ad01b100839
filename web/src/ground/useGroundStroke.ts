import { computed, ref, type ShallowRef } from 'vue'
import type { Spot } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import type { Stores } from '../shared/stores'

type Place = [number, number]
const MOST = 4000

/** Touch up the ground with a stroke on the stage; letting go keeps it. */
export function useGroundStroke(
  stage: ShallowRef<Stage | null>,
  { brush, touchUp, level }: Pick<Stores, 'brush' | 'touchUp' | 'level'>,
) {
  const path = ref<Place[]>([])
  let pressure: number[] | null = null
  let opposite = false
  const armed = computed(() => touchUp.verb !== null && level.mayPlant)

  /** Begin at a place of the terrain; whether it is one. */
  function begin({ at: [x, , z], on }: Spot, force: number | null, other: boolean): boolean {
    if (on || touchUp.busy) return false
    path.value = [[x, z]]
    opposite = other
    pressure = force === null ? null : [force]
    return true
  }
  function extend({ at: [x, , z], on }: Spot, force: number | null): void {
    const last = path.value[path.value.length - 1]
    if (on || !last || path.value.length >= MOST) return
    if (Math.hypot(x - last[0], z - last[1]) < Math.max(0.3, brush.radius * 0.06)) return
    path.value.push([x, z])
    pressure?.push(force ?? 1)
    stage.value?.setTrace(touchUp.verb === 'slope' ? [path.value[0]!, [x, z]] : path.value)
  }
  /** Keep what was drawn, whose line stays until the ground has changed. */
  async function end(): Promise<void> {
    if (path.value.length) await touchUp.keep(path.value, pressure, opposite)
    cancel()
  }
  function cancel(): void {
    if (!path.value.length) return
    path.value = []
    stage.value?.setTrace([])
  }

  return { armed, begin, extend, end, cancel }
}

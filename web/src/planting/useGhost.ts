import { computed, ref, shallowRef, type ShallowRef } from 'vue'
import { answer, api, type Ghost } from '../api/client'
import type { Spot } from '../stage/eyeView'
import type { On } from '../stage/placedMeshes'
import type { Stage } from '../stage/stage'
import type { Stores } from '../shared/stores'

/**
 * Set single plants by hand: the very plant to come stands at the pointer, is turned and sized, and is set
 * by letting go.
 */
export function useGhost(
  stage: ShallowRef<Stage | null>,
  { level: store, brush }: Pick<Stores, 'level' | 'brush'>,
) {
  const ghost = shallowRef<Ghost | null>(null)
  const setting = ref(false)
  const stand = computed(() =>
    store.chosen.length === 1 && !store.chosen[0]!.sward ? store.chosen[0] : null,
  )
  let key = crypto.randomUUID()
  let turn: number | null = null
  let size = 1
  let places: Spot[] = []
  let at: Spot | null = null
  let asking = false

  /** Where a plant is to stand, as the server has it. */
  const placeOf = ({ at: [x, , z], on }: Spot) => ({
    x,
    z,
    ...(on ? { on: [on[0], on[1]] as [number, number] } : {}),
  })
  /** What it is drawn from, where that is not the mix of the stand. */
  const drawnFrom = () => (brush.setItem ? { item: brush.setItem } : brush.drawn ? { mix: brush.drawn } : {})
  const bodyOf = (spot: Spot, g: Ghost | null = ghost.value) => ({
    ...placeOf(spot),
    ...drawnFrom(),
    ...(turn !== null ? { turn: ((turn % 360) + 360) % 360 } : {}),
    ...(size !== 1 && g
      ? { width: +(g.plant.width * size).toFixed(4), height: +(g.plant.height * size).toFixed(4) }
      : {}),
  })

  function show(): void {
    const s = stage.value
    if (!s || !stand.value) return
    const g = ghost.value
    const items = [...new Set([...stand.value.items, ...(g ? [g.plant.item] : [])])]
    s.setGhost(g ? { ...stand.value, items } : null, g ? items.indexOf(g.plant.item) : 0, g ? grown(g) : [])
    const way = g?.disc && !brush.push ? [{ x: g.disc[0], z: g.disc[1], radius: g.disc[2] }] : []
    const rings = places.map(({ at: [x, y, z], on }) => ({ x, z, radius: 0.4, ...(on ? { y } : {}) }))
    s.setRings([...way, ...rings])
  }
  const grown = (g: Ghost) => g.form.map((v, k) => (k === 7 || k === 8 ? v * size : v))

  /** The pointer is over a place. */
  async function hover(spot: Spot): Promise<void> {
    at = spot
    if (asking || !stand.value || !store.mayPlant) return
    if (!brush.worksOn(spot.on).length) return show()
    asking = true
    try {
      const wish = bodyOf(spot, null)
      ghost.value = await answer(
        api.POST('/api/levels/{slug}/stands/{stand}/pins/try', {
          params: { path: { slug: store.slug, stand: stand.value.id } },
          body: { key, add: wish, push: brush.push },
        }),
      )
      if (at) show()
    } catch (error) {
      store.report(error)
    } finally {
      asking = false
      if (at && at !== spot) void hover(at)
    }
  }
  /** Turn the ghost by degrees, or size it by a factor. */
  function adjust(by: number, factor: number): void {
    if (!ghost.value) return
    turn = (turn ?? ghost.value.plant.turn) + by
    size = Math.min(Math.max(size * factor, 0.2), 4)
    if (by && at) void hover(at)
    else show()
  }
  function clear(): void {
    at = null
    ghost.value = null
    places = []
    stage.value?.setGhost(null, 0, [])
    stage.value?.setRings([])
  }

  function begin(spot: Spot): boolean {
    if (!stand.value) {
      store.trouble =
        store.chosen.length === 1
          ? `${store.chosen[0]!.name} is a sward: it has no single plants to set.`
          : 'Select one stand to set a plant of.'
      return false
    }
    setting.value = true
    if (!brush.worksOn(spot.on).length) {
      store.trouble = brush.leftAlone(spot.on)
      return false
    }
    places = [spot]
    return true
  }
  /** Held down and drawn, plants are set at the stand's spacing. */
  function extend(spot: Spot): void {
    if (!setting.value || !stand.value) return
    const last = places[places.length - 1]!
    if (!last.on !== !spot.on) return
    const way = [0, 1, 2].map((k) => (k === 1 && !spot.on ? 0 : spot.at[k]! - last.at[k]!))
    const far = Math.hypot(...way)
    const step = stand.value.settings.spacing
    for (let k = 1; k * step <= far; k++) {
      const along = (d: 0 | 1 | 2) => last.at[d] + (way[d]! * k * step) / far
      const [x, y, z] = [along(0), along(1), along(2)]
      const on = spot.on && ([spot.on[0], y, spot.on[2], spot.on[3], spot.on[4]] as On)
      places.push({ at: [x, y, z], on })
    }
    show()
  }
  async function end(): Promise<void> {
    if (!setting.value || !stand.value) return
    setting.value = false
    const g = ghost.value
    if (g?.trouble && places.length === 1 && !brush.push) {
      store.trouble = g.trouble
      return
    }
    try {
      const add = places.map((spot, k) => (k ? { ...placeOf(spot), ...drawnFrom() } : bodyOf(spot)))
      const changed = await answer(
        api.POST('/api/levels/{slug}/stands/{stand}/pins', {
          params: { path: { slug: store.slug, stand: stand.value.id } },
          body: { key, add, change: [], remove: [], release: [], push: brush.push },
        }),
      )
      store.take(changed)
      key = crypto.randomUUID()
      turn = null
      size = 1
      clear()
    } catch (error) {
      store.report(error)
      places = []
      show()
    }
  }
  function cancel(): void {
    setting.value = false
    clear()
  }

  return { ghost, setting, stand, hover, adjust, begin, extend, end, cancel, clear }
}

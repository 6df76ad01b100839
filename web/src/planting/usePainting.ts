import { ref, shallowRef, type ShallowRef } from 'vue'
import { answerBytes, api, type Stand, type Stroke } from '../api/client'
import { decode } from '../stage/payload'
import type { Spot } from '../stage/eyeView'
import type { On } from '../stage/placedMeshes'
import type { Stage } from '../stage/stage'
import type { Stores } from '../shared/stores'

/** A stroke that was kept where the eye cannot see its plants. */
export interface Unseen {
  stand: Stand
  x: number
  z: number
  plants: number
  /** Whether they were taken away. */
  gone: boolean
}

/** Paint touch: plants come and go in the stroke's wake; letting go keeps it. */
export function usePainting(
  stage: ShallowRef<Stage | null>,
  { level: store, brush, plots }: Pick<Stores, 'level' | 'brush' | 'plots'>,
) {
  const path = ref<[number, number][]>([])
  /** What of placed meshes lies under each point of the path; empty for a stroke over the terrain. */
  let on: On[] = []
  const painting = ref(false)
  const unseen = ref<Unseen | null>(null)
  /**
   * The last stroke that was let go of, for going on straight from its end and for doing it again
   * elsewhere.
   */
  const last = shallowRef<Stroke | null>(null)
  let pressure: number[] | null = null
  let opposite = false
  let tried = 0
  let trying: AbortController | null = null

  const stroke = (): Stroke => brush.stroke(path.value, pressure, opposite, on)

  /** Show what the stroke so far would leave, and again as long as it is drawn on. */
  async function attempt(): Promise<void> {
    const s = stage.value
    if (!s || trying || tried === path.value.length) return
    tried = path.value.length
    const control = (trying = new AbortController())
    void plots.weigh({ ...stroke(), view: { ...s.eye.view } }, () => painting.value)
    try {
      for (const stand of brush.worksOn(on[0] ?? null)) {
        const bytes = await answerBytes(
          api.POST('/api/levels/{slug}/strokes/try', {
            params: { path: { slug: store.slug } },
            body: { ...stroke(), stand: stand.id, also: [] },
            signal: control.signal,
            parseAs: 'stream',
          }),
        )
        const [x0, z0, x1, z1] = new Float32Array(bytes, 0, 4)
        if (control.signal.aborted) return
        s.store.stands.get(stand.id)?.replace(x0!, z0!, x1!, z1!, decode(bytes, 16))
        s.plantsChanged()
      }
    } catch {
      // What could not be tried will show its trouble when it is kept.
    } finally {
      if (trying === control) trying = null
      if (painting.value) void attempt()
    }
  }

  const refused = (): boolean => {
    if (store.mayPlant) return false
    store.trouble = 'You may look at this level, but only artists and leads may change its planting.'
    return true
  }

  /**
   * Begin at a place; whether there is something to paint with and on. `force` is the pen's pressure, null
   * for a mouse.
   */
  function begin(spot: Spot, force: number | null, other: boolean): boolean {
    if (!brush.paints || !brush.targets.length || refused() || elsewhere(spot)) return false
    path.value = [[spot.at[0], spot.at[2]]]
    on = spot.on ? [spot.on] : []
    pressure = force === null ? null : [force]
    opposite = other
    tried = 0
    painting.value = true
    unseen.value = null
    void attempt()
    return true
  }
  /** Whether none of the stands grows where the brush is held, which is shown. */
  function elsewhere(spot: Spot): boolean {
    if (brush.worksOn(spot.on).length) return false
    store.trouble = brush.leftAlone(spot.on)
    return true
  }

  /** A stroke that was begun on the terrain stays there, and one that was begun on placed meshes on those. */
  function extend(spot: Spot, force: number | null): void {
    if (!painting.value || !!spot.on !== on.length > 0) return
    const [x, z] = [spot.at[0], spot.at[2]]
    const [lx, lz] = path.value[path.value.length - 1]!
    const up = spot.on ? spot.on[1] - on[on.length - 1]![1] : 0
    if (Math.hypot(x - lx, up, z - lz) < Math.max(0.3, brush.radius * 0.06)) return
    if (path.value.length < 4000) {
      path.value.push([x, z])
      if (spot.on) on.push(spot.on)
      pressure?.push(force ?? 1)
    }
    void attempt()
  }

  /** Put back what was only tried. */
  function restore(): void {
    plots.tried = []
    const s = stage.value
    if (!s) return
    for (const stand of brush.targets) {
      const plants = s.store.stands.get(stand.id)
      for (const index of plants?.resident ?? []) plants!.spoil(index)
    }
    s.setStands(store.stands)
  }

  /** Keep a stroke; what cannot be seen of it from here is shown. */
  async function keep(stroke: Stroke, shown?: Promise<void>): Promise<void> {
    const s = stage.value!
    const targets = brush.targets
    const [x, z] = stroke.path[stroke.path.length - 1]!
    last.value = stroke
    const fate = await store.paint({ ...stroke, view: { ...s.eye.view } }, shown)
    if (fate === 'refused') return restore()
    if (fate === 'waiting') return
    const far = Math.hypot(s.eye.view.x - x, s.eye.view.z - z)
    const hidden = targets.find((t) => !s.everything && far > t.settings.distances.gone)
    if (hidden && store.difference)
      unseen.value = {
        stand: hidden,
        x,
        z,
        plants: store.difference.gained || store.difference.lost,
        gone: !store.difference.gained,
      }
  }

  async function end(): Promise<void> {
    if (!painting.value) return
    painting.value = false
    trying?.abort()
    trying = null
    const shown = attempt()
    await keep(stroke(), shown)
  }

  /** Paint straight from where the last stroke ended; whether there was one on the like ground. */
  function straight(spot: Spot, other: boolean): boolean {
    const was = last.value
    if (!was || !brush.paints || !brush.targets.length || refused() || elsewhere(spot)) return false
    if (!!was.on?.length !== !!spot.on) return false
    opposite = other
    pressure = null
    path.value = [was.path[was.path.length - 1]!, [spot.at[0], spot.at[2]]]
    on = spot.on ? [was.on[was.on.length - 1] as On, spot.on] : []
    void keep(stroke())
    return true
  }

  /** Do the last stroke again, beginning at another place; one over placed meshes has its own shape. */
  function again(x: number, z: number): void {
    if (!last.value || refused()) return
    if (last.value.on?.length)
      return void (store.trouble = 'A stroke over a placed mesh has its shape: draw it anew elsewhere.')
    const [x0, z0] = last.value.path[0]!
    void keep({
      ...last.value,
      key: crypto.randomUUID(),
      path: last.value.path.map(([a, b]) => [a - x0 + x, b - z0 + z]),
    })
  }

  /** Work with the brush everywhere, or all over the area of its limits. */
  function fill(what: 'area' | 'level'): void {
    if (!brush.paints || !brush.targets.length || refused()) return
    path.value = [[1, 1]]
    on = []
    pressure = null
    opposite = false
    void keep({ ...stroke(), fill: what })
  }

  function cancel(): void {
    if (!painting.value) return
    painting.value = false
    trying?.abort()
    trying = null
    restore()
  }

  return { painting, unseen, last, begin, extend, end, cancel, straight, again, fill }
}

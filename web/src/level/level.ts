import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import {
  answer,
  api,
  ApiError,
  type Changed,
  type Entry,
  type Level,
  type LevelCost,
  type Mask,
  type Person,
  type Pulse,
  type Shape,
  type Surface,
  type SurfaceIn,
  type Since,
  type ShapeIn,
  type Stand,
  type StandSettings,
  type Stroke,
  type View,
} from '../api/client'
import { line, type LineName } from '../budget/budget'
import { unsure } from '../stage/sheetKeys'
import { useOutbox, type Fate } from '../planting/outbox'
import { useSession } from '../pages/session'

export interface Difference {
  what: string
  gained: number
  lost: number
  cost: Partial<Record<string, number>>
}

/**
 * The open level: its stands as the server has them, what is selected, what the view costs, what was done
 * last.
 */
export const useLevel = defineStore('level', () => {
  const session = useSession()
  const outbox = useOutbox()
  const level = shallowRef<Level | null>(null)
  const stands = shallowRef<Stand[]>([])
  const shapes = shallowRef<Shape[]>([])
  const surfaces = shallowRef<Surface[]>([])
  const masks = shallowRef<Mask[]>([])
  const selected = ref<number[]>([])
  const hidden = ref(new Set<number>())
  const cost = shallowRef<LevelCost | null>(null)
  const difference = shallowRef<Difference | null>(null)
  /** What one could take back and do again. */
  const pulse = shallowRef<{ undo: string | null; redo: string | null } | null>(null)
  /** The version of the level that is on the screen. */
  const version = ref(0)
  const others = shallowRef<Person[]>([])
  const trouble = ref('')

  const slug = computed(() => level.value?.slug ?? '')
  /** Where requests about this level go. */
  const here = () => ({ params: { path: { slug: slug.value } } })
  /** The stand that was selected before this one. */
  const before = ref<number[]>([])
  watch(selected, (_, old) => old.length && (before.value = old))
  const mayPlant = computed(() => level.value?.role === 'lead' || level.value?.role === 'artist')
  const chosen = computed(() => stands.value.filter((s) => selected.value.includes(s.id)))

  function report(error: unknown): void {
    // That the server is away, or the sign-in has ended, is shown once, for everything, by `StatusLine` and
    // `SignInAgain`.
    if (error instanceof ApiError && (error.status === 0 || error.status === 401 || error.status >= 502))
      return
    trouble.value = error instanceof Error ? error.message : String(error)
  }

  async function open(name: string): Promise<void> {
    const one = { params: { path: { slug: name } } }
    const now = await answer(api.GET('/api/levels/{slug}/pulse', one))
    const [l, s, sh, su, m] = await Promise.all([
      answer(api.GET('/api/levels/{slug}', one)),
      answer(api.GET('/api/levels/{slug}/stands', one)),
      answer(api.GET('/api/levels/{slug}/shapes', one)),
      answer(api.GET('/api/levels/{slug}/surfaces', one)),
      answer(api.GET('/api/levels/{slug}/masks', one)),
    ])
    level.value = l
    stands.value = s
    shapes.value = sh
    surfaces.value = su
    masks.value = m
    selected.value = s.length ? [s.find((x) => x.stratum === 'Canopy')?.id ?? s[0]!.id] : []
    version.value = now.since.version
    setPulse(now)
    void countAll()
    if (session.name && (await outbox.open(session.name, name))) void sendWaiting()
  }

  function setPulse({ undo, redo }: { undo: string | null; redo: string | null }): void {
    pulse.value = { undo, redo }
  }

  let counting = false
  /** Count the stands that are so large that opening the level did not wait for it, one after another. */
  async function countAll(): Promise<void> {
    if (counting) return
    counting = true
    const asked = new Set<number>()
    try {
      for (let next; (next = stands.value.find((s) => !s.counted && !asked.has(s.id)));) {
        asked.add(next.id)
        const { id, settings } = next
        const of = slug.value
        const count = await answer(
          api.GET('/api/levels/{slug}/stands/{stand}/count', { params: { path: { slug: of, stand: id } } }),
        )
        stands.value = stands.value.map((s) =>
          s.id === id && s.settings === settings ? { ...s, count, counted: true } : s,
        )
        if (of !== slug.value) break
        const one = { params: { path: { slug: of, stand: id } } }
        const reply = await answer(api.GET('/api/levels/{slug}/stands/{stand}', one))
        stands.value = stands.value.map((s) => (s.id === id ? reply : s))
      }
    } catch (error) {
      report(error)
    } finally {
      counting = false
    }
  }

  /** Take over what is other in the level. */
  function apply(since: Since, moved: Changed['moved'] = {}): void {
    if (since.level) level.value = since.level
    if (since.shapes) shapes.value = since.shapes
    if (since.surfaces) surfaces.value = since.surfaces
    if (since.masks) masks.value = since.masks
    const fresh = new Map(since.stands?.map((s) => [s.id, s]))
    const known = new Set(stands.value.map((s) => s.id))
    const gone = new Set(since.gone)
    let now = stands.value
      .filter((s) => !gone.has(s.id))
      .map((s) => fresh.get(s.id) ?? withKeys(s, since, moved[s.id]))
    now.push(...[...fresh.values()].filter((s) => !known.has(s.id)))
    if (since.order) {
      const place = new Map(since.order.map((id, k) => [id, k]))
      now = now.filter((s) => place.has(s.id)).sort((a, b) => place.get(a.id)! - place.get(b.id)!)
    }
    if (now.length !== stands.value.length || now.some((s, k) => s !== stands.value[k])) stands.value = now
  }

  /** A stand with the content keys and the count that have become known; its count is asked for later where
   * it follows from others' plants. */
  function withKeys(stand: Stand, since: Since, moved?: [number, number]): Stand {
    const changed = since.keys?.[stand.id]
    const reply = since.counts?.[stand.id]
    if (reply !== undefined) uncounted.delete(stand.id)
    else if (changed && !moved) uncounted.add(stand.id)
    const count = reply ?? (moved && stand.count + moved[0] - moved[1])
    if (!changed && (count === undefined || count === stand.count)) return stand
    const keys = stand.sheets.keys.slice()
    for (const [index, key] of Object.entries(changed ?? {}))
      keys[Number(index)] = key || unsure(keys[Number(index)]!, since.version)
    return { ...stand, count: count ?? stand.count, sheets: { ...stand.sheets, keys } }
  }

  /** Stands whose plants came or went with those of others, and are to be counted with the next beat. */
  const uncounted = new Set<number>()

  /**
   * Take over an action that was kept, taken back or done again; and what the view costs since, where it was
   * sent one. Where others have acted since what is on the screen, the next beat brings all of it; where a
   * beat was faster than the action's own answer, it has brought the change already, but for counts that it
   * leaves to the next beat.
   */
  function take(changed: Changed, what = changed.entry.what, view: View | null = null): Entry {
    if (changed.since.version > version.value) apply(changed.since, changed.moved)
    else countMeanwhile(changed)
    if (changed.previous === version.value) version.value = changed.since.version
    setPulse(changed)
    difference.value = { what, gained: changed.gained, lost: changed.lost, cost: changed.entry.cost }
    if (changed.spent) {
      cost.value = changed.spent
      costed = costKey(view)
    }
    return changed.entry
  }

  /** The counts of an action that a beat brought before the action's own answer; the next beat sets them. */
  function countMeanwhile({ since, moved }: Changed): void {
    stands.value = stands.value.map((s) => {
      if (!uncounted.has(s.id)) return s
      const [gained, lost] = moved[s.id] ?? [0, 0]
      return { ...s, count: since.counts?.[s.id] ?? s.count + gained - lost }
    })
  }

  /** Read what is other since what is on the screen. */
  async function refresh(): Promise<void> {
    const since = version.value
    const params = { path: { slug: slug.value }, query: { version: since } }
    hear(await answer(api.GET('/api/levels/{slug}/pulse', { params })), since)
  }

  /** Take over what was heard to be other since a version; what one did meanwhile is on the screen already,
   * and the next beat brings the rest. */
  function hear(now: Pulse, since: number): void {
    if (since !== version.value) return
    apply(now.since)
    version.value = now.since.version
    setPulse(now)
    void countAll()
  }

  /** Report where one is, and hear what is other since what is on the screen, and where others are. */
  async function beat(
    at: { x: number; z: number; heading: number; bench: string } | null = null,
    leaving = false,
  ): Promise<void> {
    const since = version.value
    if (at) {
      const body = { ...at, leaving, version: since, counted: [...uncounted] }
      const reply = await answer(api.POST('/api/levels/{slug}/beat', { ...here(), body }))
      others.value = reply.others
      hear(reply, since)
    } else if (!leaving) await refresh()
    if (outbox.waiting.length) await sendWaiting()
  }

  /** Have the sheets around a place listed that are not listed yet, for the eye has come near them. */
  async function loadNear(x: number, z: number): Promise<void> {
    if (!stands.value.some((s) => s.sheets.keys.includes(''))) return
    const near = await answer(
      api.GET('/api/levels/{slug}/keys', { params: { path: { slug: slug.value }, query: { x, z } } }),
    )
    stands.value = stands.value.map((s) => {
      const keys = s.sheets.keys.slice()
      for (const [index, key] of Object.entries(near[s.id] ?? {})) keys[Number(index)] ||= key
      return keys.every((key, k) => key === s.sheets.keys[k]) ? s : { ...s, sheets: { ...s.sheets, keys } }
    })
  }

  /** Say what was done last, as the difference in the cost strip. */
  const note = (entry: Entry, what = entry.what) => {
    difference.value = { what, gained: entry.gained, lost: entry.lost, cost: entry.cost }
  }

  let last: Promise<unknown> = Promise.resolve()
  /**
   * Actions go to the server one after another, so that undo takes back the stroke that was let go of just
   * before.
   */
  const inTurn = <T>(work: () => Promise<T>): Promise<T> => {
    const mine = last.then(work, work)
    last = mine
    return mine
  }

  /**
   * Keep a stroke, once what it leaves is `shown`; one that cannot be sent now is kept in the browser
   * until it can.
   */
  const paint = (stroke: Stroke, shown?: Promise<void>): Promise<Fate> =>
    inTurn(async () => {
      await shown
      return outbox.add(stroke, stored)
    })

  async function stored(changed: Changed, stroke: Stroke): Promise<void> {
    take(changed, undefined, stroke.view)
  }

  /** Send the strokes that wait in the browser. */
  const sendWaiting = (): Promise<void> => inTurn(() => outbox.send(stored))

  /** Take back or do again one's own last action, or any entry of the journal. */
  const move = (way: 'undo' | 'redo', entry: number | null = null): Promise<void> =>
    inTurn(() => moveNow(way, entry))
  async function moveNow(way: 'undo' | 'redo', entry: number | null): Promise<void> {
    if (outbox.waiting.length) {
      trouble.value = 'Strokes wait to be sent: what came last can be taken back when they are stored.'
      return
    }
    try {
      const one = { params: { path: { slug: slug.value, entry: entry ?? 0 } } }
      const moved = await answer(
        entry === null
          ? way === 'undo'
            ? api.POST('/api/levels/{slug}/undo', here())
            : api.POST('/api/levels/{slug}/redo', here())
          : way === 'undo'
            ? api.POST('/api/levels/{slug}/journal/{entry}/undo', one)
            : api.POST('/api/levels/{slug}/journal/{entry}/redo', one),
      )
      take(moved, `${way === 'undo' ? 'Undone' : 'Done again'}: ${moved.entry.what}`)
      difference.value = { ...difference.value!, cost: {} }
    } catch (error) {
      report(error)
    }
  }

  /** Keep changed settings of a stand. */
  async function keep(
    stand: Stand,
    settings: Partial<StandSettings>,
    view: View | null,
    was: Record<string, unknown> | null = null,
  ): Promise<Entry> {
    return take(
      await answer(
        api.PATCH('/api/levels/{slug}/stands/{stand}', {
          params: { path: { slug: slug.value, stand: stand.id } },
          body: { key: crypto.randomUUID(), settings, view, was },
        }),
      ),
      undefined,
      view,
    )
  }

  /** Keep changed settings of several stands: all of them, or none; one entry of the journal. */
  async function keepSeveral(
    parts: { stand: Stand; settings: Partial<StandSettings>; was: Record<string, unknown> }[],
    view: View | null,
  ): Promise<void> {
    const changes = Object.fromEntries(parts.map(({ stand, settings, was }) => [stand.id, { settings, was }]))
    const body = { key: crypto.randomUUID(), stands: changes, view }
    take(await answer(api.PATCH('/api/levels/{slug}/stands', { ...here(), body })), undefined, view)
  }

  /** Take over that stands were added, moved, changed or removed; the stand that was made, if one was. */
  async function arrange(asked: Promise<Changed>): Promise<number | null> {
    const changed = await asked
    take(changed)
    const there = stands.value.map((s) => s.id)
    const made = changed.made[0] ?? null
    if (made !== null) selected.value = [made]
    else if (!selected.value.some((id) => there.includes(id))) selected.value = there.slice(0, 1)
    return made
  }

  /** The item that a new stand is to be begun with, once its form is open. */
  const beginWith = ref('')

  /** Put and remove shapes; the plants follow. Returns: those that are new. */
  async function keepShapes(put: ShapeIn[], remove: number[] = [], what = ''): Promise<Shape[]> {
    const before = new Set(shapes.value.map((s) => s.id))
    const body = { key: crypto.randomUUID(), what, put, remove, view: seen.value }
    take(await answer(api.POST('/api/levels/{slug}/shapes', { ...here(), body })), undefined, body.view)
    return shapes.value.filter((s) => !before.has(s.id))
  }

  /** Place meshes and remove them; their plants follow. Returns: those that are new. */
  async function keepSurfaces(put: SurfaceIn[], remove: number[] = []): Promise<Surface[]> {
    const before = new Set(surfaces.value.map((s) => s.id))
    const body = { key: crypto.randomUUID(), what: '', put, remove, view: seen.value }
    take(await answer(api.POST('/api/levels/{slug}/surfaces', { ...here(), body })), undefined, body.view)
    return surfaces.value.filter((s) => !before.has(s.id))
  }

  /** The view that the eye came to rest at last. */
  const seen = shallowRef<View | null>(null)
  /** Of which view, at which version of the level, the cost is known. */
  let costed = ''
  const costKey = (view: View | null) => `${version.value} ${JSON.stringify(view)}`
  /** Have the cost of a view calculated; that of a stroke which is being sent comes with its answer. */
  async function computeCost(view: View): Promise<void> {
    seen.value = view
    if (outbox.waiting.length || costed === costKey(view)) return
    const mine = (costed = costKey(view))
    try {
      const reply = await answer(api.POST('/api/levels/{slug}/cost', { ...here(), body: view }))
      if (costed === mine) cost.value = reply
    } catch (error) {
      costed = ''
      report(error)
    }
  }

  const spentBy = (id: number, name: LineName) => {
    const mine = cost.value?.stands.find((s) => s.stand === id)
    return mine ? line(mine, name) : 0
  }

  return {
    level,
    stands,
    shapes,
    surfaces,
    masks,
    others,
    selected,
    before,
    hidden,
    cost,
    difference,
    pulse,
    version,
    trouble,
    slug,
    mayPlant,
    chosen,
    open,
    refresh,
    loadNear,
    beat,
    paint,
    sendWaiting,
    beginWith,
    take,
    move,
    keep,
    keepSeveral,
    arrange,
    keepShapes,
    keepSurfaces,
    note,
    computeCost,
    seen,
    spentBy,
    report,
    here,
  }
})

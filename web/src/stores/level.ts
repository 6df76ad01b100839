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
  type GroundChanged,
  type Mask,
  type Person,
  type Pulse,
  type Shape,
  type ShapeIn,
  type Stand,
  type StandSettings,
  type Stroke,
  type View,
} from '../api/client'
import { line, type LineName } from '../budget'
import { useOutbox, type Fate } from './outbox'
import { useSession } from './session'

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
  const masks = shallowRef<Mask[]>([])
  const selected = ref<number[]>([])
  const hidden = ref(new Set<number>())
  const cost = shallowRef<LevelCost | null>(null)
  const difference = shallowRef<Difference | null>(null)
  const pulse = shallowRef<Pulse | null>(null)
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

  function tell(error: unknown): void {
    // That the server is away, or the sign-in has ended, is said once, for everything, by `StatusLine` and
    // `SignInAgain`.
    if (error instanceof ApiError && (error.status === 0 || error.status === 401 || error.status >= 502))
      return
    trouble.value = error instanceof Error ? error.message : String(error)
  }

  async function open(name: string): Promise<void> {
    const one = { params: { path: { slug: name } } }
    const now = await answer(api.GET('/api/levels/{slug}/pulse', one))
    const [l, s, sh, m] = await Promise.all([
      answer(api.GET('/api/levels/{slug}', one)),
      answer(api.GET('/api/levels/{slug}/stands', one)),
      answer(api.GET('/api/levels/{slug}/shapes', one)),
      answer(api.GET('/api/levels/{slug}/masks', one)),
    ])
    level.value = l
    stands.value = s
    shapes.value = sh
    masks.value = m
    selected.value = s.length ? [s.find((x) => x.stratum === 'Canopy')?.id ?? s[0].id] : []
    pulse.value = now
    void countAll()
    if (session.name && (await outbox.open(session.name, name))) void sendWaiting()
  }

  /** How many of one's own actions were taken over. */
  let taken = 0
  let counting = false
  /** Count the stands that are so large that opening the level did not wait for it, one after another. */
  async function countAll(): Promise<void> {
    if (counting) return
    counting = true
    const asked = new Set<number>()
    try {
      for (let next; (next = stands.value.find((s) => !s.counted && !asked.has(s.id)));) {
        asked.add(next.id)
        const { id, revision } = next
        const of = slug.value
        const count = await answer(
          api.GET('/api/levels/{slug}/stands/{stand}/count', { params: { path: { slug: of, stand: id } } }),
        )
        stands.value = stands.value.map((s) =>
          s.id === id && s.revision === revision ? { ...s, count, counted: true } : s,
        )
        if (of !== slug.value) break
        await reread([id])
      }
    } catch (error) {
      tell(error)
    } finally {
      counting = false
    }
  }

  /**
   * Read the stands, shapes and masks again; and the level itself, which comes onto the screen together
   * with them. The pulse is read before them: what is done meanwhile is then read by the next beat. What one
   * did oneself meanwhile is on the screen already, and may not be in what was read: then it is read again.
   */
  const refresh = async (whole = false): Promise<void> => {
    const since = taken
    const now = await answer(api.GET('/api/levels/{slug}/pulse', here()))
    const [s, sh, m, l] = await Promise.all([
      answer(api.GET('/api/levels/{slug}/stands', here())),
      answer(api.GET('/api/levels/{slug}/shapes', here())),
      answer(api.GET('/api/levels/{slug}/masks', here())),
      whole ? answer(api.GET('/api/levels/{slug}', here())) : null,
    ])
    if (since !== taken) return refresh(whole)
    if (l) level.value = l
    stands.value = s
    pulse.value = now
    shapes.value = sh
    masks.value = m
    void countAll()
  }

  /**
   * Tell where one is, and ask whether anything changed; what others did, and where they are, comes onto
   * the screen by this.
   */
  async function beat(
    at: { x: number; z: number; heading: number; bench: string } | null = null,
    leaving = false,
  ): Promise<void> {
    let now: Pulse
    if (at) {
      const told = await answer(api.POST('/api/levels/{slug}/beat', { ...here(), body: { ...at, leaving } }))
      others.value = told.others
      now = told
    } else now = await answer(api.GET('/api/levels/{slug}/pulse', here()))
    if (outbox.waiting.length) await sendWaiting()
    if (now.pulse !== pulse.value?.pulse) await refresh(true)
  }

  /**
   * The content keys a change gave, taken over; they bring the plants in. Where they are there already, the
   * stand was read again meanwhile, and its count is that after the change.
   */
  function take(changed: Changed, gained: number, lostPlants: number): void {
    taken++
    stands.value = stands.value.map((s) => {
      if (s.id !== changed.stand) return s
      const keys = s.sheets.keys.slice()
      for (const [index, key] of Object.entries(changed.keys)) keys[Number(index)] = key
      if (keys.every((key, k) => key === s.sheets.keys[k])) return s
      return { ...s, count: s.count + gained - lostPlants, sheets: { ...s.sheets, keys } }
    })
  }

  /** Read some stands again, whose plants follow from what was changed. */
  async function reread(ids: number[]): Promise<void> {
    const fresh = await Promise.all(
      ids.map((id) =>
        answer(
          api.GET('/api/levels/{slug}/stands/{stand}', { params: { path: { slug: slug.value, stand: id } } }),
        ),
      ),
    )
    stands.value = stands.value.map((s) => fresh.find((f) => f.id === s.id) ?? s)
  }

  /** Have the sheets around a place told that are not told yet, for the eye has come near them. */
  async function tellNear(x: number, z: number): Promise<void> {
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

  const note = (entry: Entry, what = entry.what) => {
    difference.value = { what, gained: entry.gained, lost: entry.lost, cost: entry.cost }
  }

  /**
   * Take over the pulse after an action of one's own that was taken over under the pulse `since`. Where the
   * level was read again meanwhile, or others may have acted, the old one is left, so that the next beat
   * reads everything again.
   */
  async function adopt(since: Pulse | null): Promise<void> {
    const now = await answer(api.GET('/api/levels/{slug}/pulse', here()))
    const head = (p: Pulse | null) => Number(p?.pulse.split('-')[1] || 0)
    const alone = pulse.value === since && !others.value.length && head(now) <= head(since) + 1
    pulse.value = alone || !pulse.value ? now : { ...now, pulse: pulse.value.pulse }
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

  /** Take over what a stored stroke changed. */
  async function stored(changed: Changed): Promise<void> {
    const since = pulse.value
    take(changed, changed.entry.gained, changed.entry.lost)
    note(changed.entry)
    try {
      if (changed.stale?.length) await reread(changed.stale)
      await adopt(since)
    } catch (error) {
      tell(error)
    }
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
      if (moved.entry.kind === 'stroke') {
        const since = pulse.value
        take(moved, moved.gained, moved.lost)
        if (moved.stale?.length) await reread(moved.stale)
        await adopt(since)
      } else
        await refresh(
          !['settings', 'shapes', 'stands', 'pins', 'snapshot', 'strokes'].includes(moved.entry.kind),
        )
      // Said when the stands are as they are said to be.
      difference.value = {
        what: `${way === 'undo' ? 'Undone' : 'Done again'}: ${moved.entry.what}`,
        gained: moved.gained,
        lost: moved.lost,
        cost: {},
      }
    } catch (error) {
      tell(error)
    }
  }

  /** Keep changed settings of a stand. */
  async function keep(
    stand: Stand,
    settings: Partial<StandSettings>,
    view: View | null,
    was: Record<string, unknown> | null = null,
  ): Promise<Entry> {
    const { entry } = await answer(
      api.PATCH('/api/levels/{slug}/stands/{stand}', {
        params: { path: { slug: slug.value, stand: stand.id } },
        body: { key: crypto.randomUUID(), settings, view, was },
      }),
    )
    note(entry)
    return entry
  }

  /** Keep changed settings of several stands: all of them, or none; one entry of the journal. */
  async function keepSeveral(
    parts: { stand: Stand; settings: Partial<StandSettings>; was: Record<string, unknown> }[],
    view: View | null,
  ): Promise<void> {
    const said = Object.fromEntries(parts.map(({ stand, settings, was }) => [stand.id, { settings, was }]))
    const { entry } = await answer(
      api.PATCH('/api/levels/{slug}/stands', {
        ...here(),
        body: { key: crypto.randomUUID(), stands: said, view },
      }),
    )
    note(entry)
  }

  /** Take over that stands were added, moved, changed or removed; the stand that was made, if one was. */
  async function arrange(asked: Promise<{ entry: Entry; stand?: number | null }>): Promise<number | null> {
    const { entry, stand } = await asked
    note(entry)
    await refresh()
    const there = new Set(stands.value.map((s) => s.id))
    if (stand) selected.value = [stand]
    else if (!selected.value.some((id) => there.has(id)))
      selected.value = stands.value.length ? [stands.value[0].id] : []
    return stand ?? null
  }

  /** The item that a new stand is to be begun with, once its form is open. */
  const beginWith = ref('')

  /** Take over a change of the level's stock. */
  async function stockChanged(asked: Promise<Entry>): Promise<void> {
    note(await asked)
    await refresh(true)
  }

  /** Put and remove shapes; the plants follow. */
  async function keepShapes(put: ShapeIn[], remove: number[] = [], what = ''): Promise<Shape[]> {
    const before = new Set(shapes.value.map((s) => s.id))
    const kept = await answer(
      api.POST('/api/levels/{slug}/shapes', {
        ...here(),
        body: { key: crypto.randomUUID(), what, put, remove },
      }),
    )
    const since = pulse.value
    shapes.value = kept.shapes
    note(kept.entry)
    await reread(kept.stale)
    await adopt(since)
    return kept.shapes.filter((s) => !before.has(s.id))
  }

  /** Take over a change of the ground that was kept. */
  async function groundChanged(kept: GroundChanged): Promise<void> {
    note(kept.entry)
    await refresh(true)
  }

  async function reckon(view: View): Promise<void> {
    try {
      cost.value = await answer(api.POST('/api/levels/{slug}/cost', { ...here(), body: view }))
    } catch (error) {
      tell(error)
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
    masks,
    others,
    selected,
    before,
    hidden,
    cost,
    difference,
    pulse,
    trouble,
    slug,
    mayPlant,
    chosen,
    open,
    refresh,
    tellNear,
    beat,
    paint,
    sendWaiting,
    beginWith,
    stockChanged,
    move,
    keep,
    keepSeveral,
    arrange,
    keepShapes,
    groundChanged,
    note,
    reckon,
    spentBy,
    tell,
    here,
  }
})

import { useLocalStorage } from '@vueuse/core'
import { computed, onScopeDispose, ref, shallowRef, watch } from 'vue'
import {
  answer,
  answerBytes,
  api,
  ApiError,
  type Changed,
  type Clash,
  type Stand,
  type StandSettings,
  type View,
} from '../api/client'
import { bytesOf, NOWHERE, placesOf, rasterOf, type Places } from '../stage/payload'
import type { Raster } from '../stage/isolines'
import { together, varied, withEnds, type Ends, type VariationPart } from './ranges'
import type { Stores } from '../shared/stores'

/** What changed settings would give: plants then, gained and lost, and the cost difference in the view. */
export type Tried = { count: number; gained: number; lost: number; cost: Record<string, number> }
export type Changes = Partial<Omit<StandSettings, 'variation' | 'distances' | 'tints'>> & {
  variation?: VariationPart
  tints?: Ends<string>
  distances?: Partial<StandSettings['distances']>
  /** Distances of each stand's own, by its number in the database. */
  each?: Record<number, Partial<StandSettings['distances']>>
  /** Fullness of each stand's own. */
  fullnesses?: Record<number, number>
  /** Whole parts of each stand's own: of lists that are edited together though they differ. */
  own?: Record<number, Partial<StandSettings>>
}

/** A value that all selected stands share, or `mixed`. */
export type Shared<T> = { value: T; mixed: boolean }

/** Touch from 0 for -1 to 254 for +1 as RGBA. */
function inked(touch: Uint8Array): Uint8Array {
  const out = new Uint8Array(touch.length * 4)
  touch.forEach((t, k) =>
    out.set(t > 127 ? [74, 96, 52, (t - 127) * 1.7] : [123, 45, 38, (127 - t) * 1.7], 4 * k),
  )
  return out
}

/** Drafts that were not kept, by level and the stands that were selected. */
type Shelved = Record<string, { changes: Changes; was: Record<number, StandSettings> }>

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/**
 * Changed settings of the selected stands that are tried but not stored: what they would give, until kept or
 * dropped.
 */
export function useDraft(view: () => View | null, { level: store, tool }: Pick<Stores, 'level' | 'tool'>) {
  /** Drafts that were not kept; they outlive a reload and an expired sign-in. */
  const shelved = useLocalStorage<Shelved>('kt-drafts', {})
  const changes = ref<Changes>({})
  const tried = ref<Tried | null>(null)
  const trouble = ref('')
  const fields = ref<string[]>([])
  const overlay = ref<Raster | null>(null)
  const showOverlay = ref(false)
  /**
   * What is laid over the ground of the first selected stand: suitability under the draft, density as it
   * stands, or touch.
   */
  const overlayKind = ref<'suitability' | 'density' | 'touch'>('suitability')
  /** How it is laid there: as a wash over the ground, or as lines of equal value over the plants. */
  const overlayAs = ref<'wash' | 'lines'>('wash')
  /** The raster of which lines are drawn, and whether 127 in it stands for nothing. */
  const contours = shallowRef<{ raster: Raster; signed: boolean } | null>(null)
  /** Touch as colours with strength, RGBA: green where it adds, red where it takes away. */
  const touchSheet = ref<Raster | null>(null)
  /** Plants that the draft would bring and take, x and z of each in turn. */
  const marks = shallowRef<Places>(NOWHERE)
  /** Whether a click on the stage asks why there. */
  const asking = computed({ get: () => tool.why === true, set: (on) => void (tool.why = on || null) })
  const busy = ref(false)
  /** Whether the draft was begun before a reload, or before something else was selected. */
  const again = ref(false)
  /** Settings that another has changed since this draft was begun: theirs and ours, to be chosen between. */
  const clashes = shallowRef<Clash[]>([])
  /** The stands' settings as they were when the draft was begun. */
  const begun = new Map<number, StandSettings>()
  let round = 0
  let timer = 0

  const dirty = computed(() => Object.keys(changes.value).length > 0)
  const before = computed(() => store.chosen.reduce((n, s) => n + s.count, 0))

  /** The whole of the parts of a stand's settings that the draft changes. */
  function partOf(stand: Stand): Partial<StandSettings> {
    const { variation, tints, distances, each, fullnesses, own: parts, ...plain } = changes.value
    const own = each?.[stand.id]
    const fullness = fullnesses?.[stand.id]
    return {
      ...plain,
      ...parts?.[stand.id],
      ...(fullness === undefined ? {} : { fullness }),
      ...(tints ? { tints: withEnds(stand.settings.tints, tints) } : {}),
      ...(variation ? { variation: varied(stand.settings.variation, variation) } : {}),
      ...(distances || own ? { distances: { ...stand.settings.distances, ...distances, ...own } } : {}),
    }
  }

  const settingsOf = (stand: Stand): StandSettings => ({ ...stand.settings, ...partOf(stand) })

  /** What the selected stands have in common for a setting, draft included. */
  function shared<T>(read: (s: StandSettings) => T): Shared<T> {
    const values = store.chosen.map((s) => read(settingsOf(s)))
    return { value: values[0]!, mixed: values.some((v) => !same(v, values[0])) }
  }

  function change(part: Changes): void {
    if (!dirty.value) begun.clear()
    for (const s of store.chosen) if (!begun.has(s.id)) begun.set(s.id, s.settings)
    const { variation, distances, each, own, ...plain } = part
    const next: Changes = { ...changes.value, ...plain }
    if (next.own) {
      // What is now the same for all is no longer each one's own.
      const shared = new Set(Object.keys(plain))
      const rest = (kept: object) => Object.fromEntries(Object.entries(kept).filter(([k]) => !shared.has(k)))
      next.own = Object.fromEntries(Object.entries(next.own).map(([id, kept]) => [id, rest(kept)]))
    }
    for (const [id, parts] of Object.entries(own ?? {}))
      next.own = { ...next.own, [id]: { ...next.own?.[Number(id)], ...parts } }
    if (variation) next.variation = together(changes.value.variation, variation)
    if (part.tints && changes.value.tints)
      next.tints = [part.tints[0] ?? changes.value.tints[0], part.tints[1] ?? changes.value.tints[1]]
    if (distances) next.distances = { ...changes.value.distances, ...distances }
    for (const [id, own] of Object.entries(each ?? {}))
      next.each = { ...next.each, [id]: { ...next.each?.[Number(id)], ...own } }
    changes.value = next
    trouble.value = ''
    fields.value = []
    later()
  }

  /** Change a part of every selected stand from what each has itself. */
  function changeEach(make: (settings: StandSettings) => Partial<StandSettings>): void {
    change({ own: Object.fromEntries(store.chosen.map((s) => [s.id, make(settingsOf(s))])) })
  }

  function later(): void {
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void attempt(), 120)
  }

  onScopeDispose(() => window.clearTimeout(timer))

  async function attempt(): Promise<void> {
    const mine = ++round
    const stands = store.chosen
    if (!stands.length) return
    busy.value = true
    try {
      const kind = overlayKind.value
      // Other distances move no plant.
      const { distances, each, fullnesses } = changes.value
      const moves = fullnesses || (!distances && !each)
      const laid = showOverlay.value && dirty.value && kind === 'suitability'
      const parts = ['own', ...(moves ? ['places'] : []), ...(laid ? ['suitability'] : [])]
      const settings = Object.fromEntries(stands.map((s) => [s.id, { settings: partOf(s) }]))
      const found = dirty.value
        ? await answer(
            api.PATCH('/api/levels/{slug}/stands', {
              ...store.here(),
              body: { key: crypto.randomUUID(), stands: settings, view: view() },
              headers: { 'X-Try': parts.join() },
            }),
          )
        : null
      const path = { slug: store.slug, stand: stands[0]!.id, kind }
      const field = () =>
        answerBytes(
          api.GET('/api/levels/{slug}/stands/{stand}/field/{kind}', { params: { path }, parseAs: 'stream' }),
        )
      const results = found?.tried
      const bytes = !showOverlay.value ? null : laid ? bytesOf(results!.suitability) : await field()
      if (mine !== round) return
      marks.value = results?.places ? placesOf(bytesOf(results.places)) : NOWHERE
      tried.value = results ? sum(stands, found) : null
      overlay.value = touchSheet.value = contours.value = null
      if (bytes) {
        const read = rasterOf(bytes)
        if (overlayAs.value === 'lines') contours.value = { raster: read, signed: kind === 'touch' }
        else if (kind === 'touch') touchSheet.value = { ...read, data: inked(read.data) }
        else overlay.value = read
      }
      trouble.value = ''
      fields.value = []
    } catch (error) {
      if (mine !== round) return
      trouble.value = (error as Error).message
      fields.value = error instanceof ApiError ? error.fields : []
      tried.value = null
    } finally {
      if (mine === round) busy.value = false
    }
  }

  /** What the parts that the draft changes were when it was begun. */
  function wasOf(stand: Stand): Record<string, unknown> {
    const old = (begun.get(stand.id) ?? stand.settings) as Record<string, unknown>
    const out: Record<string, unknown> = {}
    const { each, fullnesses, own: parts, ...shared } = changes.value
    const own = each?.[stand.id]
    const fullness = fullnesses?.[stand.id]
    const changed = {
      ...shared,
      ...parts?.[stand.id],
      ...(own ? { distances: { ...shared.distances, ...own } } : {}),
      ...(fullness === undefined ? {} : { fullness }),
    }
    for (const [name, value] of Object.entries(changed)) {
      const nested = name === 'variation' || name === 'distances'
      out[name] = nested
        ? Object.fromEntries(
            Object.keys(value as object).map((part) => [part, (old[name] as Record<string, unknown>)[part]]),
          )
        : old[name]
    }
    return out
  }
  /** Choose between one's own values and another's where both have changed them. */
  async function settle(theirs: boolean): Promise<void> {
    const results = clashes.value
    clashes.value = []
    await store.refresh()
    if (theirs) {
      const next = { ...changes.value } as Record<string, unknown>
      for (const clash of results) {
        const [name, part] = clash.name.split('.')
        const own = changes.value.each?.[clash.stand]
        if (name === 'distances' && own) {
          const { [part as keyof typeof own]: theirOwn, ...rest } = own
          void theirOwn
          next.each = { ...(next.each as object), [clash.stand]: rest }
          continue
        }
        if (name === 'fullness' && changes.value.fullnesses?.[clash.stand] !== undefined) {
          const { [clash.stand]: _, ...rest } = (next.fullnesses ?? {}) as Record<number, number>
          void _
          next.fullnesses = rest
          continue
        }
        if (next.own && name! in ((next.own as Changes['own'])![clash.stand] ?? {})) {
          const { [name as 'mix']: _, ...rest } = (next.own as NonNullable<Changes['own']>)[clash.stand]!
          void _
          next.own = { ...next.own, [clash.stand]: rest }
          continue
        }
        const { [part ?? '']: theirOwn, ...rest } = (part ? (next[name!] ?? {}) : {}) as Record<
          string,
          unknown
        >
        void theirOwn
        if (Object.keys(rest).length) next[name!] = rest
        else delete next[name!]
      }
      changes.value = next
    }
    begun.clear()
    for (const s of store.chosen) begun.set(s.id, s.settings)
    trouble.value = ''
    if (dirty.value && !theirs) await keep()
    else later()
  }

  /** Store the draft: of all selected stands together, or of none. What is refused stays in the fields. */
  async function keep(): Promise<boolean> {
    clashes.value = []
    const stands = store.chosen
    try {
      if (stands.length === 1) await store.keep(stands[0]!, partOf(stands[0]!), view(), wasOf(stands[0]!))
      else
        await store.keepSeveral(
          stands.map((stand) => ({ stand, settings: partOf(stand), was: wasOf(stand) })),
          view(),
        )
      drop()
      return true
    } catch (error) {
      trouble.value = (error as Error).message
      fields.value = error instanceof ApiError ? error.fields : []
      clashes.value = error instanceof ApiError ? error.clashes : []
      return false
    }
  }

  /** Give the draft up. */
  function drop(): void {
    const { [placeOf(store.selected.join())]: _, ...rest } = shelved.value
    void _
    shelved.value = rest
    forget()
  }

  /** Take the draft off the screen; what was put aside stays so. */
  function forget(): void {
    round++
    again.value = false
    changes.value = {}
    clashes.value = []
    begun.clear()
    marks.value = NOWHERE
    tried.value = null
    trouble.value = ''
    fields.value = []
    busy.value = false
    if (showOverlay.value) later()
  }

  const placeOf = (ids: string) => `${store.slug}/${ids}`
  /** Put the draft of some stands aside when others are selected, and take up the one that these had. */
  function changeOver(ids: string, before: string): void {
    if (before && dirty.value) shelve(before)
    forget()
    takeUp(ids)
  }
  function shelve(ids: string): void {
    shelved.value = {
      ...shelved.value,
      [placeOf(ids)]: { changes: changes.value, was: Object.fromEntries(begun) },
    }
  }
  function takeUp(ids: string): void {
    const kept = shelved.value[placeOf(ids)]
    if (!kept || !store.mayPlant) return
    changes.value = kept.changes
    for (const [id, was] of Object.entries(kept.was)) begun.set(Number(id), was)
    again.value = true
    later()
  }
  // At once, so that who selects stands can change their draft right after.
  watch(
    () => store.selected.join(),
    (ids, before) => changeOver(ids, before ?? ''),
    { flush: 'sync' },
  )
  watch(changes, () => dirty.value && shelve(store.selected.join()), { deep: true })
  watch([showOverlay, overlayKind, overlayAs], later)
  watch(() => store.stands, later)

  return {
    changes,
    dirty,
    tried,
    before,
    trouble,
    fields,
    overlay,
    showOverlay,
    overlayKind,
    overlayAs,
    contours,
    touchSheet,
    marks,
    asking,
    partOf,
    busy,
    shared,
    settingsOf,
    change,
    changeEach,
    keep,
    drop,
    forget,
    takeUp: () => takeUp(store.selected.join()),
    again,
    clashes,
    settle,
  }
}

export type Draft = ReturnType<typeof useDraft>

/** What a try says of the stands together; `count` of one that keeps its plants is what it has. */
function sum(stands: Stand[], { gained, lost, entry, tried }: Changed): Tried {
  const count = stands.reduce((n, s) => n + (tried!.counts[s.id] ?? s.count), 0)
  return { count, gained, lost, cost: entry.cost }
}

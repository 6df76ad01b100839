import { watchDebounced } from '@vueuse/core'
import { defineStore, storeToRefs } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api } from '../api/client'
import type { Billboard, Distances, Pop, Walk, WalkCheck } from '../api/client'
import { useLongWork } from '../shared/useLongWork'
import { useAtmosphere } from './atmosphere'
import { useDrawing } from './drawing'
import { thinned } from './walk'
import { useLevel } from '../level/level'
import { useTool } from '../planting/tool'

/** How fast and at which height of the eye a new walk goes. */
const START = { speed: 3, eye: 1.7 }

/** The walks of a level, and what pops on the one that is chosen. */
export const useWalks = defineStore('walks', () => {
  const level = useLevel()
  const drawing = useDrawing()
  const air = useAtmosphere()
  const walks = computed<Record<string, Walk>>(() => level.level?.walks ?? {})
  const names = computed(() => Object.keys(walks.value))
  const wish = ref('')
  const name = computed({
    get: () => (wish.value in walks.value ? wish.value : (names.value[0] ?? '')),
    set: (next) => (wish.value = next),
  })
  const walk = computed<Walk | null>(() => walks.value[name.value] ?? null)
  /** Whether the walk is shown on the plan. */
  const shown = ref(false)
  /** The pop that is looked at. */
  const pop = shallowRef<Pop | null>(null)
  const trouble = ref('')
  const threshold = ref(60)
  /** Distances that are tried, by stand. */
  const tried = shallowRef<Record<number, Distances>>({})
  /** Kinds of billboard that are tried, by item. */
  const billboards = shallowRef<Record<string, Billboard>>({})
  /** The stock as it is drawn, with the billboards that are tried. */
  const stock = computed(() =>
    level.level?.stock.map((item) => {
      const kind = billboards.value[item.slug]
      return kind
        ? { ...item, glb: item.glb.replace(/\.glb$/, `/billboard/${encodeURIComponent(kind)}.glb`) }
        : item
    }),
  )
  const check = shallowRef<WalkCheck | null>(null)
  /** What was found before the last change that is tried, to be compared with. */
  const before = shallowRef<WalkCheck['result']>(null)

  function fail(error: unknown): void {
    trouble.value = (error as Error).message
  }
  /** Whether walks are being kept; what is pressed meanwhile would follow from the old ones. */
  const busy = ref(false)
  async function put(next: Record<string, Walk>): Promise<boolean> {
    busy.value = true
    try {
      const changed = await answer(
        api.PUT('/api/levels/{slug}/walks', {
          params: { path: { slug: level.slug } },
          body: { key: crypto.randomUUID(), walks: next },
        }),
      )
      level.take(changed)
      trouble.value = ''
      return true
    } catch (error) {
      fail(error)
      return false
    } finally {
      busy.value = false
    }
  }
  /** Keep a new walk along places, under a name that is free. */
  async function add(base: string, points: [number, number][]): Promise<boolean> {
    let fresh = base.slice(0, 70)
    for (let n = 2; fresh in walks.value; n++) fresh = `${base.slice(0, 70)} ${n}`
    const kept = await put({ ...walks.value, [fresh]: { points, ...START } })
    if (kept) wish.value = fresh
    return kept
  }

  /** Whether presses on the stage set the corners of a new walk, and those that are set. */
  const { walk: draws } = storeToRefs(useTool())
  const corners = shallowRef<[number, number][]>([])
  watch(draws, () => (corners.value = []), { flush: 'sync' })
  function draw(): void {
    trouble.value = ''
    draws.value = draws.value ? null : true
  }
  function corner(x: number, z: number): void {
    corners.value = [...corners.value, [x, z]]
  }
  async function finish(): Promise<void> {
    const points = thinned(corners.value, 0.5)
    if (points.length < 2) trouble.value = 'A walk needs two different places.'
    else if (await add('Drawn', points)) draws.value = null
  }
  const change = (part: Partial<Walk>) =>
    put({ ...walks.value, [name.value]: { ...walks.value[name.value]!, ...part } })
  async function rename(to: string): Promise<void> {
    const old = name.value
    if (!to || to in walks.value) return
    const next = Object.fromEntries(Object.entries(walks.value).map(([k, w]) => [k === old ? to : k, w]))
    if (await put(next)) wish.value = to
  }
  const remove = () => {
    const { [name.value]: _, ...rest } = walks.value
    void _
    return put(rest)
  }

  const { look } = useLongWork(
    (begin) => {
      if (!walk.value) {
        check.value = null
        return null
      }
      return answer(
        api.POST('/api/levels/{slug}/walks/check', {
          params: { path: { slug: level.slug } },
          body: {
            walk: walk.value,
            drawing: drawing.now,
            device: drawing.device,
            atmosphere: air.now,
            tried: tried.value,
            billboards: billboards.value,
            threshold: threshold.value,
            begin,
          },
        }),
      )
    },
    (reply, begun) => {
      check.value = reply
      if (begun || reply.result || (reply.trouble && !reply.running)) trouble.value = reply.trouble
    },
    fail,
  )
  async function stop(): Promise<void> {
    await answer(
      api.DELETE('/api/levels/{slug}/walks/check', { params: { path: { slug: level.slug } } }),
    ).catch(fail)
    await look(false)
  }
  /** Make the billboards that are tried on the shelf: every level that uses the items follows. */
  async function keepBillboards(): Promise<void> {
    try {
      for (const [item, kind] of Object.entries(billboards.value)) {
        const path = { params: { path: { item } } }
        const { revision } = await answer(api.GET('/api/shelf/{item}', path))
        await answer(
          api.POST('/api/shelf/{item}/mend', { ...path, body: { revision, mend: `billboard ${kind}` } }),
        )
        const { [item]: _, ...rest } = billboards.value
        void _
        billboards.value = rest
      }
      trouble.value = ''
      await level.refresh()
    } catch (error) {
      fail(error)
    }
  }
  /** Look whether the check of another walk, tier or air is known already. */
  watchDebounced(
    [
      walk,
      () => drawing.now,
      () => drawing.device,
      () => air.now,
      threshold,
      tried,
      billboards,
      () => level.difference,
    ],
    () => shown.value && void look(false),
    { debounce: 300 },
  )
  return {
    walks,
    names,
    name,
    walk,
    shown,
    pop,
    trouble,
    threshold,
    tried,
    billboards,
    stock,
    keepBillboards,
    check,
    before,
    add,
    draws,
    corners,
    draw,
    corner,
    finish,
    change,
    rename,
    remove,
    busy,
    look,
    stop,
  }
})

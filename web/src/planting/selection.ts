import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api, type HandIn, type MixEntry, type Selected } from '../api/client'
import { whole } from '../budget/budget'
import { useLevel } from '../level/level'
import { useTrial, type Send } from '../level/trial'
import { useAttempt } from '../shared/useAttempt'

type Place = [number, number]
type Wish = Partial<Omit<HandIn, 'key' | 'plants'>>
/** What is done to plants unless it is wished otherwise. */
const WISHES = {
  do: 'change' as const,
  free: false,
  east: 0,
  south: 0,
  rise: 0,
  turn_by: 0,
  roll_east: 0,
  roll_south: 0,
  size_by: 1,
}
/** No wish for an item, nor for what was set by hand. */
const NONE = { item: '', pinned: false }
/** So many plants at once are tried before the change is kept. */
const MANY = 50
const TITLES = { change: 'Change', copy: 'Copy', remove: 'Remove', release: 'Release' } as const
const key = (p: Selected) => `${p.stand}/${p.plant}`

/** Single plants that are selected, and what is done to all of them at once. */
export const useSelection = defineStore('selection', () => {
  const store = useLevel()
  const trial = useTrial()
  const plants = shallowRef<Selected[]>([])
  const shape = ref<'box' | 'lasso'>('box')
  /** Whether plants of every stand are selected, or of the selected stands alone. */
  const every = ref(false)
  const { trouble, busy, attempt } = useAttempt()
  const push = ref(false)
  /** Whether what is drawn round is filled with plants set by hand, and how many. */
  const scatters = ref(false)
  const scatterCount = ref(20)
  /** Whether they are dropped there, onto one another. */
  const piles = ref(false)
  /** The plants that were asked for and are more than can be held. */
  const over = ref(0)

  const stands = () => (every.value ? [] : store.chosen.filter((s) => !s.sward).map((s) => s.id))
  /** Whether a plant's stand grows on placed meshes. */
  const onMeshes = (p: Selected) => !!store.stands.find((s) => s.id === p.stand)?.settings.on?.length
  const movable = computed(
    () =>
      store.mayPlant &&
      plants.value.length > 0 &&
      !store.stands.some((s) => s.locked && plants.value.some((p) => p.stand === s.id)),
  )

  let last: Promise<unknown> = Promise.resolve()
  /**
   * One after another, so that what is asked for while something is under way is done to what that leaves.
   */
  function guarded(work: () => Promise<void>): Promise<boolean> {
    const mine = last.then(() => attempt(work))
    last = mine
    return mine
  }
  async function find(body: object, add: boolean, most = Infinity): Promise<void> {
    const wanted = stands()
    if (!every.value && !wanted.length)
      throw new Error('Select a stand of single plants first, or select of every stand.')
    const reply = await answer(
      api.POST('/api/levels/{slug}/select', {
        params: { path: { slug: store.slug } },
        body: { ...NONE, stands: wanted, ...body },
      }),
    )
    const found = most < Infinity ? reply.plants.slice(0, most) : reply.plants
    const known = new Set(add ? plants.value.map(key) : [])
    plants.value = [...(add ? plants.value : []), ...found.filter((p) => !known.has(key(p)))]
    over.value = reply.total - reply.plants.length
  }
  const inside = (outline: Place[], add: boolean) => guarded(() => find({ outline }, add))
  const pinned = () => guarded(() => find({ pinned: true }, false))
  const ofItem = (item: string, outline: Place[]) => guarded(() => find({ item, outline }, false))

  /**
   * The plant nearest to a place within a reach in m, on a placed mesh at its altitude; added to the others,
   * or taken from them when it is among them.
   */
  const nearest = (x: number, z: number, reach: number, add: boolean, y: number | null = null) =>
    guarded(async () => {
      const outline = Array.from({ length: 12 }, (_, k): Place => [
        x + Math.cos((k * Math.PI) / 6) * reach,
        z + Math.sin((k * Math.PI) / 6) * reach,
      ])
      const wanted = stands()
      if (!every.value && !wanted.length)
        throw new Error('Select a stand of single plants first, or select of every stand.')
      const reply = await answer(
        api.POST('/api/levels/{slug}/select', {
          params: { path: { slug: store.slug } },
          body: { ...NONE, stands: wanted, outline },
        }),
      )
      const far = (p: Selected) => Math.hypot(p.x - x, y === null ? 0 : p.y - y, p.z - z)
      const hit = reply.plants.sort((a, b) => far(a) - far(b))[0]
      const others = add ? plants.value.filter((p) => !hit || key(p) !== key(hit)) : []
      plants.value = hit && !(add && others.length < plants.value.length) ? [...others, hit] : others
      over.value = 0
    })

  /** Do one thing to all of them, as one action that can be undone. */
  const act = (wish: Wish) =>
    guarded(async () => {
      const chosen = wish.do === 'release' ? plants.value.filter((p) => p.state === 'pinned') : plants.value
      if (!chosen.length) throw new Error('None of them is set by hand: there is nothing to release.')
      const by: Record<string, string[]> = {}
      for (const p of chosen) (by[p.stand] ??= []).push(p.plant)
      // Under one key, so that what is drawn by chance is kept as it was tried.
      const one = { key: crypto.randomUUID(), plants: by, push: push.value }
      const drawn = { random: wish.random ?? [], ranges: wish.ranges ?? {} }
      const wished = { ...one, ...WISHES, ...wish, ...drawn }
      const send: Send = (view, headers) =>
        api.POST('/api/levels/{slug}/hand', {
          ...store.here(),
          body: { ...wished, view },
          headers,
        })
      if (chosen.length < MANY) store.take(await answer(send(store.seen)))
      else await trial.ask(`${TITLES[wish.do ?? 'change']} ${whole(chosen.length)} plants`, send)
      push.value = false
      await again(chosen)
    })
  /** Set so many plants of the selected stand inside an outline, tried before they are kept. */
  const scatter = (outline: Place[], mix: MixEntry[] | null) =>
    guarded(async () => {
      const [stand] = store.chosen
      if (!stand || store.chosen.length > 1)
        throw new Error('Select the one stand whose plants are scattered.')
      const wish = { key: crypto.randomUUID(), outline, count: scatterCount.value, mix, pile: piles.value }
      await trial.ask(
        `${wish.pile ? 'Pile up' : 'Scatter'} ${whole(wish.count)} of ${stand.name}`,
        (view, headers) =>
          api.POST('/api/levels/{slug}/stands/{stand}/scatter', {
            params: { path: { slug: store.slug, stand: stand.id } },
            body: { ...wish, view },
            headers,
          }),
      )
    })
  /** Read the plants again as they are now; those that are gone leave the selection. */
  async function again(chosen = plants.value): Promise<void> {
    if (!chosen.length) return
    const reply = await answer(
      api.POST('/api/levels/{slug}/select', {
        params: { path: { slug: store.slug } },
        body: {
          ...NONE,
          stands: [...new Set(chosen.map((p) => p.stand))],
          plants: chosen.map((p) => p.plant),
        },
      }),
    )
    plants.value = reply.plants
  }
  /** Select plants that are known, beside the others or in their stead. */
  function pick(some: Selected[], add: boolean): void {
    const keys = new Set(some.map(key))
    const others = add ? plants.value.filter((p) => !keys.has(key(p))) : []
    const all =
      add && others.length < plants.value.length && some.length === 1 ? others : [...others, ...some]
    plants.value = all
    over.value = 0
  }
  function clear(): void {
    plants.value = []
    trouble.value = ''
    over.value = 0
  }
  watch(
    () => store.version,
    () => !busy.value && plants.value.length && void again().catch(() => undefined),
  )
  watch(() => store.slug, clear)

  return {
    plants,
    shape,
    every,
    trouble,
    busy,
    push,
    over,
    scatters,
    scatterCount,
    piles,
    scatter,
    movable,
    onMeshes,
    inside,
    pinned,
    ofItem,
    nearest,
    act,
    again,
    pick,
    clear,
  }
})

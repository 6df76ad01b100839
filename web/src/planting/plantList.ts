import { defineStore } from 'pinia'
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import { answer, api, type Listed, type ListIn, type PlantGroup } from '../api/client'
import { useLevel } from '../level/level'
import { useAttempt } from '../shared/useAttempt'

type Wish = Omit<ListIn, 'view' | 'stands' | 'first' | 'around'>
/** Rows come in pages of so many. */
export const PAGE = 200

/** Single plants of the selected stands, or of all, as a list whose pages are fetched as they are shown. */
export const usePlantList = defineStore('plant-list', () => {
  const store = useLevel()
  const { trouble, attempt } = useAttempt()
  /** Whether it is shown; nothing is fetched before. */
  const open = ref(false)
  const every = ref(false)
  const wish = reactive<Wish>({
    outline: [],
    item: '',
    by_hand: false,
    in_sight: false,
    height: null,
    sort: 'far',
    descending: false,
    grouped: '',
    group: null,
  })
  const rows = shallowRef(new Map<number, Listed>())
  const total = ref(0)
  const groups = shallowRef<PlantGroup[]>([])
  const stands = computed(() => (every.value ? [] : store.chosen.filter((s) => !s.sward).map((s) => s.id)))
  let round = 0
  const pending = new Set<number>()

  async function fetch(first: number, around: string | null = null): Promise<number | null> {
    const mine = round
    const view = store.seen
    if (!view || (!every.value && !stands.value.length)) {
      rows.value = new Map()
      total.value = 0
      groups.value = []
      return null
    }
    let at: number | null = null
    await attempt(async () => {
      const body = { ...wish, stands: stands.value, view, first, around }
      const found = await answer(api.POST('/api/levels/{slug}/plants', { ...store.here(), body }))
      if (mine !== round) return
      const known = new Map(rows.value)
      for (const [k, row] of found.rows.entries()) known.set(found.first + k, row)
      rows.value = known
      total.value = found.total
      groups.value = found.groups
      at = found.at ?? null
    })
    return at
  }
  /** Read it again from its beginning. */
  async function again(): Promise<void> {
    round++
    pending.clear()
    if (!open.value) return
    const before = rows.value
    rows.value = new Map()
    await fetch(0)
    if (trouble.value) rows.value = before
  }
  /** Have a row fetched that is about to be shown. */
  function need(row: number): void {
    const page = Math.floor(row / PAGE)
    if (rows.value.has(row) || pending.has(page) || row >= total.value) return
    pending.add(page)
    void fetch(page * PAGE).finally(() => pending.delete(page))
  }
  /** The row of a plant; null where it is not listed. */
  const find = (plant: string) => fetch(0, plant)
  /** Sort by a column; the same once more turns the order round. */
  function sort(by: NonNullable<Wish['sort']>): void {
    wish.descending =
      wish.sort === by ? !wish.descending : ['height', 'size', 'triangles', 'by hand'].includes(by)
    wish.sort = by
  }

  watch(
    () => wish.grouped,
    () => (wish.group = null),
  )
  watch([() => JSON.stringify(wish), () => stands.value.join(), every, open, () => store.version], again)

  return { open, every, wish, rows, total, groups, trouble, need, find, sort, again }
})

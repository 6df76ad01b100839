import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { answer, api, type ItemDetail, type ShelfItem } from '../api/client'
import { useServer, useServerPages } from '../shared/useServer'

/** Groups that are proposed; others are one's own. */
export const GROUPS = ['tree', 'shrub', 'grass and herbs', 'rock', 'made thing']
export type Group = string
export type Sort = 'name' | 'height' | 'cost'

const itemsOf = (pages: { items: ShelfItem[] }[]) => pages.flatMap((p) => p.items)

/** The shelf of stock items that all levels share: what of it is looked at, read in pages. */
export const useShelf = defineStore('shelf', () => {
  /** Whether it is shown. */
  const open = ref(false)
  const search = ref('')
  const group = ref<Group | null>(null)
  const tag = ref<string | null>(null)
  const sort = ref<Sort>('name')
  const query = computed(() => ({
    search: search.value,
    sort: sort.value,
    group: group.value,
    tag: tag.value ?? '',
  }))
  const { pages, read, more, trouble, onwards, again } = useServerPages(
    () => ['shelf', query.value],
    (page = 0) => api.GET('/api/shelf', { params: { query: { ...query.value, page } } }),
    {
      next: (all) => (itemsOf(all).length < all[0]!.total ? all.length : undefined),
      enabled: open,
    },
  )
  const items = computed(() => itemsOf(pages.value))
  const total = computed(() => pages.value[0]?.total ?? 0)
  const tags = computed(() => pages.value[0]?.tags ?? [])
  const used = computed(() => pages.value[0]?.groups ?? [])
  /** Every group that an item may be filed under without a new word. */
  const groups = computed(() => [...new Set([...GROUPS, ...used.value])])
  /** Read what is shown of it again. */
  const load = async () => void (open.value && (await again()))

  /** The item that is looked at, with where it is used and the versions it has had. */
  const looked = ref('')
  const item = useServer(
    () => ['item', looked.value],
    (signal) => api.GET('/api/shelf/{item}', { params: { path: { item: looked.value } }, signal }),
    { enabled: () => !!looked.value },
  )
  /** Look at an item, as it is now. */
  async function look(slug = looked.value): Promise<void> {
    if (slug && slug === looked.value) await item.read()
    else looked.value = slug
  }
  const detail = computed(() => (looked.value ? (item.data.value ?? null) : null))
  /** An item that was just taken off the shelf, and can be put back. */
  const removed = shallowRef<ShelfItem | null>(null)

  /** Take over an item as a change of it gives it back. */
  async function changed(asked: Promise<ItemDetail>): Promise<void> {
    const fresh = await asked
    looked.value = fresh.slug
    item.put(fresh)
    await load()
  }

  async function remove(item: ShelfItem): Promise<void> {
    await answer(api.DELETE('/api/shelf/{item}', { params: { path: { item: item.slug } } }))
    removed.value = item
    looked.value = ''
    await load()
  }

  async function putBack(): Promise<void> {
    if (removed.value)
      await answer(api.POST('/api/shelf/{item}/put-back', { params: { path: { item: removed.value.slug } } }))
    removed.value = null
    await load()
  }

  return {
    open,
    items,
    total,
    search,
    group,
    tag,
    tags,
    used,
    groups,
    sort,
    trouble,
    read,
    more,
    onwards,
    load,
    detail,
    /** Why the item that is looked at could not be read. */
    unread: item.trouble,
    look,
    removed,
    changed,
    remove,
    putBack,
  }
})

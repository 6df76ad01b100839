import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api, type ItemDetail, type ShelfItem } from '../api/client'

/** Groups that are proposed; others are one's own. */
export const GROUPS = ['tree', 'shrub', 'grass and herbs', 'rock', 'made thing']
export type Group = string
export type Sort = 'name' | 'height' | 'cost'

/** The shelf of stock items that all levels share: what of it is looked at, read in pages. */
export const useShelf = defineStore('shelf', () => {
  const items = shallowRef<ShelfItem[]>([])
  const total = ref(0)
  const search = ref('')
  const group = ref<Group | null>(null)
  const tag = ref<string | null>(null)
  const tags = shallowRef<string[]>([])
  const used = shallowRef<string[]>([])
  /** Every group that an item may be filed under without a new word. */
  const groups = computed(() => [...new Set([...GROUPS, ...used.value])])
  const sort = ref<Sort>('name')
  const trouble = ref('')
  /** The item that is looked at, with where it is used and the versions it has had. */
  const detail = shallowRef<ItemDetail | null>(null)
  /** An item that was just taken off the shelf, and can be put back. */
  const removed = shallowRef<ShelfItem | null>(null)
  let asked = 0

  async function load(more = false): Promise<void> {
    const mine = ++asked
    const page = more ? Math.ceil(items.value.length / 24) : 0
    try {
      const reply = await answer(
        api.GET('/api/shelf', {
          params: {
            query: { search: search.value, sort: sort.value, page, group: group.value, tag: tag.value ?? '' },
          },
        }),
      )
      if (mine !== asked) return
      items.value = more ? [...items.value, ...reply.items] : reply.items
      total.value = reply.total
      tags.value = reply.tags
      used.value = reply.groups
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  async function look(slug: string): Promise<void> {
    detail.value = slug
      ? await answer(api.GET('/api/shelf/{item}', { params: { path: { item: slug } } }))
      : null
  }

  /** Take over an item as a change of it gives it back. */
  async function changed(asked: Promise<ItemDetail>): Promise<void> {
    const fresh = await asked
    detail.value = fresh
    items.value = items.value.map((i) => (i.slug === fresh.slug ? fresh : i))
  }

  async function remove(item: ShelfItem): Promise<void> {
    await answer(api.DELETE('/api/shelf/{item}', { params: { path: { item: item.slug } } }))
    removed.value = item
    detail.value = null
    await load()
  }

  async function putBack(): Promise<void> {
    if (removed.value)
      await answer(api.POST('/api/shelf/{item}/put-back', { params: { path: { item: removed.value.slug } } }))
    removed.value = null
    await load()
  }

  watch([search, group, tag, sort], () => void load())
  const more = computed(() => items.value.length < total.value)
  return {
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
    more,
    detail,
    removed,
    load,
    look,
    changed,
    remove,
    putBack,
  }
})

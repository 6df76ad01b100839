import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, type ItemDetail, type ShelfItem, type ShelfPage } from '../api/client'

export const GROUPS = ['tree', 'shrub', 'grass and herbs', 'rock', 'made thing'] as const
export type Group = (typeof GROUPS)[number]
export type Sort = 'name' | 'height' | 'cost'

/** The shelf of stock items that all levels share: what of it is looked at, read in pages. */
export const useShelf = defineStore('shelf', () => {
  const items = shallowRef<ShelfItem[]>([])
  const total = ref(0)
  const search = ref('')
  const group = ref<Group | null>(null)
  const tag = ref<string | null>(null)
  const tags = shallowRef<string[]>([])
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
    const query = new URLSearchParams({ search: search.value, sort: sort.value, page: String(page), ...(group.value ? { group: group.value } : {}), ...(tag.value ? { tag: tag.value } : {}) })
    try {
      const told = await ask<ShelfPage>('GET', `/shelf?${query}`)
      if (mine !== asked) return
      items.value = more ? [...items.value, ...told.items] : told.items
      total.value = told.total
      tags.value = told.tags
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  async function look(slug: string): Promise<void> {
    detail.value = slug ? await ask<ItemDetail>('GET', `/shelf/${slug}`) : null
  }

  /** Do something to an item that gives it back as it is then. */
  async function change(method: 'PUT' | 'POST', slug: string, path: string, body: object): Promise<void> {
    detail.value = await ask<ItemDetail>(method, `/shelf/${slug}${path}`, body)
    const fresh = detail.value
    items.value = items.value.map((i) => (i.slug === slug ? fresh : i))
  }

  async function remove(item: ShelfItem): Promise<void> {
    await ask('DELETE', `/shelf/${item.slug}`)
    removed.value = item
    detail.value = null
    await load()
  }

  async function putBack(): Promise<void> {
    if (removed.value) await ask('POST', `/shelf/${removed.value.slug}/put-back`)
    removed.value = null
    await load()
  }

  watch([search, group, tag, sort], () => void load())
  const more = computed(() => items.value.length < total.value)
  return { items, total, search, group, tag, tags, sort, trouble, more, detail, removed, load, look, change, remove, putBack }
})

import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, type ShelfItem, type ShelfPage } from '../api/client'

export const GROUPS = ['tree', 'shrub', 'grass and herbs', 'rock', 'made thing'] as const
export type Group = (typeof GROUPS)[number]
export type Sort = 'name' | 'height' | 'cost'

/** The shelf of stock items that all levels share: what of it is looked at, read in pages. */
export const useShelf = defineStore('shelf', () => {
  const items = shallowRef<ShelfItem[]>([])
  const total = ref(0)
  const search = ref('')
  const group = ref<Group | null>(null)
  const sort = ref<Sort>('name')
  const trouble = ref('')
  let asked = 0

  async function load(more = false): Promise<void> {
    const mine = ++asked
    const page = more ? Math.ceil(items.value.length / 60) : 0
    const query = new URLSearchParams({ search: search.value, sort: sort.value, page: String(page), ...(group.value ? { group: group.value } : {}) })
    try {
      const told = await ask<ShelfPage>('GET', `/shelf?${query}`)
      if (mine !== asked) return
      items.value = more ? [...items.value, ...told.items] : told.items
      total.value = told.total
      trouble.value = ''
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  watch([search, group, sort], () => void load())
  const more = computed(() => items.value.length < total.value)
  return { items, total, search, group, sort, trouble, more, load }
})

/** What a picker shows of an item. */
export interface Pickable {
  slug: string
  name: string
  group: string
  tags: string[]
}

/** Items whose names, groups or tags have every word, by group: groups and items by name, the rest last. */
export function picked<T extends Pickable>(items: T[], text: string): [group: string, items: T[]][] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  const textOf = (i: T) => [i.name, i.group, ...i.tags].join(' ').toLowerCase()
  const groups = new Map<string, T[]>()
  for (const item of items)
    if (words.every((w) => textOf(item).includes(w)))
      groups.set(item.group, [...(groups.get(item.group) ?? []), item])
  return [...groups]
    .sort(([a], [b]) => Number(!a) - Number(!b) || a.localeCompare(b))
    .map(([group, those]) => [group, those.sort((a, b) => a.name.localeCompare(b.name))])
}

/** Lists that several stands have, edited together: what belongs together is shown as one. */
export interface Together<T> {
  key: string
  /** The first stand's that has it. */
  item: T
  /** How many of the lists have it. */
  count: number
  /** The parts in which it differs from list to list. */
  mixed: (keyof T)[]
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/** Keys for the items of a list: the n-th of a kind has the same in every list. */
export function keyed<T>(list: readonly T[], kind: (item: T) => string): [string, T][] {
  const seen = new Map<string, number>()
  return list.map((item) => {
    const name = kind(item)
    const nth = (seen.get(name) ?? 0) + 1
    seen.set(name, nth)
    return [`${name} ${nth}`, item]
  })
}

/** All items of some lists, in the order in which they come. */
export function together<T extends object>(
  lists: readonly (readonly T[])[],
  kind: (item: T) => string,
): Together<T>[] {
  const found = new Map<string, Together<T>>()
  for (const list of lists)
    for (const [key, item] of keyed(list, kind)) {
      const known = found.get(key)
      if (!known) found.set(key, { key, item, count: 1, mixed: [] })
      else {
        known.count++
        for (const part of Object.keys({ ...known.item, ...item }) as (keyof T)[])
          if (!known.mixed.includes(part) && !same(known.item[part], item[part])) known.mixed.push(part)
      }
    }
  return [...found.values()]
}

/** The parts of a thing that another has otherwise. */
export const difference = <T extends object>(before: T, after: T): Partial<T> =>
  Object.fromEntries(
    Object.entries(after).filter(([part, value]) => !same(before[part as keyof T], value)),
  ) as Partial<T>

/** A list whose item of a key is changed in some parts, or left out for null. */
export const changedIn = <T extends object>(
  list: readonly T[],
  kind: (item: T) => string,
  key: string,
  part: Partial<T> | null,
): T[] =>
  keyed(list, kind).flatMap(([own, item]) =>
    own !== key ? [item] : part === null ? [] : [{ ...item, ...part }],
  )

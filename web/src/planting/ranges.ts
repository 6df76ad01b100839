import type { StandSettings } from '../api/client'

/** The two ends of a range; null for the one that each stand keeps as it is. */
export type Ends<T> = [T | null, T | null]
type Variation = StandSettings['variation']
/** Some of a stand's variation, of ranges also one end alone. */
export type VariationPart = {
  [K in keyof Variation]?: Variation[K] extends [number, number] | undefined ? Ends<number> : Variation[K]
}

/** A range with those ends replaced that are given. */
export function withEnds<T>(own: readonly [T, T] | undefined, given: Ends<T>): [T, T] {
  return [given[0] ?? own![0], given[1] ?? own![1]]
}

/** Variation with what is given, of ranges only the ends that are. */
export function varied(own: Variation, given: VariationPart): Variation {
  const parts = Object.entries(given).map(([name, value]) => [
    name,
    Array.isArray(value) ? withEnds(own[name as 'size'], value) : value,
  ])
  return { ...own, ...Object.fromEntries(parts) }
}

/** What was given before with what is given now, of ranges end by end. */
export function together(before: VariationPart | undefined, now: VariationPart): VariationPart {
  const next: Record<string, unknown> = { ...before }
  for (const [name, value] of Object.entries(now)) {
    const was = (before as Record<string, unknown> | undefined)?.[name]
    next[name] = Array.isArray(value) && Array.isArray(was) ? [value[0] ?? was[0], value[1] ?? was[1]] : value
  }
  return next
}

import type { Distances, Stand } from '../api/client'

/** LOD meshes and billboard of a stand's items: the most of its mix. */
export interface Chain {
  lods: number
  billboard: boolean
}
/** What can be moved of a stand's distances; `step` with its place in the row. */
export type Edge = { part: 'billboard' | 'gone' | 'shadow' | 'fade' } | { part: 'step'; index: number }
export type DistancesPart = Partial<Distances>

/** What an item's state is called, of one with so many LOD meshes. */
export const stateName = (k: number, lods: number) =>
  k >= lods ? 'billboard' : k === 0 ? 'full mesh' : `mesh ${k + 1}`

/** What a remedy calls an edge and the state beyond it; edges are counted along steps, billboard, gone. */
export function edgeName(edge: number, steps: number): { name: string; beyond: string } {
  if (edge < steps) return { name: `the step to mesh ${edge + 2}`, beyond: `mesh ${edge + 2}` }
  if (edge === steps) return { name: 'the step to the billboard', beyond: 'billboard' }
  return { name: 'the end', beyond: '' }
}

/** Half metres near the eye, whole ones farther off. */
export const rounded = (metres: number) => (metres < 20 ? Math.round(metres * 2) / 2 : Math.round(metres))
const between = (v: number, lo: number, hi: number) => Math.min(Math.max(v, lo), hi)

/** The distance in m of an edge, or nothing where a stand has no such edge. */
export function at(d: Distances, chain: Chain, edge: Edge): number | null {
  if (edge.part === 'step') return edge.index < chain.lods - 1 ? (d.steps[edge.index] ?? null) : null
  if (edge.part === 'billboard') return chain.billboard ? d.billboard : null
  if (edge.part === 'shadow') return Math.min(d.shadow, castingEnd(d, chain))
  return d[edge.part]
}

/** The distance in m beyond which nothing casts a shadow, whatever the reach: billboards cast none. */
export const castingEnd = (d: Distances, chain: Chain): number =>
  chain.billboard ? Math.min(d.billboard, d.gone) : d.gone

/** The distances that change when an edge is moved, at the most up to its neighbours. */
export function moved(d: Distances, chain: Chain, edge: Edge, metres: number): DistancesPart {
  const used = Math.min(chain.lods - 1, d.steps.length)
  /** The steps, of which those that no mesh uses lie between the last one in use and what follows. */
  const within = (steps: number[], top: number) => {
    const out = steps.slice(0, used)
    for (const s of steps.slice(used)) out.push(between(s, out[out.length - 1] ?? 0, top))
    return out
  }
  switch (edge.part) {
    case 'step': {
      const top = chain.billboard ? d.billboard : d.gone
      const below = edge.index ? d.steps[edge.index - 1]! : 0
      const above = edge.index + 1 < used ? d.steps[edge.index + 1]! : top
      const steps = within(
        d.steps.map((s, k) => (k === edge.index ? between(metres, below, above) : s)),
        top,
      )
      return chain.billboard ? { steps } : { steps, billboard: Math.max(...steps) }
    }
    case 'billboard': {
      const billboard = between(metres, d.steps[used - 1] ?? 0, d.gone)
      const steps = within(d.steps, billboard)
      return steps.join() === d.steps.join() ? { billboard } : { steps, billboard }
    }
    case 'gone':
      return { gone: Math.max(metres, d.billboard, 1) }
    case 'shadow':
      return { shadow: metres < 1 ? 0 : Math.min(metres, castingEnd(d, chain)) }
    case 'fade':
      return { fade: Math.max(metres, 0) }
  }
}

/** One stand's distances for another, which may have more or fewer LODs. */
export function copied(from: Distances, to: Distances): DistancesPart {
  const last = from.steps[from.steps.length - 1] ?? from.billboard
  const steps = to.steps.map((_, k) => Math.min(from.steps[k] ?? last, from.billboard))
  return { ...from, steps }
}

interface Errors {
  errors?: number[]
  billboard_error?: number | null
}

/** What is known of how unlike the coarser states of a stand's items look, in m of outline. */
export const errorsOf = (stand: Stand, stock: { slug: string; distances?: unknown }[]): Errors[] =>
  stand.settings.mix.map((m) => (stock.find((i) => i.slug === m.item)?.distances ?? {}) as Errors)
export const measured = (errors: Errors[]) => errors.some((e) => e.errors?.length || e.billboard_error)

/** Edges where each coarser state's outline differs by so many pixels of 1,080 lines over 55°. */
export function toPixels(d: Distances, errors: Errors[], pixels: number): DistancesPart {
  const nearest = (error: number) =>
    Math.round((error * 1080 * 10) / (2 * Math.tan((27.5 * Math.PI) / 180) * pixels)) / 10
  let last = 0
  const steps = d.steps.map((s, k) => {
    const most = Math.max(0, ...errors.map((e) => e.errors?.[k] ?? 0))
    return (last = Math.max(last, most ? nearest(most) : s))
  })
  const flat = Math.max(0, ...errors.map((e) => e.billboard_error ?? 0))
  const billboard = Math.max(last, flat ? nearest(flat) : d.billboard)
  return { steps, billboard, gone: Math.max(d.gone, billboard) }
}

/**
 * Of each stand that plants an item whose states are to look otherwise: the distances at which every state
 * differs by at most two pixels, where these are others than it has. Locked stands are left out.
 */
export function newEdges(
  stands: Stand[],
  stock: { slug: string; distances?: unknown }[],
  item: string,
  now: unknown,
): { stand: Stand; distances: Distances }[] {
  const changed = stock.map((i) => (i.slug === item ? { ...i, distances: now } : i))
  return stands
    .filter((s) => !s.locked && s.items.includes(item) && measured(errorsOf(s, changed)))
    .map((stand) => {
      const was = stand.settings.distances
      return { stand, was, distances: { ...was, ...toPixels(was, errorsOf(stand, changed), 2) } }
    })
    .filter(({ was, distances: d }) =>
      [...d.steps, d.billboard].some((m, k) => Math.abs(m - [...was.steps, was.billboard][k]!) >= 1),
    )
    .map(({ stand, distances }) => ({ stand, distances }))
}

/** The meshes of a stand's items (from 1, the full one) that no distance is left for. */
export function neverDrawn(d: Distances, chain: Chain): number[] {
  const inner = d.steps.slice(0, chain.lods - 1)
  const ends = [...inner, chain.billboard ? d.billboard : d.gone]
  return ends.flatMap((end, k) => (end <= (k ? inner[k - 1]! : 0) ? [k + 1] : []))
}

import type { Condition } from '../api/client'
import { KINDS } from '../api/kinds'

export type Kind = Condition['kind']
/** A band that ends here or beyond has no end. */
export const ENDLESS = 1e5

export const ORDER = Object.keys(KINDS) as Kind[]
type Parameter =
  | 'centre'
  | 'toward'
  | 'radius'
  | 'layers'
  | 'noise'
  | 'shapes'
  | 'depth'
  | 'border'
  | 'rough'
  | 'stand'
  | 'mask'
  | 'wrapped'
  | 'curve'
/** Whether conditions of a kind have a parameter. */
export const has = (kind: Kind, parameter: Parameter): boolean =>
  (KINDS[kind].parameters as readonly string[]).includes(parameter)

/** A new condition of a kind, with a band that makes sense before it is tuned. */
export function fresh(kind: Kind, level: { low: number; high: number }): Condition {
  const [lo, hi, soft_lo, soft_hi] =
    KINDS[kind].begin ?? ([Math.floor(level.low), Math.ceil(level.high), 0, 0] as const)
  const noise = {
    form: 'gradient' as const,
    wavelength: 40,
    octaves: 3,
    contrast: 1,
    shift: 0,
    seed: 1 + Math.floor(Math.random() * 9999),
    moved: [0, 0] as [number, number],
  }
  return {
    kind,
    lo,
    hi,
    soft_lo,
    soft_hi,
    join: 'and',
    on: true,
    centre: 180,
    toward: [180, 45],
    radius: KINDS[kind].radius,
    layers: [],
    noise,
    shapes: [],
    groups: [],
    depth: false,
    border: 0,
    rough: 0,
    stand: 0,
    mask: '',
    wrapped: false,
    curve: [],
    density: true,
    size: null,
    lean: null,
    tint: null,
  }
}

/** How a distance to shapes is measured: in m, over a border of so many m, or by relative depth. */
export type Measure = 'metres' | 'border' | 'depth'
export const measureOf = (c: Condition): Measure => (c.depth ? 'depth' : c.border ? 'border' : 'metres')
/** What a condition becomes that is measured otherwise, with a band that makes sense there. */
export function measuredBy(kind: Kind, measure: Measure): Partial<Condition> {
  const [lo, hi, soft_lo, soft_hi] = measure === 'metres' ? KINDS[kind].begin! : [0.3, 1, 0.2, 0]
  const rest = measure === 'depth' ? { rough: 0 } : {}
  return {
    ...{ lo, hi, soft_lo, soft_hi, ...rest },
    depth: measure === 'depth',
    border: measure === 'border' ? 10 : 0,
    curve: [],
  }
}

/** Whether conditions of a kind may ask for a stand above: its painting, or, of single plants, its plants. */
export const asksFor = (kind: Kind, stand: { sward: boolean }): boolean => kind !== 'stand' || !stand.sward
export const noneAbove = (kind: Kind): string =>
  `No stand ${kind === 'stand' ? 'with single plants ' : ''}stands above this one in the column.`

/**
 * A new condition of a kind with what it needs of a level filled in: the first ground layer, the first mask
 * image, a stand. Throws: where the level has none of it.
 */
export function begun(
  kind: Kind,
  level: { low: number; high: number; layers: { name: string }[] },
  masks: { name: string }[],
  above: { number: number; sward: boolean }[],
): Condition {
  const c = fresh(kind, level)
  if (has(kind, 'layers')) c.layers = level.layers.slice(0, 1).map((l) => l.name)
  if (has(kind, 'mask') && !(c.mask = masks[0]?.name ?? ''))
    throw new Error('This level has no mask images yet: bring one in on the Ground bench.')
  if (has(kind, 'stand') && !(c.stand = above.find((s) => asksFor(kind, s))?.number ?? 0))
    throw new Error(noneAbove(kind))
  return c
}

/** What a condition looks at, whatever its band: one histogram serves all that are equal in this. */
export const fieldOf = (c: Condition): string =>
  JSON.stringify([
    c.kind,
    has(c.kind, 'radius') ? c.radius : 0,
    c.layers,
    has(c.kind, 'noise') ? c.noise : 0,
    c.shapes,
    c.groups,
    has(c.kind, 'toward') ? c.toward : 0,
    c.depth,
    c.border,
    c.rough && [c.rough, c.noise],
    c.stand,
    c.mask,
    c.wrapped,
    KINDS[c.kind].distance && c.hi < ENDLESS ? Math.ceil((c.hi + c.soft_hi) / 120) : 0,
  ])

/** The part of a band that is 1, softened at both sides, at a value. */
export function inBand(c: Condition, v: number): number {
  const smooth = (t: number) => {
    const u = Math.min(Math.max(t, 0), 1)
    return u * u * (3 - 2 * u)
  }
  const up = c.soft_lo > 0 ? smooth((v - c.lo + c.soft_lo) / c.soft_lo) : v >= c.lo ? 1 : 0
  const down = c.soft_hi > 0 ? smooth((c.hi + c.soft_hi - v) / c.soft_hi) : v <= c.hi ? 1 : 0
  return up * down
}

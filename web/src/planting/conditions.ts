import type { Condition } from '../api/client'

export type Kind = Condition['kind']
/** A band that ends here or beyond has no end. */
export const ENDLESS = 1e5

/** What each kind of condition is called, its unit, and the step its numbers are nudged by. */
export const KINDS: Record<
  Kind,
  { label: string; unit: string; step: number; digits: number; says: string }
> = {
  altitude: { label: 'Altitude', unit: 'm', step: 1, digits: 1, says: 'how high the ground lies' },
  slope: { label: 'Slope', unit: '°', step: 0.5, digits: 1, says: 'how steep it is' },
  facing: { label: 'Facing', unit: '°', step: 5, digits: 0, says: 'which way it falls' },
  hollow: {
    label: 'Hollow–ridge',
    unit: 'm',
    step: 0.1,
    digits: 2,
    says: 'above or below the ground around',
  },
  wetness: { label: 'Wetness', unit: '', step: 0.1, digits: 2, says: 'where water gathers' },
  layer: { label: 'Ground layer', unit: '', step: 0.05, digits: 2, says: 'weight of one or several layers' },
  noise: { label: 'Noise', unit: '', step: 0.02, digits: 2, says: 'patches that follow nothing' },
  path: { label: 'Distance to paths', unit: 'm', step: 0.5, digits: 1, says: 'below 0 on the path' },
  area: { label: 'Distance to areas', unit: 'm', step: 0.5, digits: 1, says: 'below 0 inside' },
  obstacle: { label: 'Distance to obstacles', unit: 'm', step: 0.5, digits: 1, says: 'below 0 inside' },
  stand: {
    label: 'Distance to a stand',
    unit: 'm',
    step: 0.5,
    digits: 1,
    says: 'from the nearest plant of a stand above',
  },
  mask: { label: 'Mask image', unit: '', step: 0.05, digits: 2, says: '0 black to 1 white' },
  flat: { label: 'Flat ground', unit: 'm', step: 0.05, digits: 2, says: 'most rise or fall within a radius' },
}
export const ORDER = Object.keys(KINDS) as Kind[]
export const DISTANCES: Kind[] = ['path', 'area', 'obstacle', 'stand']

const BANDS: Partial<Record<Kind, [number, number, number, number]>> = {
  slope: [0, 25, 0, 8],
  facing: [0, 60, 0, 30],
  hollow: [-50, 0, 0, 0.5],
  layer: [0.5, 1, 0.3, 0],
  noise: [0.5, 1, 0.15, 0],
  path: [3, ENDLESS, 2, 0],
  area: [-ENDLESS, 0, 0, 4],
  obstacle: [2, ENDLESS, 2, 0],
  stand: [0, 8, 0, 4],
  mask: [0.5, 1, 0.2, 0],
  flat: [0, 0.4, 0, 0.3],
}

/** A new condition of a kind, with a band that makes sense before it is tuned. */
export function fresh(kind: Kind, level: { low: number; high: number }): Condition {
  const [lo, hi, soft_lo, soft_hi] =
    BANDS[kind] ??
    (kind === 'altitude' ? [Math.floor(level.low), Math.ceil(level.high), 0, 0] : [7, 30, 2, 0])
  const noise = {
    form: 'gradient' as const,
    wavelength: 40,
    octaves: 3,
    contrast: 1,
    shift: 0,
    seed: 1 + Math.floor(Math.random() * 9999),
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
    radius: kind === 'flat' ? 2 : 20,
    layers: [],
    noise,
    shapes: [],
    depth: false,
    stand: 0,
    mask: '',
    curve: [],
    density: true,
    size: null,
  }
}

/** What a condition looks at, whatever its band: one histogram serves all that are equal in this. */
export const fieldOf = (c: Condition): string =>
  JSON.stringify([
    c.kind,
    c.kind === 'hollow' || c.kind === 'flat' ? c.radius : 0,
    c.layers,
    c.kind === 'noise' ? c.noise : 0,
    c.shapes,
    c.depth,
    c.stand,
    c.mask,
    DISTANCES.includes(c.kind) && c.hi < ENDLESS ? Math.ceil((c.hi + c.soft_hi!) / 120) : 0,
  ])

/** The part of a band that is 1, softened at both sides, at a value. */
export function inBand(c: Condition, v: number): number {
  const smooth = (t: number) => {
    const u = Math.min(Math.max(t, 0), 1)
    return u * u * (3 - 2 * u)
  }
  const up = c.soft_lo! > 0 ? smooth((v - c.lo + c.soft_lo!) / c.soft_lo!) : v >= c.lo ? 1 : 0
  const down = c.soft_hi! > 0 ? smooth((c.hi + c.soft_hi! - v) / c.soft_hi!) : v <= c.hi ? 1 : 0
  return up * down
}

import type { Distances, Drawing, Stand } from '../api/client'
import { STRATA } from '../shared/strata'

/** The strata whose full meshes are counted. */
export const TREES: readonly string[] = ['Canopy', 'Understorey']
export const CELLS = [16, 32, 64, 128] as const
/** Pixels at 1,080 lines by which the drawn ground departs, on the mean, if nothing else is set. */
export const GROUND_ERROR = 4

/** A level drawn as its stands say; also a tier that takes nothing away. */
export const PLAIN: Drawing = {
  plants: true,
  distances: 1,
  fades: 1,
  shadows: 1,
  lod_offset: 0,
  billboards: true,
  full_meshes: null,
  sward_reach: null,
  sward_share: 1,
  shadow_reach: null,
  casts: [...STRATA],
  receives: [...STRATA],
  ground_error: null,
  cell: 64,
  ground_shaded: true,
  ground_detail: null,
  fog: 1,
}

/** m within which the ground's texture is drawn in detail, if nothing else is set. */
export const GROUND_DETAIL = 160

type Ceiling = number | null | undefined
const picked = (pick: (...values: number[]) => number, a: Ceiling, b: Ceiling) =>
  a == null ? (b ?? null) : b == null ? a : pick(a, b)

/** The level's settings as a tier leaves them: the rule of `thicket.sight.drawing`. */
export function through(level: Drawing, tier: Drawing): Drawing {
  return {
    plants: level.plants && tier.plants,
    distances: level.distances * tier.distances,
    fades: level.fades * tier.fades,
    shadows: level.shadows * tier.shadows,
    lod_offset: level.lod_offset + tier.lod_offset,
    billboards: level.billboards && tier.billboards,
    full_meshes: picked(Math.min, level.full_meshes, tier.full_meshes),
    sward_reach: picked(Math.min, level.sward_reach, tier.sward_reach),
    sward_share: level.sward_share * tier.sward_share,
    shadow_reach: picked(Math.min, level.shadow_reach, tier.shadow_reach),
    casts: level.casts.filter((s) => tier.casts.includes(s)),
    receives: level.receives.filter((s) => tier.receives.includes(s)),
    ground_error: picked(Math.max, level.ground_error, tier.ground_error),
    cell: level.cell,
    ground_shaded: level.ground_shaded && tier.ground_shaded,
    ground_detail: picked(Math.min, level.ground_detail, tier.ground_detail),
    fog: level.fog * tier.fog,
  }
}

/** A stand's distances as they are drawn. */
export function drawnDistances(stand: Stand, by: Drawing, own = stand.settings.distances): Distances {
  let gone = own.gone * by.distances
  if (stand.sward && by.sward_reach != null) gone = Math.min(gone, Math.max(by.sward_reach, 0.1))
  const shadow = by.casts.includes(stand.stratum) ? own.shadow * by.shadows : 0
  return {
    ...own,
    steps: own.steps.map((s) => Math.min(s * by.distances, gone)),
    billboard: Math.min(own.billboard * by.distances, gone),
    gone,
    fade: own.fade * by.fades,
    shadow: Math.min(shadow, by.shadow_reach ?? Infinity),
  }
}

/** How far from the eye a stand's plants may have to be drawn, or cast shadow, in m. */
export function drawnReach(stand: Stand, by: Drawing): number {
  const d = drawnDistances(stand, by)
  const { mix, variation } = stand.settings
  const sizes = [variation, ...mix].map((m) => m.size?.[1] ?? 1)
  return Math.max(d.gone * (d.by_size ? Math.max(...sizes) : 1), d.shadow)
}

/** A number in [0, 1) that each plant keeps, from the lower 32 bits of its id. */
export const rank = (low: number) => (low & 0xffffff) / 0x1000000

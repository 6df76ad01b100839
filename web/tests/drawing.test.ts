import { describe, expect, it } from 'vitest'
import type { Drawing, Walk } from '../src/api/client'
import { drawnDistances, drawnReach, PLAIN, rank, through } from '../src/stage/drawing'
import { states } from '../src/stage/distances'
import { clearDistance, left, thicker } from '../src/stage/fog'
import { lookAt, routeOf, thinned } from '../src/sightline/walk'
import { Ground } from '../src/stage/ground'
import { stand } from './help'

/** A slope of 64 m a side that rises to the east. */
const slope = new Ground(
  Float32Array.from({ length: 65 * 65 }, (_, k) => (k % 65) / 4),
  new Uint8Array(64 * 64),
  1,
  64,
  64,
  1,
  0,
  16,
)
const FAR = { steps: [24, 58], billboard: 110, gone: 900, fade: 12, shadow: 64, by_size: false }
const settings = (own = FAR) => ({ ...stand(1).settings, distances: own })
const HANDHELD: Drawing = {
  ...PLAIN,
  distances: 0.5,
  lod_offset: 1,
  full_meshes: 12,
  sward_reach: 30,
  sward_share: 0.4,
  shadow_reach: 40,
  casts: ['Stone', 'Canopy'],
  ground_error: 10,
}

describe('a tier', () => {
  it('takes away, whichever comes first, and a plain one takes nothing', () => {
    const level: Drawing = { ...PLAIN, distances: 2, full_meshes: 40, casts: ['Canopy', 'Moss'], cell: 128 }
    const seen = through(level, HANDHELD)
    expect(seen).toMatchObject({
      distances: 1,
      full_meshes: 12,
      casts: ['Canopy'],
      ground_error: 10,
      cell: 128,
    })
    expect(through(HANDHELD, level)).toMatchObject({ ...seen, cell: 64 })
    expect(through(level, PLAIN)).toEqual(level)
  })

  it('draws a stand nearer, a sward no farther than it may, and shadows of its strata only', () => {
    const birch = stand(1, { settings: settings() })
    const own = birch.settings.distances
    const seen = drawnDistances(birch, HANDHELD)
    expect(seen.gone).toBe(own.gone / 2)
    expect(seen.shadow).toBe(Math.min(own.shadow, 40))
    const grass = stand(2, { stratum: 'Field', sward: true, settings: settings() })
    const near = drawnDistances(grass, HANDHELD)
    expect(near.gone).toBe(Math.min(own.gone / 2, 30))
    expect(near.billboard).toBeLessThanOrEqual(near.gone)
    expect(near.shadow).toBe(0)
    expect(drawnReach(grass, HANDHELD)).toBe(near.gone)
    expect(drawnDistances(birch, PLAIN)).toEqual(own)
  })

  it('has the next mesh begin where the ceiling on full ones is reached', () => {
    const own = { steps: [40], billboard: 120, gone: 260, fade: 10, shadow: 70, by_size: false }
    expect(states(own, 2, true, 25)).toMatchObject({ start: [0, 20, 120], hide: [25, 125, 260] })
    expect(states(own, 2, true)).toEqual(states(own, 2, true, 1e9))
  })

  it('keeps the same tufts, and thickens fog', () => {
    expect([rank(0), rank(0x800000), rank(0xff800000)]).toEqual([0, 0.5, 0.5])
    const fog = {
      kind: 'linear',
      density: 0.01,
      start: 20,
      end: 200,
      thinning: 0,
      level: 0,
      colour: '',
      hides: false,
    } as const
    expect(thicker(fog, 2)).toMatchObject({ density: 0.02, start: 10, end: 100 })
    expect(thicker(fog, 0).kind).toBe('none')
    expect(clearDistance(fog, 50, 10)).toBeCloseTo(20 + 0.98 * 180, 6)
    const thin = { ...fog, kind: 'squared', thinning: 30 } as const
    const from = clearDistance(thin, 25, 15)
    expect(left(thin, from, 25, 55)).toBeCloseTo(0.02, 6)
    expect([
      clearDistance({ ...fog, kind: 'none' }, 9, 9),
      clearDistance({ ...thin, density: 0 }, 9, 9),
    ]).toEqual([Infinity, Infinity])
  })
})

describe('a walk', () => {
  const walk: Walk = {
    points: [
      [10, 10],
      [50, 10],
      [50, 40],
    ],
    speed: 2,
    eye: 1.7,
  }
  const route = routeOf(walk, slope)!

  it('keeps its speed and the height of the eye, and looks ahead', () => {
    expect(route.time[route.time.length - 1]).toBeCloseTo(35)
    const half = lookAt(route, 10)
    expect(half.x).toBeCloseTo(30)
    expect(half.heading).toBeCloseTo(90)
    expect(half.y).toBeCloseTo(slope.heightAt(30, 10) + 1.7)
    expect(lookAt(route, 99)).toMatchObject({ z: 40, heading: 180 })
    const turning = lookAt(route, 20).heading
    expect(turning).toBeGreaterThan(100)
    expect(turning).toBeLessThan(170)
  })

  it('is none when it is one place, and drops places that are too near', () => {
    expect(
      routeOf(
        {
          ...walk,
          points: [
            [5, 5],
            [5, 5],
          ],
        },
        slope,
      ),
    ).toBeNull()
    expect(
      thinned(
        [
          [0, 0],
          [0.2, 0],
          [1.1, 0],
          [1.2, 0],
          [3, 0],
        ],
        1,
      ),
    ).toEqual([
      [0, 0],
      [1.1, 0],
      [3, 0],
    ])
  })
})

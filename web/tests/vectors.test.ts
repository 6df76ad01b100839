/** The rules that the page holds as the core does, by the golden vectors that the core writes. */
import { BufferGeometry, Vector3, type InstancedBufferGeometry, type Mesh, type Scene } from 'three'
import { describe, expect, it } from 'vitest'
import type { Condition, Drawing, Fog, ShapeIn, Stand, View, Walk, Wind } from '../src/api/client'
import vectors from '../../tests/vectors.json'
import { cornersOf } from '../src/ground/shapes'
import { inBand } from '../src/planting/conditions'
import { lookAt, routeOf } from '../src/sightline/walk'
import { states } from '../src/stage/distances'
import { CELLS, drawnDistances, PLAIN, rank, through, TREES } from '../src/stage/drawing'
import { clearDistance, left, meanDensity, thicker } from '../src/stage/fog'
import { boxVisible, planes } from '../src/stage/frustum'
import { Ground } from '../src/stage/ground'
import { turnOf } from '../src/stage/placedMeshes'
import { STRIDE } from '../src/stage/payload'
import { PlantStore, StandPlants } from '../src/stage/plantStore'
import { Planter } from '../src/stage/planter'
import type { ItemMeshes, PartMesh } from '../src/stage/stock'
import { Terrain } from '../src/stage/terrain'
import { BEND, gustsOf, wayOf } from '../src/stage/wind'
import { partOf, stand } from './help'

/** What the core wrote. */
const read = <T>(written: unknown): T => written as T
/** Three numbers: JSON's arrays do not say how many they hold. */
const triple = (v: number[]) => v as [number, number, number]
/** JSON has no number that never ends: there it is null. */
const endless = (v: number | null) => v ?? Infinity
function alike(found: ArrayLike<number>, expected: (number | null)[], within = 1e-6, what = ''): void {
  expect(found.length, what).toBe(expected.length)
  expected.forEach((want, k) => {
    if (want === null) expect(found[k], what).toBe(Infinity)
    else expect(Math.abs(found[k]! - want), `${what}: ${found[k]}, ${want}`).toBeLessThan(within)
  })
}

const { columns, rows, cell } = vectors.ground
const heights = new Float32Array((rows + 1) * (columns + 1))
for (let j = 0; j <= rows; j++)
  for (let i = 0; i <= columns; i++)
    heights[j * (columns + 1) + i] = 20 * Math.sin(i / 17) * Math.cos(j / 23) + 0.05 * i
const ground = new Ground(heights, new Uint8Array(), 0, columns, rows, cell, -20, 40)

describe('as the core does, the page', () => {
  it('draws round and box-shaped obstacles', () => {
    const { round, box } = vectors.outlines
    for (const { corners, ...own } of round)
      alike(cornersOf({ form: 'circle', round: own } as ShapeIn).flat(), corners.flat(), 6e-5)
    for (const { corners, ...own } of box)
      alike(cornersOf({ form: 'box', box: own } as ShapeIn).flat(), corners.flat(), 6e-5)
  })
  it('lets the wind blow', () => {
    expect(BEND).toBe(vectors.bend)
    for (const { gusts, toward, ...own } of vectors.winds) {
      expect(gustsOf(own as Wind), JSON.stringify(own)).toBe(gusts)
      alike(wayOf(own as Wind), toward, 1e-9)
    }
  })
  it('lays a placed mesh', () => {
    for (const v of vectors.placed)
      v.points.forEach((p, k) => {
        const at = new Vector3(...(p as [number, number, number]))
        at.multiplyScalar(v.scale)
          .applyQuaternion(turnOf(v))
          .add(new Vector3(...(v.at as [number, number, number])))
        alike(at.toArray(), v.in_level[k]!, 1e-9)
      })
  })
  it('says from where to where each state of an item is drawn', () => {
    for (const v of vectors.states) {
      const found = states(v.distances, v.lods, v.billboard, endless(v.full))
      for (const part of ['start', 'end', 'show', 'hide'] as const)
        alike(found[part], v.states[part], 1e-9, JSON.stringify(v))
    }
  })
  it('draws a level through tiers, and a stand at the distances that they leave', () => {
    const by = vectors.drawing.settings as Drawing[]
    const sorted = (d: Drawing) => ({ ...d, casts: [...d.casts].sort(), receives: [...d.receives].sort() })
    vectors.drawing.through.forEach((row, a) =>
      row.forEach((want, b) => expect(sorted(through(by[a]!, by[b]!))).toEqual(sorted(read<Drawing>(want)))),
    )
    for (const v of vectors.drawing.distances) {
      const stand = { stratum: v.stratum, sward: v.sward } as Stand
      const { steps, billboard, gone, fade, shadow } = drawnDistances(stand, by[v.by]!, v.own)
      const want = v.drawn
      alike(
        [...steps, billboard, gone, fade, shadow],
        [...want.steps, want.billboard, want.gone, want.fade, want.shadow],
      )
    }
    expect([[...CELLS], [...TREES], PLAIN.cell]).toEqual([vectors.drawing.cells, vectors.drawing.trees, 64])
    for (const [low, share] of vectors.drawing.rank) expect(rank(low!)).toBeCloseTo(share!, 12)
  })
  it('thins fog with height, and says what it leaves and from where it hides all', () => {
    const cases = vectors.fog.filter((v) => 'fog' in v)
    const { eyes, places, metres } = vectors.fog.find((v) => 'eyes' in v) as {
      eyes: number[]
      places: number[]
      metres: number[]
    }
    for (const v of cases) {
      const fog = thicker(v.fog as Fog, v.factor!)
      eyes.forEach((eye, k) => {
        const what = JSON.stringify([v.fog, v.factor, eye])
        if (fog.kind !== 'none')
          alike(
            places.map((p) => meanDensity(fog, eye, p)),
            v.density![k]!,
            1e-9,
            what,
          )
        alike(
          metres.map((m) => left(fog, m, eye, places[2]!)),
          v.left![k]!,
          1e-9,
          what,
        )
        alike([clearDistance(fog, eye, 30)], [v.clear![k]!], 1e-6, what)
      })
    }
  })
  it('sees the same tiles of the ground, in the same grids', () => {
    const { boxes } = vectors.views.find((v) => 'boxes' in v) as { boxes: number[][] }
    // Any uniform stands at 0: nothing lies over the ground.
    const terrain = new Terrain(ground, new Proxy({}, { get: () => ({ value: 0 }) }))
    for (const v of vectors.views.filter((v) => 'view' in v)) {
      const view = partOf<View>({ ...v.view, drawing: PLAIN })
      const sides = planes(view)
      alike(sides, v.planes!.flat(), 1e-9)
      expect(boxes.map((box) => boxVisible(sides, box))).toEqual(v.tiles)
      ;[0.5, 4, 40].forEach((ground_error, k) => {
        terrain.choose({ ...view, drawing: { ...PLAIN, ground_error } })
        const counts = terrain.group.children.map(
          (mesh) => (mesh as Mesh<InstancedBufferGeometry>).geometry.instanceCount,
        )
        expect(counts).toEqual(v.steps![k])
      })
    }
  })
  it('finds what of the ground is under the pointer', () => {
    for (const { from, way, meets } of vectors.rays) {
      const found = ground.meet(...triple(from), ...triple(way))
      if (meets) alike(found!, meets, 0.1)
      else expect(found).toBeNull()
    }
  })
  it('draws in each cell what is paid for', () => {
    const count = 1500
    const form = new Float32Array(count * STRIDE)
    for (let k = 0; k < count; k++)
      form.set(
        [((k * 37) % 400) + 0.3, k % 7, (k * 61) % 300, 0, 0, 0, 1, 1, 0.5 + (k % 5) / 4, 0],
        k * STRIDE,
      )
    const plants = {
      count,
      form,
      id: BigUint64Array.from({ length: count }, (_, k) => BigInt(k)),
      item: Uint8Array.from({ length: count }, (_, k) => k % 2),
    }
    const mesh = (parts: number) =>
      Array.from({ length: parts }, () => partOf<PartMesh>({ geometry: new BufferGeometry() }))
    const item = (states: number[], lods: number, castsShadow: boolean) =>
      partOf<ItemMeshes>({
        item: { height: 8, glb: '' },
        states: states.map(mesh),
        lods,
        billboard: states.length > lods,
        castsShadow,
      })
    const stock = new Map([
      ['birch', item([2, 1, 1, 1], 3, true)],
      ['block', item([1, 1], 2, false)],
    ])
    const { settings } = stand(1)
    for (const v of vectors.cells) {
      const sheets = { size: 512, columns: 1, rows: 1, keys: ['a'] }
      const wood = stand(1, {
        items: ['birch', 'block'],
        settings: { ...settings, tints: ['#fff', '#fff'], distances: v.distances },
        sheets,
      })
      const sp = new StandPlants(wood, [5, 2])
      sp.place(0, 'a', plants)
      const store = new PlantStore('fell', new Map(), () => {})
      store.stands.set(1, sp)
      const planter = new Planter(store, stock, {})
      const seen = vectors.views.filter((each) => 'view' in each)[v.view]!
      const view = read<View>({ ...seen.view, shadows: true, drawing: v.drawing })
      const calls = (scene: Scene) => scene.children.filter((call) => call.visible).length
      const drawn = planter.choose(view)
      const shaded = planter.chooseShadows(view)
      expect({
        plants: drawn,
        draw_calls: calls(planter.colourScene),
        shadow_triangles: shaded,
        shadow_calls: calls(planter.shadowScene),
      }).toMatchObject({
        plants: v.plants,
        draw_calls: v.draw_calls,
        shadow_triangles: v.shadow_triangles,
        shadow_calls: v.shadow_calls,
      })
    }
  })
  it('walks the same way, on ground of the same height', () => {
    for (const [x, z, height] of vectors.heights) expect(ground.heightAt(x!, z!)).toBeCloseTo(height!, 2)
    const { points, speed, eye, times, seen } = vectors.walk
    const route = routeOf(partOf<Walk>({ points, speed, eye }), ground)!
    expect(route.time[route.time.length - 1]).toBeCloseTo(vectors.walk.seconds, 9)
    times.forEach((time, k) => {
      const { x, y, z, heading } = lookAt(route, time)
      alike([x, y, z, heading], seen[k]!, 1e-3, `after ${time} s`)
    })
  })
  it('bends a condition by its band', () => {
    for (const v of vectors.bands)
      alike(
        v.values.map((value) => inBand(read<Condition>(v), value)),
        v.results,
        1e-6,
        v.kind,
      )
  })
})

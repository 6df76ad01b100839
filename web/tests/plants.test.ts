import * as THREE from 'three'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Drawing, Item, Stand, StandSettings, View } from '../src/api/client'
import { PLAIN } from '../src/stage/drawing'
import { boxVisible, planes } from '../src/stage/frustum'
import { STRIDE, type Plants } from '../src/stage/payload'
import { Planter } from '../src/stage/planter'
import { PlantStore, StandPlants, type Cell } from '../src/stage/plantStore'
import type { ItemMeshes, PartMesh } from '../src/stage/stock'
import { numbers, serve, settled, stand, until, partOf } from './help'

/** Plants of one item at places (x, z), each of a size. */
function plantsAt(places: [number, number, number?][], first = 1): Plants {
  const form = new Float32Array(places.length * STRIDE)
  places.forEach(([x, z, size = 1], k) => form.set([x, 0, z, 0, 0, 0, 1, size, size, 0], k * STRIDE))
  return {
    count: places.length,
    form,
    id: BigUint64Array.from(places, (_, k) => BigInt(first + k)),
    item: new Uint8Array(places.length),
  }
}

/** The same as the server lays it out. */
function bytes(p: Plants): ArrayBuffer {
  const out = new ArrayBuffer(8 + p.count * (STRIDE * 4 + 8 + 1))
  const head = new DataView(out)
  head.setUint32(0, 0x4b545031)
  head.setUint32(4, p.count, true)
  new Uint8Array(out).set(new Uint8Array(p.form.buffer), 8)
  new Uint8Array(out).set(new Uint8Array(p.id.buffer), 8 + p.count * STRIDE * 4)
  new Uint8Array(out).set(p.item, 8 + p.count * (STRIDE * 4 + 8))
  return out
}
const spread = (seed: number, count: number, wide: number) => {
  const next = numbers(seed)
  return plantsAt(Array.from({ length: count }, () => [next() * wide, next() * wide, 0.5 + next()]))
}
const sheets = (keys: string[], columns = keys.length, size = 256) => ({
  size,
  columns,
  rows: keys.length / columns,
  keys,
})
const idsOf = (cells: Iterable<Cell>) =>
  [...cells].flatMap((c) => [...c.plants.id].map(Number)).sort((a, b) => a - b)

describe('the plants of a stand', () => {
  let sp: StandPlants
  beforeEach(() => {
    sp = new StandPlants(stand(1, { items: ['birch'], sheets: sheets(['a', 'b', 'c', 'd'], 2) }), [4])
  })
  it('are each in one cell, whose box holds them whole', () => {
    const all = spread(3, 500, 256)
    sp.place(0, 'a', all)
    expect(idsOf(sp.cells.values())).toEqual([...all.id].map(Number))
    for (const [at, { box, plants, largest }] of sp.cells) {
      const [row, col] = [Math.floor(at / 4096), at % 4096]
      for (let k = 0, o = 0; k < plants.count; k++, o += STRIDE) {
        const [x, z, size] = [plants.form[o]!, plants.form[o + 2]!, plants.form[o + 7]!]
        expect([Math.floor(x / 64), Math.floor(z / 64)]).toEqual([col, row])
        expect(box[0]! <= x - 4 * size + 1e-3 && box[5]! >= z + 4 * size - 1e-3).toBe(true)
        expect(largest).toBeGreaterThanOrEqual(size)
      }
    }
  })
  it('are the same in cells of any side, and only what changed is sorted anew', () => {
    sp.place(0, 'a', spread(4, 400, 256))
    for (const side of [16, 32, 128]) {
      const cells = sp.drawn(side)
      expect(idsOf(cells.values())).toEqual(idsOf(sp.cells.values()))
      for (const [at, { plants }] of cells)
        for (let k = 0; k < plants.count; k++) {
          const [x, z] = [plants.form[k * STRIDE]!, plants.form[k * STRIDE + 2]!]
          expect(Math.floor(z / side) * 65536 + Math.floor(x / side)).toBe(at)
        }
    }
    const before = new Map(sp.drawn(128))
    sp.replace(10, 10, 40, 40, plantsAt([[20, 20]], 9000))
    const after = sp.drawn(128)
    expect(after.get(0)).not.toBe(before.get(0))
    expect(after.get(1)).toBe(before.get(1))
    expect(sp.drawn(128)).toBe(after)
  })
  it('give way to others in a box, to the edge and not beyond, where their sheet is here', () => {
    sp.place(
      0,
      'a',
      plantsAt([
        [63.9, 5],
        [64, 5],
        [70, 5],
        [80, 5],
        [5, 70],
      ]),
    )
    sp.replace(
      64,
      0,
      80,
      64,
      plantsAt(
        [
          [66, 6],
          [79, 7],
        ],
        50,
      ),
    )
    expect(idsOf(sp.cells.values())).toEqual([1, 4, 5, 50, 51])
    sp.replace(
      250,
      0,
      300,
      10,
      plantsAt(
        [
          [252, 5],
          [290, 5],
        ],
        60,
      ),
    )
    expect(idsOf(sp.cells.values())).toEqual([1, 4, 5, 50, 51, 60])
    const changes = sp.changes
    sp.replace(0, 0, 256, 256, plantsAt([]))
    expect([sp.cells.size, sp.changes > changes]).toEqual([0, true])
  })
  it('leave the stage with their sheet', () => {
    sp.place(0, 'a', spread(5, 50, 256))
    sp.place(1, 'b', plantsAt([[300, 5]], 900))
    sp.drop(0)
    expect([idsOf(sp.cells.values()), sp.resident, sp.keyOf(0)]).toEqual([[900], [1], undefined])
    sp.spoil(1)
    expect(sp.keyOf(1)).toBe('')
  })
})

describe('the sheets on the stage', () => {
  const stock = new Map([['birch', { bound: 4 } as Item]])
  let changed: ReturnType<typeof vi.fn<() => void>>
  let store: PlantStore
  const wood = (part: Partial<Stand> = {}) =>
    stand(1, { items: ['birch'], sheets: sheets(['a', 'b', 'c', 'd'], 4, 256), ...part })
  const answers = (part: Record<string, unknown> = {}) =>
    serve({
      ...Object.fromEntries(
        ['a', 'b', 'c', 'd', 'e'].map((key, k) => [
          `GET /api/levels/fell/stands/1/plants/${k % 4}/0/${key}`,
          () => new Response(bytes(plantsAt([[256 * (k % 4) + 10, 10]], k + 1))),
        ]),
      ),
      ...part,
    })
  beforeEach(() => {
    changed = vi.fn()
    store = new PlantStore('fell', stock, changed)
  })
  const shown = () => idsOf(store.stands.get(1)!.cells.values())
  const order = (asked: { what: string }[]) => asked.map((a) => a.what.slice(-1)).join('')

  it('come nearest first, and only those whose key is another are fetched again', async () => {
    const asked = answers()
    store.setEye(1000, 0)
    store.setStands([wood()])
    expect([store.settled, store.waiting]).toEqual([false, 4])
    await until(() => store.settled)
    expect([order(asked), shown()]).toEqual(['dcba', [1, 2, 3, 4]])
    store.setStands([wood({ sheets: sheets(['e', 'b', '', 'd'], 4) })])
    await until(() => store.settled)
    expect(shown()).toEqual([2, 3, 4, 5])
  })
  it('of swards come only as far as they are drawn, and go when the eye is far', async () => {
    const asked = answers()
    const grass = wood({ sward: true })
    store.setEye(0, 0)
    store.setStands([grass])
    await until(() => store.settled)
    expect(order(asked)).toBe('a')
    store.setEye(200, 0)
    await until(() => store.settled)
    expect(shown()).toEqual([1, 2])
    store.setEye(1000, 0)
    await until(() => store.settled)
    expect(shown()).toEqual([4])
    store.setDrawing({ ...PLAIN, distances: 10 })
    await until(() => store.settled)
    expect(shown()).toEqual([1, 2, 3, 4])
  })
  it('that may be others are asked for by the key they have, once', async () => {
    const since = '/api/levels/fell/stands/1/sheets'
    const asked = answers({
      [`GET ${since}/0/0/since/a`]: () => new Response(null, { status: 204 }),
      [`GET ${since}/1/0/since/b`]: () =>
        new Response(bytes(plantsAt([[260, 10]], 9)), { headers: { 'Sheet-Key': 'f' } }),
      [`GET ${since}/2/0/since/-`]: () =>
        new Response(bytes(plantsAt([[520, 10]], 8)), { headers: { 'Sheet-Key': 'c' } }),
      'GET /api/levels/fell/stands/1/plants/2/0/c': () => new Response('{"detail": "anew"}', { status: 409 }),
    })
    store.setStands([wood()])
    await until(() => store.settled)
    expect(shown()).toEqual([1, 2, 4, 8])
    store.setStands([wood({ sheets: sheets(['a?7', 'b?7', 'c', 'd'], 4) })])
    await until(() => store.settled)
    expect(shown()).toEqual([1, 4, 8, 9])
    store.setStands([wood({ sheets: sheets(['a', 'f', 'c', 'd'], 4) })])
    expect([store.settled, asked.length]).toEqual([true, 7])
  })
  it('that fail are not asked for again at once', async () => {
    const asked = answers({ 'GET /api/levels/fell/stands/1/plants/1/0/b': undefined })
    store.setStands([wood()])
    await settled(60)
    store.setEye(1, 1)
    await settled(30)
    expect(asked.filter((a) => a.what.endsWith('b')).length).toBe(1)
    expect(shown()).toEqual([1, 3, 4])
  })
  it('that come late for a key that is no more are not shown', async () => {
    let go = () => {}
    answers({
      'GET /api/levels/fell/stands/1/plants/0/0/a': () =>
        new Promise((done) => (go = () => done(new Response(bytes(plantsAt([[5, 5]], 500)))))),
    })
    store.setStands([wood()])
    await settled(20)
    store.setStands([wood({ sheets: sheets(['e', 'b', 'c', 'd'], 4) })])
    go()
    answers({
      'GET /api/levels/fell/stands/1/plants/0/0/e': () => new Response(bytes(plantsAt([[5, 5]], 600))),
    })
    await until(() => store.settled)
    expect(shown()).toEqual([2, 3, 4, 600])
  })
  it('go with their stand, and are begun anew when its items are others', async () => {
    answers()
    store.setStands([wood()])
    await until(() => store.settled)
    const first = store.stands.get(1)
    store.setStands([wood({ colour: '#123456' })])
    expect(store.stands.get(1)).toBe(first)
    store.setStands([wood({ items: ['rowan'] })])
    expect(store.stands.get(1)).not.toBe(first)
    store.setStands([])
    expect(store.stands.size).toBe(0)
  })
  it('have a plant that is not planted yet beside them, drawn however far', () => {
    store.setGhost(wood(), 0, [300, 2, 10, 0, 0, 0, 1, 1, 1, 0])
    expect(store.ghost!.stand.settings.distances.gone).toBe(5000)
    expect(idsOf(store.ghost!.cells.values())).toEqual([0])
    store.setGhost(null, 0, [])
    expect(store.ghost).toBeNull()
  })
})

const part = (): PartMesh =>
  partOf<PartMesh>({
    geometry: new THREE.BoxGeometry(),
    texture: undefined,
    normals: null,
    cut: false,
    facing: false,
    tinted: false,
    coloured: false,
    bothSides: false,
  })
/** An item of three meshes and a billboard. */
const BIRCH = partOf<ItemMeshes>({
  item: { slug: 'birch', height: 8, glb: '' },
  states: [[part(), part()], [part()], [part()], [part()]],
  lods: 3,
  billboard: true,
  castsShadow: true,
  receivesShadow: true,
})

describe('the planter', () => {
  const distances = { steps: [10, 30], billboard: 60, gone: 120, fade: 4, shadow: 40, by_size: false }
  const settings = (part: object = {}) =>
    partOf<StandSettings>({
      ...stand(1).settings,
      mix: [{ item: 'birch', weight: 1 }],
      tints: ['#ffffff', '#ffffff'],
      distances: { ...distances, ...part },
    })
  const view = (part: Partial<View> = {}, by: Partial<Drawing> = {}): View => ({
    x: 300,
    y: 0,
    z: 300,
    heading: 0,
    pitch: 0,
    fov: 55,
    aspect: 1.6,
    shadows: true,
    ...part,
    drawing: { ...PLAIN, ...by },
  })
  const wood = spread(11, 900, 600)
  wood.id = wood.id.map((id) => (id * 7_919_317n) & 0xffffffffffn)
  let store: PlantStore
  let planter: Planter
  const begin = (part: Partial<Stand> = {}, own: object = {}) => {
    store = new PlantStore('fell', new Map(), () => {})
    const sp = new StandPlants(
      stand(1, { items: ['birch'], settings: settings(own), sheets: sheets(['a'], 1, 640), ...part }),
      [5],
    )
    sp.place(0, 'a', wood)
    store.stands.set(1, sp)
    planter = new Planter(store, new Map([['birch', BIRCH]]), {})
  }
  /** Instances drawn in each state: the calls of a scene that are visible. */
  const calls = (scene: THREE.Scene) =>
    (scene.children as THREE.Mesh<THREE.InstancedBufferGeometry>[]).filter((c) => c.visible)
  /** What is to be drawn, plant by plant, with nothing remembered. */
  function expected(v: View, far: (d: number, size: number) => number = (d) => d) {
    const sides = planes(v)
    const out = { plants: 0, calls: 0 }
    const starts = [0, 10, 30, 60]
    const ends = [10, 30, 60, 120]
    for (const { plants, box } of store.stands.get(1)!.drawn(v.drawing.cell).values()) {
      if (!boxVisible(sides, box)) continue
      const inState = [0, 0, 0, 0]
      for (let k = 0, o = 0; k < plants.count; k++, o += STRIDE) {
        const away = Math.hypot(plants.form[o]! - v.x, plants.form[o + 1]! - v.y, plants.form[o + 2]! - v.z)
        const d = far(away, plants.form[o + 8]!)
        if (d >= 120) continue
        for (let s = 0; s < 4; s++)
          if (d >= (s ? starts[s]! - 2 : -1) && d < Math.min(ends[s]! + 2, 120)) inState[s]!++
      }
      out.plants += inState.reduce((a, b) => a + b, 0)
      out.calls += inState.reduce((n, count, s) => n + (count ? [2, 1, 1, 1][s]! : 0), 0)
    }
    return out
  }
  it('draws each plant within reach and view in its state, two within a fade', () => {
    begin()
    for (const heading of [0, 70, 200]) {
      const v = view({ heading })
      expect({ plants: planter.choose(v), calls: calls(planter.colourScene).length }).toEqual(expected(v))
    }
    for (const cell of [16, 128] as const) {
      const v = view({}, { cell })
      expect({ plants: planter.choose(v), calls: calls(planter.colourScene).length }).toEqual(expected(v))
    }
  })
  it('draws a large plant farther where a stand says so', () => {
    begin({}, { by_size: true })
    const v = view()
    expect(planter.choose(v)).toBe(expected(v, (d, size) => d / size).plants)
  })
  it('has shadows of meshes alone, cast from all around, and by the drawing’s strata', () => {
    begin()
    const near = [...wood.id].filter(
      (_, k) => Math.hypot(wood.form[k * STRIDE]! - 300, wood.form[k * STRIDE + 2]! - 300) < 40,
    )
    expect(planter.chooseShadows(view())).toBe(near.length)
    expect(planter.chooseShadows(view({}, { casts: ['Stone'] }))).toBe(0)
    expect(planter.chooseShadows(view({}, { shadow_reach: 0 }))).toBe(0)
  })
  it('draws nothing of what is hidden, of no plants at all, and no billboards where a tier has none', () => {
    begin()
    planter.hidden.add(1)
    expect(planter.choose(view())).toBe(0)
    planter.hidden.clear()
    expect(planter.choose(view({}, { plants: false }))).toBe(0)
    const all = planter.choose(view())
    planter.everything = true
    expect(planter.choose(view())).toBeGreaterThan(all)
    planter.everything = false
    const v = view({}, { billboards: false, lod_offset: 2 })
    planter.choose(v)
    const meshes = calls(planter.colourScene)
    expect(meshes.length).toBeGreaterThan(0)
    expect(
      meshes.every(
        (c) => c.geometry.attributes.position === BIRCH.states[2]![0]!.geometry.attributes.position,
      ),
    ).toBe(true)
  })
  it('keeps the same tufts of a sward at every share', () => {
    begin({ sward: true, stratum: 'Field' })
    const drawn = (share: number) => {
      planter.choose(view({}, { sward_share: share }))
      return new Set(
        calls(planter.colourScene).flatMap((c) => {
          const data = (c.geometry.getAttribute('aPlace') as THREE.InterleavedBufferAttribute).data
          return Array.from({ length: c.geometry.instanceCount }, (_, k) => data.array[k * STRIDE])
        }),
      )
    }
    const [all, half] = [drawn(1), drawn(0.5)]
    const some = drawn(0.2)
    expect([...some].every((x) => half.has(x)) && [...half].every((x) => all.has(x))).toBe(true)
    expect(all.size).toBeGreaterThan(half.size)
    planter.thinned = new Map([[1, 0.5]])
    expect([drawn(1), drawn(0.4)]).toEqual([half, some])
  })
  it('draws no more full meshes than the ceiling, the nearest of them', () => {
    begin({}, { steps: [60, 80], billboard: 90 })
    const v = view({ heading: 40 }, { full_meshes: 3, fades: 0 })
    planter.settle(v)
    planter.choose(v)
    const full = calls(planter.colourScene).filter(
      (c) => c.geometry.attributes.position === BIRCH.states[0]![0]!.geometry.attributes.position,
    )
    expect(full.reduce((n, c) => n + c.geometry.instanceCount, 0)).toBe(3)
    expect(planter.full).toBeLessThan(60)
    planter.settle(view({}, { full_meshes: 10_000 }))
    expect(planter.full).toBe(Infinity)
  })
  it('writes instances again only when they changed, and lets go of what is not seen for long', () => {
    begin()
    const v = view()
    planter.choose(v)
    const versions = () =>
      calls(planter.colourScene).map(
        (c) => (c.geometry.getAttribute('aPlace') as THREE.InterleavedBufferAttribute).data.version,
      )
    const first = versions()
    planter.choose(v)
    expect(versions()).toEqual(first)
    const near = planter.colourScene.children.length
    for (let k = 0; k < 700; k++) planter.choose(view({ x: 5000 }))
    expect([near > 0, planter.colourScene.children.length]).toEqual([true, 0])
    planter.choose(v)
    planter.dispose()
    expect(planter.colourScene.children.length).toBe(0)
  })
  it('bends what is limp more in the wind, and nothing when there is none', () => {
    begin()
    planter.setWind({
      bearing: 270,
      strength: 0.5,
      wavelength: 20,
      speed: 8,
      loop: 4,
      turbulence: 0.3,
      tint: '#fff6d8',
      tinting: 0,
      stiffness: { birch: 0.75 },
    })
    planter.blow(1)
    planter.choose(view())
    const material = () => calls(planter.colourScene)[0]!.material as THREE.ShaderMaterial
    expect(material().uniforms.uLimp!.value).toBeCloseTo(0.25)
    expect(material().uniforms.uWind!.value.x).toBeCloseTo(1)
    expect(material().uniforms.uGusts!.value.y).toBeCloseTo(0.25)
    planter.setWind(null)
    planter.choose(view())
    expect('SWAYS' in material().defines).toBe(false)
  })
})

import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Surface } from '../src/api/client'
import { outlineOf, useSurfaces } from '../src/ground/surfaces'
import { NEW } from '../src/ground/thingDrafts'
import { Carried, carriedAlong } from '../src/stage/carried'
import { gather, STRIDE, type Plants } from '../src/stage/payload'
import { StandPlants, type PlantStore } from '../src/stage/plantStore'
import { base64, changed, openLevel, refuse, serve, settled, stand, tried, until, partOf } from './help'

const surface = (id: number, part: Partial<Surface> = {}): Surface => ({
  id,
  name: `Mesh ${id}`,
  group: '',
  made: { form: 'block', size: [4, 2, 6], divisions: 8 },
  item: '',
  at: [50, 10, 60],
  turn: 0,
  pitch: 0,
  roll: 0,
  scale: 1,
  drawn: true,
  shadow: 80,
  blocks: true,
  planted: true,
  locked: false,
  hidden: false,
  mesh: 'k',
  triangles: 12,
  area: 88,
  notes: [],
  hull: [-2, 2].flatMap((x) =>
    [-1, 1].flatMap((y) => [-3, 3].map((z): [number, number, number] => [x, y, z])),
  ),
  ...part,
})
const POST = 'POST /api/levels/fell/surfaces'

let store: ReturnType<typeof openLevel>
let surfaces: ReturnType<typeof useSurfaces>
beforeEach(() => {
  localStorage.clear()
  store = openLevel()
  store.surfaces = [surface(1), surface(2, { name: 'Sphere' })]
  surfaces = useSurfaces()
})

describe('the outline of a placed mesh', () => {
  it('is the hull of what it covers from above, however it is turned and sized', () => {
    const flat = outlineOf(surface(1))
    expect(flat.map((p) => p.join()).sort()).toEqual(['48,57', '48,63', '52,57', '52,63'])
    const wide = outlineOf(surface(1, { turn: 90, scale: 2 }))
    expect([Math.max(...wide.map((p) => p[0])), Math.max(...wide.map((p) => p[1]))]).toEqual([
      expect.closeTo(56, 6),
      expect.closeTo(64, 6),
    ])
    const tipped = outlineOf(surface(1, { roll: 90 }))
    expect(Math.max(...tipped.map((p) => p[0]))).toBeCloseTo(51, 6)
  })
})

describe('a placed mesh', () => {
  it('is tried, counted and kept; what is moved on meanwhile stays a draft', async () => {
    let done = () => {}
    const there = new ArrayBuffer(24)
    new Uint32Array(there).set([1, 1])
    new Float32Array(there, 8).set([5, 6, 7, 8])
    const asked = serve({
      'TRY /api/levels/fell/surfaces': tried({ gained: 7, lost: 2 }, { places: base64(there) }),
      [POST]: async (body: unknown) => {
        const { put } = body as { put: Surface[] }
        if (put[0]!.at[0] === 55) await new Promise<void>((go) => (done = go))
        return changed({}, { version: 2, surfaces: [surface(1, put[0]), surface(2)] }, { gained: 7, lost: 2 })
      },
    })
    surfaces.chosen = 1
    surfaces.attempt({ at: [54, 10, 60] })
    expect(surfaces.shown[0]!.at).toEqual([54, 10, 60])
    expect(store.surfaces[0]!.at).toEqual([50, 10, 60])
    await until(() => surfaces.tried !== null)
    expect(surfaces.tried).toMatchObject({ gained: 7, lost: 2 })
    expect([...surfaces.places!.came, ...surfaces.places!.went]).toEqual([5, 6, 7, 8])
    surfaces.attempt({ at: [55, 10, 60] })
    const kept = surfaces.keep(surfaces.draft!)
    await settled(10)
    surfaces.attempt({ turn: 20 })
    done()
    await kept
    expect(store.surfaces[0]!.at).toEqual([55, 10, 60])
    expect(surfaces.draft).toMatchObject({ at: [55, 10, 60], turn: 20 })
    surfaces.drop()
    expect([surfaces.draft, surfaces.shown[0]!.turn]).toEqual([null, 0])
    await until(() => surfaces.places === null)
    const sent = asked.find((a) => a.what === POST)!.body as { put: object[] }
    expect(Object.keys(sent.put[0]!)).not.toContain('hull')
  })
  it('has the plants on it worked out again as it rests, and in steps while that is quick', async () => {
    const asked = serve({
      'TRY /api/levels/fell/surfaces': (body: unknown) => {
        const [put] = (body as { put: Surface[] }).put
        const plants = [{ surface: 1, stand: 4, plants: `at ${put!.at[0]}` }]
        return tried({}, { standing: put!.id === 1 ? plants : [] })
      },
    })
    const sent = () =>
      asked.filter((a) => a.parts === 'own,standing').map((a) => (a.body as { put: Surface[] }).put[0]!.at[0])
    surfaces.chosen = 1
    for (const x of [51, 52, 53]) surfaces.attempt({ at: [x, 10, 60] })
    await until(() => surfaces.standing !== undefined)
    expect(sent()).toEqual([53])
    expect(surfaces.standing).toMatchObject({ id: 1, plants: [{ stand: 4, plants: 'at 53' }] })
    surfaces.attempt({ at: [54, 10, 60] })
    await settled(20)
    expect(surfaces.standing!.lies.at[0]).toBe(54)
    surfaces.goAlong = false
    surfaces.attempt({ at: [57, 10, 60] })
    await until(() => surfaces.tried !== null)
    expect(sent()).toEqual([53, 54])
  })
  it('is begun with a name of its own, placed, and refused in words with nothing lost', async () => {
    serve({ [POST]: refuse('Sphere 2: 900, 3 lies outside the level') })
    surfaces.begin({ form: 'sphere' }, [900, 1, 3])
    expect(surfaces.draft).toMatchObject({ id: null, name: 'Sphere 2', at: [900, 1, 3] })
    await surfaces.keep(surfaces.draft!)
    expect(surfaces.trouble).toContain('outside the level')
    expect(surfaces.draft).toMatchObject({ name: 'Sphere 2' })
    serve({
      [POST]: (body: unknown) => {
        const { put } = body as { put: Surface[] }
        return changed({}, { version: 2, surfaces: [...store.surfaces, surface(3, { ...put[0], id: 3 })] })
      },
    })
    await surfaces.keep(surfaces.draft!)
    expect([surfaces.chosen, surfaces.drafts[NEW], surfaces.surface?.name]).toEqual([
      3,
      undefined,
      'Sphere 2',
    ])
  })
  it('is doubled beside itself, hidden and removed at once', async () => {
    const sent: { put: Surface[]; remove: number[] }[] = []
    serve({
      [POST]: (body: unknown) => {
        const given = body as { put: Surface[]; remove: number[] }
        sent.push(given)
        const now = store.surfaces.filter((s) => !given.remove.includes(s.id))
        const made = given.put.map((p) => surface(p.id ?? 9, { ...p, id: p.id ?? 9 }))
        const others = now.filter((s) => !made.some((m) => m.id === s.id))
        return changed({}, { version: store.version + 1, surfaces: [...others, ...made] })
      },
    })
    await surfaces.duplicate(store.surfaces[0]!)
    expect(sent[0]!.put[0]).toMatchObject({ id: null, name: 'Mesh 1 2', at: [52, 10, 62] })
    await surfaces.change(2, { hidden: true })
    expect(store.surfaces.find((s) => s.id === 2)!.hidden).toBe(true)
    await surfaces.remove(9)
    expect(store.surfaces.map((s) => s.id).sort()).toEqual([1, 2])
  })
})

describe('plants on a placed mesh that is dragged', () => {
  const home = surface(1, { at: [10, 5, 10] })
  const one = (id: bigint, ...at: number[]): Plants => ({
    count: 1,
    form: Float32Array.from([...at, 0, 0, 0, 1, 1, 1, 0.5]),
    id: BigUint64Array.of(id),
    item: new Uint8Array(1),
  })
  const places = (sp: StandPlants) =>
    [...sp.cells.values()]
      .flatMap(({ plants: p }) =>
        Array.from(p.id, (id, k) => [id, ...p.form.slice(k * STRIDE, k * STRIDE + 3)]),
      )
      .sort()
  it('go along as the mesh is moved, turned and sized', () => {
    const to = { ...home, at: [30, 8, 10] as [number, number, number], turn: 90, scale: 2 }
    const { form } = carriedAlong(one(7n, 10, 6, 7), home, to)
    // What lay 3 m to its north lies 6 m to its east.
    expect(Array.from(form.slice(0, 3), (v) => +v.toFixed(4))).toEqual([36, 10, 10])
    expect(form[4]).toBeCloseTo(-Math.SQRT1_2, 5)
  })
  it('are taken from where they stood, once, and put back when it is given up', async () => {
    const sheets = { size: 256, columns: 1, rows: 1, keys: ['a'] }
    const sp = new StandPlants(stand(4, { items: ['moss'], sheets }), [1])
    sp.place(
      0,
      'a',
      gather([one(7n, 10, 6, 7), one(8n, 100, 0, 100)], () => true),
    )
    const ids = btoa(String.fromCharCode(...new Uint8Array(BigUint64Array.of(7n, 99n).buffer)))
    const asked = serve({ 'GET /api/levels/fell/surfaces/1/plants': [{ stand: 4, plants: ids }] })
    const changes = vi.fn()
    const carried = new Carried('fell', partOf<PlantStore>({ stands: new Map([[4, sp]]) }), changes)
    const moved = (x: number) => ({ ...home, at: [x, 5, 10] as [number, number, number] })
    carried.follow([moved(80)], [home])
    carried.follow([moved(90)], [home])
    await until(() => changes.mock.calls.length > 0)
    expect(places(sp)).toEqual([
      [7n, 90, 6, 7],
      [8n, 100, 0, 100],
    ])
    carried.follow([moved(95)], [home])
    expect(places(sp)[0]).toEqual([7n, 95, 6, 7])
    // Where it was tried at 92 one plant has no room, and another has; it has been moved on since.
    carried.settle(1, moved(92), new Map([[4, one(12n, 93, 6, 8)]]))
    expect(places(sp)).toEqual([
      [12n, 96, 6, 8],
      [8n, 100, 0, 100],
    ])
    carried.follow([moved(97)], [home])
    expect(places(sp)[0]).toEqual([12n, 98, 6, 8])
    carried.follow([moved(95)], [home], false)
    expect(places(sp)).toEqual([
      [7n, 10, 6, 7],
      [8n, 100, 0, 100],
    ])
    expect(asked).toHaveLength(1)
    carried.follow([moved(40)], [home])
    await until(() => places(sp)[0]![1] === 40)
    // It was kept: what comes from the server counts.
    carried.follow([moved(40)], [moved(40)])
    expect(places(sp)[0]).toEqual([7n, 40, 6, 7])
  })
})

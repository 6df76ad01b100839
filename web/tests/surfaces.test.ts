import { beforeEach, describe, expect, it } from 'vitest'
import type { Surface } from '../src/api/client'
import { NEW, outlineOf, useSurfaces } from '../src/ground/surfaces'
import { changed, openLevel, refuse, serve, settled, until } from './help'

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
    const asked = serve({
      'TRY /api/levels/fell/surfaces': changed({}, {}, { gained: 7, lost: 2 }),
      [POST]: async (body: unknown) => {
        const { put } = body as { put: Surface[] }
        if (put[0].at[0] === 55) await new Promise<void>((go) => (done = go))
        return changed({}, { version: 2, surfaces: [surface(1, put[0]), surface(2)] }, { gained: 7, lost: 2 })
      },
    })
    surfaces.chosen = 1
    surfaces.attempt({ at: [54, 10, 60] })
    expect(surfaces.shown[0].at).toEqual([54, 10, 60])
    expect(store.surfaces[0].at).toEqual([50, 10, 60])
    await until(() => surfaces.tried !== null)
    expect(surfaces.tried).toEqual({ gained: 7, lost: 2 })
    surfaces.attempt({ at: [55, 10, 60] })
    const kept = surfaces.keep(surfaces.draft!)
    await settled(10)
    surfaces.attempt({ turn: 20 })
    done()
    await kept
    expect(store.surfaces[0].at).toEqual([55, 10, 60])
    expect(surfaces.draft).toMatchObject({ at: [55, 10, 60], turn: 20 })
    surfaces.drop()
    expect([surfaces.draft, surfaces.shown[0].turn]).toEqual([null, 0])
    const sent = asked.find((a) => a.what === POST)!.body as { put: object[] }
    expect(Object.keys(sent.put[0])).not.toContain('hull')
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
    await surfaces.duplicate(store.surfaces[0])
    expect(sent[0].put[0]).toMatchObject({ id: null, name: 'Mesh 1 2', at: [52, 10, 62] })
    await surfaces.change(2, { hidden: true })
    expect(store.surfaces.find((s) => s.id === 2)!.hidden).toBe(true)
    await surfaces.remove(9)
    expect(store.surfaces.map((s) => s.id).sort()).toEqual([1, 2])
  })
})

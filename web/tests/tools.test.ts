import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ref, shallowRef, type ShallowRef } from 'vue'
import { useFly } from '../src/level/useFly'
import { usePointer } from '../src/level/usePointer'
import { useSwards } from '../src/planting/useSwards'
import { useTools } from '../src/planting/useTools'
import { STRIDE } from '../src/stage/payload'
import type { Surface } from '../src/api/client'
import type { Stage } from '../src/stage/stage'
import { useStores, type Stores } from '../src/shared/stores'
import { useOutbox } from '../src/planting/outbox'
import { inScope, openLevel, refuse, serve, settled, spot, stand, changed, PULSE, kept, partOf } from './help'

/** What the tools use of a stage: flat ground at 0 m, one pixel of the plan a metre. */
function fakeStage() {
  const view = { x: 0, y: 1.7, z: 0, heading: 0, pitch: 0, fov: 60, aspect: 1.6 }
  return Object.assign(partOf<Stage>({}), {
    view,
    eye: { view, pick: (x: number, y: number) => spot(x, y) },
    under: (x: number, z: number, meshes: boolean) =>
      z >= 0 && x >= 0 && x < 900
        ? meshes && x > 500
          ? { at: [x, 4, z], on: [7, 4, 0, 1, 0] }
          : spot(x, z)
        : null,
    plan: { pixel: 1, at: (x: number, y: number) => [x, y], pan: vi.fn(), zoom: vi.fn() },
    ground: { inside: (x: number, z: number) => x >= 0 && z >= 0 && x < 900 && z < 900, heightAt: () => 0 },
    store: { stands: new Map() },
    everything: false,
    look: vi.fn((part: object) => void Object.assign(view, part)),
    ...Object.fromEntries(
      [
        'setRings setMarks setGhost setBrush setLasso setCursor setStands setSward',
        'plantsChanged touchPlan setTrace',
      ].flatMap((names) => names.split(' ').map((name) => [name, vi.fn()])),
    ),
  })
}

let stores: Stores
let stage: ReturnType<typeof fakeStage>
let held: ShallowRef<Stage | null>
let asked: ReturnType<typeof serve>
const entry = { id: 1, what: 'Birch', kind: 'stroke', gained: 3, lost: 1, cost: {} }
const bare = new Response(new Float32Array(4).buffer)

beforeEach(async () => {
  openLevel()
  await useOutbox().open('north', 'fell')
  stores = useStores()
  stage = fakeStage()
  held = shallowRef<Stage | null>(stage)
  asked = serve({
    'POST /api/levels/fell/strokes/try': () => bare.clone(),
    'POST /api/levels/fell/strokes': changed(entry),
    'POST /api/levels/fell/uproot': changed(entry),
    'POST /api/levels/fell/stands/1/pins/try': {
      plant: { item: 'birch', turn: 40, width: 1, height: 1 },
      form: [5, 0, 5, 0, 0, 0, 1, 1, 1, 0, 0, 0],
      trouble: '',
      disc: null,
    },
    'POST /api/levels/fell/stands/1/pins': changed(entry),
    'POST /api/levels/fell/ground/strokes': changed({ ...entry, what: 'Raised the ground' }),
    'GET /api/levels/fell/pulse': PULSE,
    'GET /api/levels/fell/under': [{ stand: 2, name: 'Stand 2' }],
    'POST /api/levels/fell/select': {
      plants: [
        { stand: 1, plant: 'a', x: 10, z: 10, state: 'rule' },
        { stand: 1, plant: 'b', x: 12, z: 10, state: 'rule' },
      ],
      total: 2,
    },
    'POST /api/levels/fell/hand': changed(entry),
  })
})
const bodies = (what: string) => asked.filter((a) => a.what === what).map((a) => a.body)

/** The pointer on the plan, whose pixels are metres. */
function pointing({ allowed = true, asking = false } = {}) {
  return inScope(() => {
    const tools = useTools(held, () => allowed, stores)
    const ask = vi.fn()
    const finish = vi.fn(() => false)
    const pointer = usePointer(
      held,
      {
        edits: () => false,
        asking: () => asking,
        finish,
        tools,
        fly: useFly(held, ref(false)),
        point: () => undefined,
        ask,
        choose: () => undefined,
      },
      stores,
    )
    const target = document.createElement('canvas')
    target.setPointerCapture = () => undefined
    const event = (x: number, z: number, part: object = {}) =>
      partOf<PointerEvent>({
        target,
        currentTarget: target,
        clientX: x,
        clientY: z,
        button: 0,
        pointerType: 'mouse',
        preventDefault: () => undefined,
        movementX: 0,
        movementY: 0,
        ...part,
      })
    const go = (path: [number, number][], part: object = {}) => {
      pointer.down('plan', event(...path[0]!, part))
      for (const at of path.slice(1)) pointer.moved('plan', event(...at, part))
      pointer.up('plan', event(...path[path.length - 1]!, part))
    }
    return { tools, pointer, ask, finish, go, event }
  })
}

describe('painting', () => {
  it('stores one stroke along the way of the pointer, straight on, and again elsewhere', async () => {
    const { tools, go } = pointing()
    stores.brush.take('thicken')
    stores.brush.radius = 10
    go([
      [100, 100],
      [100.1, 100],
      [120, 100],
    ])
    await settled(20)
    const stored = () => bodies('POST /api/levels/fell/strokes') as { path: number[][]; verb: string }[]
    expect(stored()).toMatchObject([
      {
        stand: 1,
        verb: 'thicken',
        path: [
          [100, 100],
          [120, 100],
        ],
        pressure: null,
        view: { x: 0 },
      },
    ])
    go([[150, 160]], { shiftKey: true, altKey: true })
    tools.painting.again(300, 300)
    await settled(20)
    expect(stored().map((s) => [s.verb, s.path])).toEqual([
      [
        'thicken',
        [
          [100, 100],
          [120, 100],
        ],
      ],
      [
        'thin',
        [
          [120, 100],
          [150, 160],
        ],
      ],
      [
        'thin',
        [
          [300, 300],
          [330, 360],
        ],
      ],
    ])
  })
  it('takes a pen by its pressure, and says what is painted beyond where it is drawn', async () => {
    const { tools, go } = pointing()
    stores.brush.take('thin')
    go(
      [
        [200, 200],
        [240, 200],
      ],
      { pointerType: 'pen', pressure: 0.25 },
    )
    await settled(20)
    expect(bodies('POST /api/levels/fell/strokes')).toMatchObject([{ pressure: [0.25, 0.25] }])
    expect(tools.painting.unseen.value).toMatchObject({ x: 240, z: 200, plants: 3, stand: { id: 1 } })
  })
  it('sizes the brush with Ctrl, stores nothing of what is given up, and nothing of a guest', async () => {
    const { tools, go, pointer, event } = pointing()
    stores.brush.take('thicken')
    const before = stores.brush.radius
    go(
      [
        [100, 100],
        [160, 100],
      ],
      { ctrlKey: true, movementX: 60 },
    )
    expect(stores.brush.radius).toBeGreaterThan(before)
    pointer.down('plan', event(100, 100))
    pointer.moved('plan', event(140, 100))
    tools.cancel()
    pointer.up('plan', event(140, 100))
    stores.level.level = { ...stores.level.level!, role: 'viewer' }
    go([[100, 100]])
    await settled(20)
    expect(bodies('POST /api/levels/fell/strokes')).toEqual([])
    expect(stores.level.trouble).toContain('only artists and leads')
  })
})

describe('the ground', () => {
  it('is touched up along what is drawn over the terrain, with the brush as it is', async () => {
    const { go, tools, pointer, event } = pointing({ allowed: false })
    stores.touchUp.take('raise')
    stores.touchUp.amount = 2.5
    stores.brush.radius = 9
    go([
      [100, 100],
      [120, 100],
      [150, 110],
    ])
    await settled(20)
    expect(bodies('POST /api/levels/fell/ground/strokes')).toMatchObject([
      {
        verb: 'raise',
        amount: 2.5,
        radius: 9,
        layer: '',
        path: [
          [100, 100],
          [120, 100],
          [150, 110],
        ],
      },
    ])
    expect(stores.level.difference?.what).toBe('Raised the ground')
    expect(stage.setTrace).toHaveBeenLastCalledWith([])
    pointer.down('plan', event(100, 100))
    pointer.moved('plan', event(140, 100))
    tools.cancel()
    pointer.up('plan', event(140, 100))
    stores.touchUp.verb = null
    go([[100, 100]])
    await settled(20)
    expect(bodies('POST /api/levels/fell/ground/strokes')).toHaveLength(1)
  })
  it('says what the server says, and lays a layer that the level has', async () => {
    stores.level.level = {
      ...stores.level.level!,
      layers: ['turf', 'mud'].map((name) => ({
        name,
        colour: '#8d9460',
        look: 'soil' as const,
        texture: '',
      })),
    }
    asked = serve({ 'POST /api/levels/fell/ground/strokes': () => refuse('path: it stays as it is.') })
    const { go } = pointing()
    stores.touchUp.take('cover')
    stores.touchUp.layer = 'peat'
    expect(stores.touchUp.layer).toBe('turf')
    stores.touchUp.layer = 'mud'
    go([[100, 100]])
    await settled(20)
    expect(bodies('POST /api/levels/fell/ground/strokes')).toMatchObject([{ verb: 'cover', layer: 'mud' }])
    expect(stores.touchUp.trouble).toContain('stays as it is')
  })
})

describe('uprooting', () => {
  it('marks what stands within reach of the path, and takes that out', async () => {
    const { tools, go, pointer, event } = pointing()
    const form = new Float32Array(STRIDE * 3)
    ;[100, 108, 300].forEach((x, k) => form.set([x, 0, 100], k * STRIDE))
    const cell = { box: [90, 0, 90, 310, 2, 110], plants: { form, count: 3 } }
    stage.store.stands.set(1, partOf({ cells: new Map([[0, cell]]) }))
    stores.brush.take('uproot')
    stores.brush.radius = 4
    pointer.moved('plan', event(101, 100))
    expect(tools.uproot.marked.value).toBe(1)
    go([
      [101, 100],
      [106, 100],
    ])
    expect(tools.uproot.marked.value).toBe(0)
    await settled(20)
    expect(bodies('POST /api/levels/fell/uproot')).toMatchObject([
      {
        stands: [1],
        radius: 4,
        path: [
          [101, 100],
          [106, 100],
        ],
      },
    ])
  })
})

describe('setting single plants', () => {
  it('turns and sizes what is to come, and sets a row at the spacing', async () => {
    const { tools, go, pointer, event } = pointing()
    stores.brush.take('set')
    pointer.moved('plan', event(50, 50))
    await settled(10)
    tools.wheel({ deltaY: 1 } as WheelEvent)
    tools.wheel({ deltaY: -1, shiftKey: true } as WheelEvent)
    await settled(10)
    go([
      [50, 50],
      [59, 50],
    ])
    await settled(20)
    expect(bodies('POST /api/levels/fell/stands/1/pins')).toMatchObject([
      {
        add: [
          { x: 50, z: 50, turn: 55, width: 1.06 },
          { x: 54, z: 50 },
          { x: 58, z: 50 },
        ],
      },
    ])
  })
  it('paints on the mesh under it what grows there, and says what is left alone', async () => {
    stores.level.surfaces = [{ id: 7, name: 'Tank', group: 'steel' } as Surface]
    const moss = stand(1, { name: 'Moss' })
    moss.settings = { ...moss.settings, on: ['steel'] }
    stores.level.stands = [moss, stand(2, { name: 'Birch' })]
    stores.level.selected = [1, 2]
    stores.brush.take('thin')
    const { go } = pointing()
    go([
      [600, 40],
      [620, 40],
    ])
    await settled(20)
    expect(bodies('POST /api/levels/fell/strokes')).toMatchObject([
      {
        path: [
          [600, 40],
          [620, 40],
        ],
        on: [
          [7, 4, 0, 1, 0],
          [7, 4, 0, 1, 0],
        ],
      },
    ])
    expect(stores.brush.leftAlone([7, 4, 0, 1, 0])).toBe('Birch grows on the terrain: left alone here')
    expect(stores.brush.leftAlone(null)).toBe('Moss grows on steel: left alone here')
    stores.level.selected = [1]
    go([[10, 10]])
    await settled(20)
    expect(stores.level.trouble).toBe('Moss grows on steel: left alone here')
    expect(bodies('POST /api/levels/fell/strokes')).toHaveLength(1)
  })
  it('says why nothing can be set', () => {
    const { tools } = pointing()
    stores.level.stands = [stand(1, { sward: true, name: 'Grass' })]
    expect(tools.ghost.begin(spot(5, 5))).toBe(false)
    expect(stores.level.trouble).toBe('Grass is a sward: it has no single plants to set.')
  })
})

describe('selecting', () => {
  it('takes those within a box, drags them, and does not drag what is refused', async () => {
    const { go } = pointing()
    stores.brush.take('select')
    go([
      [0, 0],
      [20, 30],
    ])
    await settled(20)
    expect(bodies('POST /api/levels/fell/select')).toMatchObject([
      {
        outline: [
          [0, 0],
          [20, 0],
          [20, 30],
          [0, 30],
        ],
      },
    ])
    expect(stores.selection.plants.map((p) => p.plant)).toEqual(['a', 'b'])
    go([
      [10, 10],
      [13, 14],
    ])
    await settled(20)
    expect(bodies('POST /api/levels/fell/hand')).toMatchObject([
      { plants: { 1: ['a', 'b'] }, east: 3, south: 4 },
    ])
    serve({ 'POST /api/levels/fell/hand': () => refuse('Birch is locked.') })
    go([
      [10, 10],
      [40, 40],
    ])
    await settled(20)
    expect(stores.selection.trouble).toBe('Birch is locked.')
  })
})

describe('lifting', () => {
  it('selects the topmost stand by a click, and lists all when held', async () => {
    const { go, tools, pointer, event } = pointing()
    stores.brush.take('lift')
    go([[30, 30]])
    await settled(20)
    expect([stores.level.selected, stores.brush.verb]).toEqual([[2], null])
    stores.level.selected = [1]
    stores.brush.take('lift')
    pointer.down('plan', event(30, 30))
    await vi.waitFor(() => expect(tools.lift.list.value?.found.map((u) => u.stand)).toEqual([2]), 5000)
    pointer.up('plan', event(30, 30))
    await settled(10)
    expect(stores.level.selected).toEqual([1])
  })
})

describe('a walk that is drawn', () => {
  it('is kept along the places pressed, one of each, and not along a single one', async () => {
    serve({
      'PUT /api/levels/fell/walks': kept('walks', { ...entry, kind: 'walks' }),
      'GET /api/levels/fell/pulse': PULSE,
    })
    const { walks } = stores
    walks.draw()
    walks.corner(10, 20)
    walks.corner(10, 20.1)
    await walks.finish()
    expect(walks.trouble).toContain('two different places')
    walks.corner(90, 60)
    await walks.finish()
    expect(walks.trouble).toBe('')
    expect(walks.draws).toBeNull()
    expect(walks.walks).toEqual({
      Drawn: {
        points: [
          [10, 20],
          [90, 60],
        ],
        speed: 3,
        eye: 1.7,
      },
    })
  })
  it('is dropped with its tool', () => {
    const { walks } = stores
    walks.draw()
    walks.corner(10, 20)
    stores.brush.take('thicken')
    expect(walks.draws).toBeNull()
    walks.draw()
    expect(walks.corners).toEqual([])
  })
})

describe('the pointer without a tool', () => {
  it('moves the plan, asks why where it is wished, and stays in the level', () => {
    const { go, ask } = pointing({ asking: true })
    go([[30, 30]])
    go([[2000, 30]])
    expect(ask.mock.calls).toEqual([[spot(30, 30)]])
    expect(stage.plan.pan).not.toHaveBeenCalled()
    go(
      [
        [30, 30],
        [80, 30],
      ],
      { movementX: 50 },
    )
    expect(stage.plan.pan).toHaveBeenCalledWith(50, 0)
    expect(ask).toHaveBeenCalledTimes(1)
  })
})

describe('density of swards', () => {
  it('is the denser of all that are shown, and is read again only when it changed', async () => {
    const map = (values: number[]) => new Response(new Uint8Array([1, 0, values.length, 0, ...values]).buffer)
    const maps = serve({
      'GET /api/levels/fell/stands/1/field/density': () => map([9, 200]),
      'GET /api/levels/fell/stands/2/field/density': () => map([80, 10]),
    })
    stores.level.stands = [stand(1, { sward: true }), stand(2, { sward: true })]
    const load = inScope(() => useSwards(held, stores))
    await load()
    await load()
    expect(maps.length).toBe(2)
    const sent = vi.mocked(stage.setSward).mock.calls[0]![0]!
    expect([...sent.data]).toEqual([80, 200])
    stores.level.hidden = new Set([2])
    await load()
    expect([...vi.mocked(stage.setSward).mock.calls[1]![0]!.data]).toEqual([9, 200])
  })
})

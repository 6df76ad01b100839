import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref, shallowRef } from 'vue'
import { createPinia, setActivePinia } from 'pinia'
import type { Batch, Level, Tier, WalkCheck } from '../src/api/client'
import { useBringIn } from '../src/stock/useBringIn'
import { useFly } from '../src/level/useFly'
import { useGhost } from '../src/planting/useGhost'
import { useHand } from '../src/planting/useHand'
import { useDraft } from '../src/planting/useDraft'
import { useLevelKeys } from '../src/level/useLevelKeys'
import { inked, useRelief } from '../src/ground/useRelief'
import { useSides } from '../src/level/useSides'
import { PLAIN } from '../src/stage/drawing'
import type { Stage } from '../src/stage/stage'
import { useStores } from '../src/shared/stores'
import { useDrawing } from '../src/sightline/drawing'
import { useLevel } from '../src/level/level'
import { useShapes } from '../src/ground/shapes'
import { useShelf } from '../src/stock/shelf'
import { useWalks } from '../src/sightline/walks'
import {
  inScope,
  openLevel,
  refuse,
  serve,
  settled,
  spot,
  stand,
  until,
  uploads,
  changed,
  PULSE,
  kept,
  partOf,
} from './help'

let store: ReturnType<typeof openLevel>
beforeEach(() => {
  store = openLevel()
  serve({})
})
const entry = { id: 1, what: 'Walks', kind: 'walks', gained: 0, lost: 0, cost: {} }
const press = (key: string, part: KeyboardEventInit = {}, target: EventTarget = window) =>
  target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...part }))

describe('tiers', () => {
  const marks = { ms: 2, triangles: 1, draw_calls: 1, shadow_triangles: 1, memory: 1 }
  const tier = (part = {}): Tier => ({ drawing: { ...PLAIN, ...part }, marks }) as Tier
  const begin = () => {
    store.level = {
      ...store.level!,
      drawing: PLAIN,
      tiers: { Handheld: tier({ distances: 0.5 }), Desktop: tier() },
    }
    return useDrawing()
  }
  it('are looked through one at a time, by level, and the last when none is chosen', () => {
    const drawing = begin()
    expect([drawing.tier, drawing.now.distances]).toEqual(['Desktop', 1])
    drawing.tier = 'Handheld'
    expect([drawing.now.distances, drawing.kept.distances, drawing.marks]).toEqual([0.5, 0.5, marks])
    store.level = { ...store.level!, slug: 'tarn' }
    expect(drawing.tier).toBe('Desktop')
    store.level = { ...store.level, slug: 'fell', tiers: { Desktop: tier() } }
    expect(drawing.tier).toBe('Desktop')
  })
  it('are added under names that are free, renamed in place, and never all removed', () => {
    const drawing = begin()
    drawing.addTier()
    drawing.addTier()
    expect(drawing.names).toEqual(['Handheld', 'Desktop', 'New tier', 'New tier 2'])
    drawing.tier = 'Handheld'
    drawing.renameTier('Desktop')
    drawing.renameTier('')
    drawing.renameTier('Pocket')
    expect([drawing.names[0], drawing.tier, drawing.now.distances]).toEqual(['Pocket', 'Pocket', 0.5])
    for (let k = 0; k < 6; k++) drawing.removeTier()
    expect(drawing.names.length).toBe(1)
    expect(drawing.kept.distances).toBe(1)
    drawing.drop()
    expect(drawing.names).toEqual(['Handheld', 'Desktop'])
  })
  it('and drawing are tried together; of two that are kept, what is refused stays tried', async () => {
    const drawing = begin()
    drawing.change({ cell: 128 })
    drawing.changeTier({ fog: 2 })
    expect([drawing.now.cell, drawing.now.fog]).toEqual([128, 2])
    let refused = true
    const asked = serve({
      'PUT /api/levels/fell/drawing': kept('drawing', entry),
      'PUT /api/levels/fell/tiers': (body: unknown) =>
        refused
          ? refuse('tiers: fog too thick', { fields: ['tiers.Desktop.fog'] })
          : kept('tiers', entry)(body),
      'GET /api/levels/fell/pulse': PULSE,
    })
    expect(await drawing.keep()).toBe(false)
    expect([drawing.trouble, drawing.fields, drawing.draft?.drawing]).toEqual([
      'tiers: fog too thick',
      ['tiers.Desktop.fog'],
      undefined,
    ])
    refused = false
    expect(await drawing.keep()).toBe(true)
    expect(asked.filter((a) => a.body).map((a) => a.what.split('/').pop())).toEqual([
      'drawing',
      'tiers',
      'tiers',
    ])
    expect([store.level!.drawing.cell, store.level!.tiers.Desktop!.drawing.fog, drawing.draft]).toEqual([
      128,
      2,
      null,
    ])
  })
  it('outlive the page while they are tried', async () => {
    begin().changeTier({ fog: 3 })
    await nextTick()
    const { level } = store
    setActivePinia(createPinia())
    useLevel().level = level
    expect(useDrawing().now.fog).toBe(3)
  })
})

describe('walks', () => {
  const walk = { points: [[0, 0] as [number, number], [9, 0] as [number, number]], speed: 3, eye: 1.7 }
  const result = partOf<WalkCheck['result']>({ times: [] })
  const begin = (answers: Record<string, unknown> = {}) => {
    store.level = { ...store.level!, walks: { Rim: walk } }
    const asked = serve({
      'PUT /api/levels/fell/walks': kept('walks', entry),
      'GET /api/levels/fell/pulse': PULSE,
      ...answers,
    })
    return { walks: useWalks(), asked }
  }
  it('are added under a free name, renamed in place and removed', async () => {
    const { walks } = begin()
    await walks.add('Rim', walk.points)
    await walks.add('Rim', walk.points)
    expect([walks.names, walks.name]).toEqual([['Rim', 'Rim 2', 'Rim 3'], 'Rim 3'])
    await walks.rename('Rim')
    walks.name = 'Rim 2'
    await walks.rename('Tramway')
    expect([walks.names, walks.name]).toEqual([['Rim', 'Tramway', 'Rim 3'], 'Tramway'])
    await walks.change({ speed: 5 })
    expect([walks.walk!.speed, walks.walks.Rim!.speed]).toEqual([5, 3])
    await walks.remove()
    expect([walks.names, walks.name]).toEqual([['Rim', 'Rim 3'], 'Rim'])
  })
  it('stay as they were when the server refuses, with its sentence', async () => {
    const { walks } = begin({ 'PUT /api/levels/fell/walks': () => refuse('The speed must be above 0.') })
    expect(await walks.change({ speed: 0 })).toBe(false)
    expect([walks.trouble, walks.walk!.speed]).toEqual(['The speed must be above 0.', 3])
  })
  it('are checked in the background: asked again while it runs, and never over a newer answer', async () => {
    let running = true
    const { walks, asked } = begin({
      'POST /api/levels/fell/walks/check': () => ({
        running,
        share: 0.5,
        trouble: '',
        result: running ? null : result,
      }),
    })
    await walks.look(true)
    expect([walks.check!.running, (asked[0]!.body as { begin: boolean }).begin]).toEqual([true, true])
    running = false
    await until(() => walks.check?.result)
    expect(asked.filter((a) => a.what.endsWith('/check')).length).toBe(2)
    let slow = true
    serve({
      'POST /api/levels/fell/walks/check': async () => {
        const late = slow
        slow = false
        if (late) await settled(80)
        return { running: false, share: 1, trouble: late ? 'late' : 'new', result: null }
      },
    })
    await Promise.all([walks.look(false), walks.look(false)])
    expect([walks.check!.trouble, walks.trouble]).toEqual(['new', 'new'])
  })
  it('can be stopped, and have no check without a walk', async () => {
    const { walks, asked } = begin({
      'POST /api/levels/fell/walks/check': { running: false, share: 0, trouble: '', result: null },
      'DELETE /api/levels/fell/walks/check': {},
    })
    await walks.stop()
    expect(asked.map((a) => a.what.split(' ')[0])).toEqual(['DELETE', 'POST'])
    store.level = { ...store.level!, walks: {} }
    await walks.look(true)
    expect([walks.check, asked.length]).toEqual([null, 2])
  })
})

describe('the shelf', () => {
  const items = (from: number, count: number) =>
    Array.from({ length: count }, (_, k) => ({ slug: `i${from + k}`, name: `Item ${from + k}` }))
  it('is read page by page, and takes the last answer', async () => {
    const queries: string[] = []
    serve({ 'GET /api/shelf': () => ({ items: items(queries.length * 24, 24), total: 50, tags: ['wet'] }) })
    const inner = globalThis.fetch
    globalThis.fetch = (input, init) => {
      queries.push(new URL((input as Request).url).search)
      return inner(input, init)
    }
    const shelf = useShelf()
    shelf.open = true
    await until(() => shelf.more)
    await shelf.onwards()
    expect([shelf.items.length, shelf.more]).toEqual([48, true])
    expect(queries[1]).toContain('page=1')
    shelf.search = 'bir'
    shelf.group = 'tree'
    await nextTick()
    await settled(20)
    expect(queries[queries.length - 1]).toMatch(/search=bir.*group=tree/)
    await until(() => shelf.items.length === 24)
    globalThis.fetch = async () => refuse('Not so fast.')
    await shelf.load()
    expect([shelf.trouble, shelf.items.length]).toEqual(['Not so fast.', 24])
  })
  it('shows an item as its change gave it, and puts back what was taken off', async () => {
    const asked = serve({
      'GET /api/shelf': { items: items(0, 2), total: 2, tags: [] },
      'GET /api/shelf/i1': { slug: 'i1', name: 'Item 1', levels: ['fell'] },
      'DELETE /api/shelf/i1': {},
      'POST /api/shelf/i1/put-back': {},
    })
    const shelf = useShelf()
    shelf.open = true
    await shelf.look('i1')
    await until(() => shelf.items.length && shelf.detail)
    await shelf.changed(Promise.resolve({ ...shelf.detail!, name: 'Silver birch' }))
    expect(shelf.detail!.name).toBe('Silver birch')
    await shelf.remove(shelf.items[1]!)
    expect([shelf.removed?.slug, shelf.detail]).toEqual(['i1', null])
    await shelf.putBack()
    expect([shelf.removed, asked.some((a) => a.what.endsWith('/put-back'))]).toEqual([null, true])
  })
})

describe('bringing files in', () => {
  const thing = (id: number, part = {}) => ({
    id,
    name: 'birch',
    refused: '',
    height: 8,
    crown: 2,
    states: [{ overdraw: true }],
    ...part,
  })
  const batch = (state: Batch['state'], things: object[], part: Partial<Batch> = {}) =>
    partOf<Batch>({ id: '7', state, trouble: '', things, ...part })
  it('takes each thing for what it is by its form, and leaves out what is refused', async () => {
    uploads(() =>
      batch('done', [
        thing(1),
        thing(2, { height: 1.2 }),
        thing(3, { height: 0.3 }),
        thing(4, { height: 2, crown: 3, states: [{ overdraw: false }] }),
        thing(5, { refused: 'It has no triangles.' }),
      ]),
    )
    const bring = inScope(() => useBringIn(() => 'meshes'))
    await bring.send([new File(['x'], 'birch.glb')])
    expect(bring.trouble.value).toBe('')
    expect(Object.values(bring.choices.value).map((c) => [c.group, c.keep, c.name])).toEqual([
      ['tree', true, 'Birch'],
      ['shrub', true, 'Birch'],
      ['grass and herbs', true, 'Birch'],
      ['rock', true, 'Birch'],
      ['tree', false, 'Birch'],
    ])
    expect(bring.wanted.value.map((t) => t.id)).toEqual([1, 2, 3, 4])
    vi.unstubAllGlobals()
  })
  it('keeps what was decided when the files are read again under another unit', async () => {
    uploads(() => batch('done', [thing(1), thing(2)]))
    const asked = serve({
      'PUT /api/shelf/bring/7': batch('running', []),
      'GET /api/shelf/bring/7': batch('done', [thing(11), thing(12)]),
      'POST /api/shelf/bring/7/keep': [{ slug: 'old-birch' }],
      'POST /api/shelf/bring/7/11/mend': batch('done', [thing(11, { height: 80 }), thing(12)]),
      'DELETE /api/shelf/bring/7': {},
    })
    const bring = inScope(() => useBringIn(() => 'meshes'))
    await bring.send([new File(['x'], 'birch.glb')])
    await until(() => bring.choices.value[2])
    bring.choices.value[1]!.name = 'Old birch'
    bring.choices.value[2]!.keep = false
    bring.options.value.unit = 'cm'
    await bring.again()
    await until(() => bring.busy.value)
    expect((asked[0]!.body as { unit: string }).unit).toBe('cm')
    await until(() => !bring.busy.value)
    expect(Object.entries(bring.choices.value).map(([id, c]) => [id, c.name, c.keep])).toEqual([
      ['11', 'Old birch', true],
      ['12', 'Birch', false],
    ])
    await bring.mend(11, 'metres')
    await until(() => bring.batch.value!.things[0]!.height === 80)
    expect(await bring.keep()).toEqual(['old-birch'])
    expect(asked.find((a) => a.what.endsWith('/keep'))!.body).toMatchObject({
      things: [{ id: 11, name: 'Old birch', group: 'tree' }],
    })
    serve({ 'POST /api/shelf/bring/7/keep': () => refuse('There is one of that name.') })
    expect([await bring.keep(), bring.trouble.value]).toEqual([null, 'There is one of that name.'])
    bring.drop()
    expect([bring.batch.value, bring.choices.value]).toEqual([null, {}])
    vi.unstubAllGlobals()
  })
})

describe('the relief', () => {
  /** A field as the server sends it: rows, columns, low and high, then steps. */
  function field(rows: number, columns: number, low: number, high: number, steps: number[]) {
    const out = new ArrayBuffer(12 + 2 * steps.length)
    new Uint16Array(out, 0, 2).set([rows, columns])
    new Float32Array(out, 4, 2).set([low, high])
    new Uint16Array(out, 12).set(steps)
    return new Response(out)
  }
  const begin = () => {
    store.level = { ...store.level!, rows: 200, columns: 400, cell: 1, ground_revision: 3 }
    return inScope(() => useRelief(useStores()))
  }
  it('tells the value at a place with its unit, and level ground where there is none', async () => {
    serve({
      'GET /api/levels/fell/relief/3/hollow': () => field(2, 4, -2, 2, [0, 65534, 32767, 65535, 0, 0, 0, 0]),
    })
    const relief = begin()
    expect(relief.valueAt(10, 10)).toBe('')
    relief.kind.value = 'hollow'
    await until(() => relief.field.value)
    expect([10, 110, 210, 310].map((x) => relief.valueAt(x, 10))).toEqual([
      '−2.00 m',
      '2.00 m',
      '0.00 m',
      'level ground',
    ])
    expect([relief.valueAt(-1, 10), relief.valueAt(10, 250)]).toEqual(['', ''])
    const [low, high] = relief.ends.value
    expect(low).toBeCloseTo(-high, 3)
    relief.kind.value = null
    await nextTick()
    expect([relief.field.value, relief.sheet.value]).toEqual([null, null])
  })
  it('has colours that leave odd cells aside, and the last that was asked for', async () => {
    const flat = [...Array.from({ length: 399 }, (_, k) => 100 + (k % 50)), 65534]
    serve({
      'GET /api/levels/fell/relief/3/slope': async () => {
        await settled(60)
        return field(20, 20, 0, 90, flat)
      },
      'GET /api/levels/fell/relief/3/wetness': () => field(20, 20, 0, 65534, flat),
    })
    const relief = begin()
    relief.kind.value = 'slope'
    await nextTick()
    relief.kind.value = 'wetness'
    await until(() => relief.field.value)
    await settled(80)
    expect([relief.field.value!.kind, relief.busy.value]).toEqual(['wetness', false])
    expect(relief.ends.value[1]).toBeLessThan(200)
    serve({ 'GET /api/levels/fell/relief/3/wetness': () => refuse('A radius of 0 m is none.') })
    relief.radius.value = 0
    await until(() => relief.trouble.value)
    expect(relief.trouble.value).toBe('A radius of 0 m is none.')
  })
  it('blends a ramp from end to end', () => {
    const ramp: [number, number, number][] = [
      [0, 0, 0],
      [100, 50, 0],
      [100, 50, 200],
    ]
    expect([inked(ramp, -1), inked(ramp, 0.25), inked(ramp, 0.75), inked(ramp, 2)]).toEqual([
      [0, 0, 0],
      [50, 25, 0],
      [100, 50, 100],
      [100, 50, 200],
    ])
  })
})

/** Flat ground at 0 m with a step of 3 m at x = 50, and an eye over it. */
function fakeStage() {
  const view = { x: 10, y: 1.7, z: 10, heading: 90, pitch: 0, fov: 60, aspect: 1.6 }
  return partOf<Stage & { view: typeof view; setRings: ReturnType<typeof vi.fn> }>({
    view,
    eye: { view },
    ground: { inside: (x: number) => x >= 0 && x < 900, heightAt: (x: number) => (x < 50 ? 0 : 3) },
    look: vi.fn((part: object) => void Object.assign(view, part)),
    setGhost: vi.fn(),
    setRings: vi.fn(),
  })
}

describe('flying and walking', () => {
  const begin = (on = false) => {
    const stage = fakeStage()
    const walking = ref(on)
    return { stage, walking, fly: inScope(() => useFly(shallowRef<Stage | null>(stage), walking)) }
  }
  const lift = (key: string) => window.dispatchEvent(new KeyboardEvent('keyup', { key }))
  it('goes ahead while a key is held, faster with Shift, and stops when the page is left', () => {
    const { stage, fly } = begin()
    expect(fly.step(0.1)).toBe(false)
    press('ArrowUp')
    expect(fly.step(0.5)).toBe(true)
    expect([stage.view.x, stage.view.z]).toEqual([17, expect.closeTo(10, 9)])
    press('ArrowUp', { shiftKey: true })
    fly.step(0.1)
    expect(stage.view.x).toBeCloseTo(24)
    window.dispatchEvent(new Event('blur'))
    expect(fly.step(0.1)).toBe(false)
    press('ArrowUp', { ctrlKey: true })
    const field = document.body.appendChild(document.createElement('input'))
    press('ArrowUp', {}, field)
    expect(fly.step(0.1)).toBe(false)
    lift('ArrowUp')
  })
  it('never goes below the ground, and turns about itself', () => {
    const { stage, fly } = begin()
    fly.go(0, 0, -20)
    expect(stage.view.y).toBeCloseTo(0.6)
    fly.turn(-1000, 1000)
    expect([stage.view.heading, stage.view.pitch]).toEqual([250, 89])
  })
  it('swings round a place, which stays as far away and in the same direction on the screen', () => {
    const { stage, fly } = begin()
    Object.assign(stage.view, { x: 10, y: 12, z: 10, heading: 90, pitch: -30 })
    const pivot: [number, number, number] = [30, 0, 10]
    const far = () => Math.hypot(stage.view.x - 30, stage.view.y, stage.view.z - 10)
    const before = far()
    for (const [dx, dy] of [
      [40, 0],
      [0, 30],
      [-25, -12],
    ] as const) {
      fly.orbit(pivot, dx, dy)
      expect(far()).toBeCloseTo(before, 6)
      const to = (Math.atan2(30 - stage.view.x, stage.view.z - 10) * 180) / Math.PI
      expect((((to - stage.view.heading + 540) % 360) - 180).toFixed(5)).toBe('0.00000')
    }
  })
  it('on foot keeps to the ground, climbs no wall, falls, and stays in the level', () => {
    const { stage, fly, walking } = begin(true)
    fly.go(30, 0, 50)
    expect([stage.view.x, stage.view.y]).toEqual([40, 1.7])
    fly.go(10.5, 0, 0)
    expect([stage.view.x, stage.view.y]).toEqual([50.5, 4.7])
    fly.go(-1, 0, 0)
    stage.view.x = 49.9
    fly.go(0.2, 0, 0)
    expect(stage.view.x).toBe(50.1)
    Object.assign(stage.view, { x: 49.9, y: 1.7 })
    fly.go(0.2, 0, 0)
    expect(stage.view.x).toBe(49.9)
    fly.go(-60, 0, 0)
    expect(stage.view.x).toBe(49.9)
    stage.view.y = 20
    let steps = 0
    while (fly.step(1 / 60) && steps < 1000) steps++
    expect(stage.view.y).toBeCloseTo(1.7, 2)
    expect(steps / 60).toBeCloseTo(Math.sqrt((2 * 18.3) / 9.81), 1)
    walking.value = false
    stage.view.y = 9
    expect(fly.step(0.1)).toBe(false)
  })
})

describe('keys of a level', () => {
  const begin = (bench = 'planting') => {
    const stores = useStores()
    const why = ref(null)
    const help = ref(false)
    const host = ref({
      shown: 'both' as 'both' | 'eye' | 'plan',
      shadows: true,
      everything: false,
      walking: false,
      again: vi.fn(),
      look: vi.fn(),
    })
    const [draft, hand] = inScope(() => [useDraft(() => null, stores), useHand(stores)] as const)
    const reach = { bench: () => bench as 'planting', host, draft, hand, why, help }
    inScope(() => useLevelKeys(reach, stores))
    return { ...reach, stores }
  }
  it('take up verbs on the Planting bench and shapes on Ground, and nothing in a field', () => {
    const { stores, host, help } = begin()
    press('n')
    expect(stores.brush.verb).toBe('thin')
    press('p')
    expect(stores.shapes.tool).toBeNull()
    const field = document.body.appendChild(document.createElement('input'))
    press('t', {}, field)
    press('t', { altKey: true })
    expect(stores.brush.verb).toBe('thin')
    press('.')
    expect(stores.brush.radius).toBe(14.4)
    press('v')
    press('l')
    press('?')
    expect([host.value.shown, host.value.shadows, help.value]).toEqual(['eye', false, true])
    press('Escape')
    expect(stores.brush.verb).toBeNull()
  })
  it('leave a guest what changes nothing', () => {
    store.level = { ...store.level!, role: 'viewer' }
    const { stores } = begin()
    press('n')
    expect(stores.brush.verb).toBeNull()
    press('x')
    expect(stores.brush.verb).toBe('select')
  })
  it('hide and show the selected stands, go to the stand before, and to kept views', () => {
    store.level = { ...store.level!, bookmarks: [{ name: 'Rim' }, { name: 'Pit' }] } as Level
    const { host } = begin()
    store.selected = [1, 2]
    press('h')
    expect([...store.hidden]).toEqual([1, 2])
    store.hidden = new Set([1])
    press('h')
    expect([...store.hidden]).toEqual([1, 2])
    press('h')
    expect([...store.hidden]).toEqual([])
    press('2')
    press('7')
    expect(host.value.look.mock.calls).toEqual([[{ name: 'Pit' }]])
  })
  it('finish, undo and let go of one thing at a time, the last that was taken up', async () => {
    const { stores, draft, hand } = begin('ground')
    press('a')
    expect(stores.shapes.tool).toBe('area')
    press('Enter')
    expect(stores.shapes.trouble).toContain('three corners')
    draft.change({ fullness: 0.2 })
    hand.tool.value = 'pick'
    expect(stores.shapes.tool).toBeNull()
    press('Escape')
    expect([hand.tool.value, draft.dirty.value]).toEqual([null, true])
    stores.selection.plants = partOf([{ stand: 1, plant: 'a', x: 0, z: 0, state: 'rule' }])
    press('Escape')
    expect([stores.selection.plants.length, draft.dirty.value]).toEqual([0, true])
    const asked = serve({
      'POST /api/levels/fell/undo': changed(entry),
      'GET /api/levels/fell/pulse': PULSE,
    })
    press('z', { ctrlKey: true })
    await settled(20)
    expect(asked[0]!.what).toBe('POST /api/levels/fell/undo')
  })
})

describe('shapes in hand', () => {
  it('need corners enough, round ones two presses, and are named by their number', async () => {
    serve({ 'TRY /api/levels/fell/shapes': changed() })
    const shapes = useShapes()
    shapes.take('path')
    await shapes.press(1, 1)
    await shapes.finish()
    expect(shapes.trouble).toContain('two corners')
    await shapes.press(9, 1)
    await shapes.finish()
    expect([shapes.draft?.name, shapes.draft?.kind, shapes.tool]).toEqual(['Path 1', 'path', null])
    expect(shapes.drop()).toBe(true)
    expect([shapes.draft, shapes.chosen]).toEqual([null, null])
    shapes.take('box')
    await shapes.press(0, 0)
    await shapes.press(10, 0)
    expect(shapes.draft?.box).toMatchObject({ x: 0, z: 0, length: 20, width: 12, heading: 90 })
    shapes.drop()
    expect(shapes.drop()).toBe(false)
  })
  it('stay when they are refused, and go from the level when they are removed', async () => {
    serve({
      'TRY /api/levels/fell/shapes': changed(),
      'POST /api/levels/fell/shapes': () => refuse('The outline crosses itself.'),
    })
    const shapes = useShapes()
    store.shapes = partOf([{ id: 5, kind: 'area', form: 'polygon', points: [] }])
    shapes.take('area')
    for (const [x, z] of [
      [0, 0],
      [9, 9],
      [9, 0],
      [0, 9],
    ] as const)
      await shapes.press(x, z)
    await shapes.finish()
    expect(await shapes.keep(shapes.draft!)).toBe(false)
    expect([shapes.trouble, shapes.shown.length]).toEqual(['The outline crosses itself.', 2])
    serve({
      'POST /api/levels/fell/shapes': changed(entry, { shapes: [] }),
      'GET /api/levels/fell/pulse': PULSE,
    })
    shapes.chosen = 5
    await shapes.remove(5)
    expect([shapes.chosen, store.shapes.length]).toEqual([null, 0])
  })
})

describe('a plant that is to be set', () => {
  const ghost = (part = {}) => ({
    plant: { item: 'birch', turn: 40, width: 1, height: 1 },
    form: [5, 0, 5, 0, 0, 0, 1, 1, 1, 0],
    trouble: '',
    disc: null,
    ...part,
  })
  const begin = (answers: Record<string, unknown> = {}) => {
    const asked = serve({
      'POST /api/levels/fell/stands/1/pins/try': () => ghost(),
      'POST /api/levels/fell/stands/1/pins': changed(entry),
      'GET /api/levels/fell/stands': store.stands,
      'GET /api/levels/fell/pulse': PULSE,
      'GET /api/levels/fell/shapes': [],
      'GET /api/levels/fell/masks': [],
      'GET /api/levels/fell/surfaces': [],
      ...answers,
    })
    const stage = fakeStage()
    const stores = useStores()
    return { asked, stage, stores, set: inScope(() => useGhost(shallowRef<Stage | null>(stage), stores)) }
  }
  it('is asked for where the pointer came last, however fast it goes', async () => {
    const { asked, set } = begin()
    void set.hover(spot(1, 1))
    for (let x = 2; x < 30; x++) void set.hover(spot(x, 1))
    await until(() => !!asked.length && JSON.stringify(asked.at(-1)!.body).includes('"x":29'))
    await settled(10)
    // One at a time: how many fit in between depends on the machine.
    expect(asked.length).toBeLessThan(6)
  })
  it('says what is in its way, and is not set there unless others are to give way', async () => {
    const { asked, set, stage, stores } = begin({
      'POST /api/levels/fell/stands/1/pins/try': () =>
        ghost({ trouble: 'A stone is in the way.', disc: [5, 6, 2] }),
    })
    await set.hover(spot(5, 5))
    expect(stage.setRings.mock.lastCall![0]).toEqual([{ x: 5, z: 6, radius: 2 }])
    set.begin(spot(5, 5))
    await set.end()
    expect([store.trouble, asked.some((a) => a.what.endsWith('/pins'))]).toEqual([
      'A stone is in the way.',
      false,
    ])
    stores.brush.push = true
    set.begin(spot(5, 5))
    await set.end()
    expect(asked.find((a) => a.what.endsWith('/pins'))!.body).toMatchObject({ push: true })
  })
  it('keeps the turn and size that were given to it, and only for that one', async () => {
    const { asked, set } = begin()
    await set.hover(spot(5, 5))
    set.adjust(-90, 1)
    await settled(10)
    set.adjust(0, 1.5)
    set.begin(spot(5, 5))
    set.extend(spot(5, 18))
    await set.end()
    const kept = () => asked.filter((a) => a.what.endsWith('/pins')).map((a) => a.body as { add: object[] })
    expect(kept()[0]!.add).toEqual([
      { x: 5, z: 5, turn: 310, width: 1.5, height: 1.5 },
      { x: 5, z: 9 },
      { x: 5, z: 13 },
      { x: 5, z: 17 },
    ])
    await set.hover(spot(30, 30))
    set.begin(spot(30, 30))
    await set.end()
    expect(kept()[1]!.add).toEqual([{ x: 30, z: 30 }])
  })
  it('stays in hand when it is refused, and goes when it is given up', async () => {
    const { set } = begin({ 'POST /api/levels/fell/stands/1/pins': () => refuse('The pit is kept clear.') })
    await set.hover(spot(5, 5))
    set.begin(spot(5, 5))
    await set.end()
    expect([store.trouble, set.ghost.value !== null]).toEqual(['The pit is kept clear.', true])
    set.begin(spot(5, 5))
    set.cancel()
    expect([set.ghost.value, set.setting.value]).toEqual([null, false])
    store.stands = [stand(1, { sward: true, name: 'Moor-grass' })]
    expect([set.begin(spot(5, 5)), store.trouble]).toEqual([false, expect.stringContaining('is a sward')])
  })
})

describe('the panels beside the stage', () => {
  it('take their share, no more than two fifths, and stay as they were left', async () => {
    window.innerWidth = 1280
    const sides = inScope(() => useSides())
    window.dispatchEvent(new Event('resize'))
    expect([sides.left.width.value, sides.right.width.value]).toEqual([237, 342])
    sides.right.width.value = 900
    expect(sides.right.width.value).toBe(512)
    sides.left.width.value = 20
    expect(sides.left.width.value).toBe(200)
    sides.left.folded.value = true
    await nextTick()
    const later = inScope(() => useSides())
    expect(later.columns.value).toBe('0px 11px minmax(0, 1fr) 11px 512px')
    window.innerWidth = 1000
    window.dispatchEvent(new Event('resize'))
    expect(later.right.width.value).toBe(400)
  })
})

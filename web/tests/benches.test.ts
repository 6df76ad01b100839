import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, reactive } from 'vue'
import type {
  Atmosphere,
  Item,
  Level,
  Remedy,
  Shape,
  ShapeIn,
  StandSettings,
  Tier,
  Why,
} from '../src/api/client'
import AtmospherePanel from '../src/sightline/AtmospherePanel.vue'
import DrawingPanel from '../src/sightline/DrawingPanel.vue'
import LayoutField from '../src/planting/LayoutField.vue'
import PinPanel from '../src/planting/PinPanel.vue'
import SelectionPanel from '../src/planting/SelectionPanel.vue'
import ShapeForm from '../src/ground/ShapeForm.vue'
import SnapshotList from '../src/planting/SnapshotList.vue'
import WalkPanel from '../src/sightline/WalkPanel.vue'
import WhyCard from '../src/planting/WhyCard.vue'
import { useDraft } from '../src/planting/useDraft'
import { useHand } from '../src/planting/useHand'
import { PLAIN } from '../src/stage/drawing'
import type { Stage } from '../src/stage/stage'
import { useStores } from '../src/shared/stores'
import { useAtmosphere } from '../src/sightline/atmosphere'
import { useDrawing } from '../src/sightline/drawing'
import { useSelection } from '../src/planting/selection'
import { useShapes } from '../src/ground/shapes'
import { useLevel } from '../src/level/level'
import { useWalks } from '../src/sightline/walks'
import {
  at,
  choose,
  inScope,
  openLevel,
  refuse,
  serve,
  settled,
  spot,
  show,
  stand,
  until,
  write,
  changed,
  PULSE,
  kept,
  partOf,
} from './help'

type Shown = Awaited<ReturnType<typeof show>>
let page: Shown | null = null
let store: ReturnType<typeof openLevel>
beforeEach(() => {
  store = openLevel()
  serve({})
})
afterEach(() => {
  page?.end()
  page = null
  document.body.innerHTML = ''
})
const text = () => page!.place.textContent.replace(/\s+/g, ' ')
const entry = { id: 1, what: 'Walks', kind: 'walks', gained: 0, lost: 0, cost: {} }
const AGAIN = {
  'GET /api/levels/fell': () => store.level,
  'GET /api/levels/fell/stands': () => store.stands,
  'GET /api/levels/fell/pulse': PULSE,
  'GET /api/levels/fell/shapes': () => store.shapes,
  'GET /api/levels/fell/masks': [],
  'GET /api/levels/fell/surfaces': [],
}
const item = (slug: string, part: Partial<Item> = {}) =>
  partOf<Item>({
    slug,
    name: slug[0]!.toUpperCase() + slug.slice(1),
    height: 8,
    crown: 2,
    anchors: [],
    lods: [{}, {}, {}],
    ...part,
  })
const box = (name: string) => at(name).querySelector<HTMLInputElement>('input[type=checkbox]')!
const value = (name: string) => at(name).querySelector('input')!.value
const disabled = (name: string) => (at(name) as HTMLButtonElement).disabled

/** Flat ground at 10 m and an eye that looks east. */
function fakeStage() {
  const view = { x: 100, y: 12, z: 200, heading: 90, pitch: 0, fov: 55, aspect: 1.6, drawing: PLAIN }
  return partOf<Stage & { look: ReturnType<typeof vi.fn>; setRings: ReturnType<typeof vi.fn> }>({
    eye: { view },
    ground: { width: 900, length: 900, heightAt: () => 10 },
    look: vi.fn((part: object) => void Object.assign(view, part)),
    setRings: vi.fn(),
  })
}

describe('plants that are selected', () => {
  const plant = (id: string, part = {}) => ({
    stand: 1,
    plant: id,
    item: 'birch',
    x: 10,
    z: 20,
    turn: 40,
    lean: 0,
    width: 1,
    height: 1,
    lift: 0,
    state: 'rule',
    ...part,
  })
  async function begin(plants: object[]) {
    store.level = { ...store.level!, stock: [item('birch'), item('rowan')] }
    const asked = serve({
      ...AGAIN,
      'POST /api/levels/fell/hand': changed(entry),
      'POST /api/levels/fell/select': { plants, total: plants.length },
    })
    useSelection().plants = partOf(plants)
    const gone: unknown[] = []
    page = await show(SelectionPanel, { view: () => ({ x: 0, z: 0 }), onGo: (to: unknown) => gone.push(to) })
    const done = () => asked.filter((a) => a.what.endsWith('/hand')).map((a) => a.body as object)
    return { done, gone }
  }
  it('are told with what they share, and what they do not as mixed', async () => {
    const { gone } = await begin([
      plant('a'),
      plant('b', { stand: 2, turn: 90, x: 3, z: 4, state: 'pinned' }),
    ])
    expect(text()).toContain('2 plants of Stand 1 and Stand 2')
    expect(text()).toContain('1 set by hand.')
    expect([value('selection-turn'), value('selection-height')]).toEqual(['', '1'])
    const rows = [...page!.place.querySelectorAll('li')].map((e) => e.textContent.replace(/\s+/g, ' '))
    expect(rows.map((r) => r.match(/(\d+) m/)![1])).toEqual(['5', '22'])
    page!.place.querySelector<HTMLElement>('li .v-btn')!.click()
    expect(gone).toEqual([[3, 4]])
  })
  it('are drawn anew, each value alone, from ranges of one’s own if wished, and aligned', async () => {
    const { done } = await begin([plant('a'), plant('b')])
    at('random-size').click()
    await settled(20)
    at('random-ranges').click()
    await nextTick()
    await write('range-lean-hi', '9')
    at('range-lean-hi').querySelector('input')!.blur()
    at('random-lean').click()
    await settled(20)
    at('align-upright').click()
    await settled(20)
    at('align-eye').click()
    await settled(20)
    expect(done()).toMatchObject([
      { random: ['size'], ranges: {} },
      { random: ['lean'], ranges: { lean: [0, 9] } },
      { align: 'upright', random: [] },
      { align: 'eye', eye: [0, 0] },
    ])
  })
  it('are all changed by one press, and none of a locked stand', async () => {
    const { done } = await begin([plant('a'), plant('b')])
    at('turn--45').click()
    await settled(20)
    at('size-1.25').click()
    await settled(20)
    at('selection-copy').click()
    await settled(20)
    expect(disabled('selection-release')).toBe(true)
    at('selection-remove').click()
    await settled(20)
    expect(done()).toMatchObject([
      { turn_by: -45 },
      { size_by: 1.25 },
      { do: 'copy', east: 1 },
      { do: 'remove', plants: { 1: ['a', 'b'] } },
    ])
    store.stands = [stand(1, { locked: true }), stand(2)]
    await nextTick()
    expect([disabled('turn-15'), disabled('selection-remove'), disabled('selection-clear')]).toEqual([
      true,
      true,
      false,
    ])
  })
  it('are listed nearest first and no more than can be read', async () => {
    await begin(Array.from({ length: 75 }, (_, k) => plant(`p${k}`, { x: 75 - k, z: 0 })))
    expect(page!.place.querySelectorAll('li').length).toBe(60)
    expect(text()).toContain('The nearest 60 of 75.')
    useSelection().over = 2000
    await nextTick()
    expect(text()).toContain('2 000 more were asked for')
  })
})

describe('a single plant', () => {
  const plant = {
    plant: 'p1',
    item: 'birch',
    x: 5,
    z: 6,
    turn: 0,
    width: 1,
    height: 1,
    lift: 0,
    state: 'pinned',
  }
  it('is changed by its numbers, released, and let grow again where it was uprooted', async () => {
    store.level = { ...store.level!, stock: [item('birch')] }
    store.stands = [stand(1, { uprooted: 2 }), stand(2)]
    const asked = serve({
      ...AGAIN,
      'GET /api/levels/fell/stands/1/plant': plant,
      'GET /api/levels/fell/stands/1/pins': [plant, { ...plant, plant: 'p2', state: 'gone', x: 9 }],
      'POST /api/levels/fell/stands/1/pins': changed(entry),
      'POST /api/levels/fell/stands/1/regrow': changed(entry),
    })
    const hand = inScope(() => useHand(useStores()))
    page = await show(PinPanel, { hand, locked: false })
    at('pick').click()
    await nextTick()
    expect(text()).toContain('Click near a plant of this stand')
    await hand.press(spot(5, 5))
    await until(() => at('picked'))
    const input = await write('pin-height', '1.4')
    input.dispatchEvent(new Event('blur'))
    await settled(30)
    expect(at('pins-said').textContent).toContain('1 set by hand, 1 removed by hand')
    at('bring-back').click()
    await settled(30)
    at('regrow').click()
    await settled(30)
    at('pin-remove').click()
    await settled(30)
    const sent = asked.filter((a) => a.what.endsWith('/pins') && a.body).map((a) => a.body as object)
    expect(sent).toMatchObject([
      { change: [{ plant: 'p1', height: 1.4 }] },
      { release: ['p2'] },
      { remove: ['p1'] },
    ])
    expect(text()).toContain('Uprooted in 2 places')
    expect(asked.some((a) => a.what.endsWith('/regrow'))).toBe(true)
  })
})

describe('why here', () => {
  const why = (part: Partial<Why> = {}): Why =>
    partOf<Why>({
      planted: false,
      conditions: [
        {
          kind: 'slope',
          on: true,
          join: 'and',
          value: 12.345,
          result: 0.5,
          running: 0.5,
          beyond: false,
          size: null,
          lean: null,
          tint: null,
        },
        {
          kind: 'path',
          on: true,
          join: 'except',
          value: 120,
          result: 1,
          running: 0,
          beyond: true,
          size: null,
          lean: null,
          tint: null,
        },
        {
          kind: 'facing',
          on: false,
          join: 'and',
          value: -1,
          result: 0,
          running: null,
          beyond: false,
          size: null,
          lean: null,
          tint: null,
        },
      ],
      suitability: 0.25,
      touch: -0.5,
      density: 0.125,
      fullness: 0.6,
      place: { distance: 1.23, threshold: 0.321 },
      shut: '',
      by_hand: '',
      items: [],
      trails: [],
      ...part,
    })
  it('says each condition with its value, how they add up, and what keeps plants out', async () => {
    page = await show(WhyCard, { why: why({ shut: 'It was uprooted here' }), name: 'Birch' })
    expect(text()).toContain('Birch here: why not')
    for (const said of [
      '12.3°50 %→ 50 %',
      '≥ 120.0 m100 %→ 0 %',
      'level groundoff',
      '−0.50',
      '8 %13 % × 60 %',
    ])
      expect(text().replaceAll(' → ', '→ ')).toContain(said)
    expect(at('why-threshold').textContent).toMatch(/1\.2 m away.*32\.1/s)
    expect(text()).toContain('It was uprooted here.')
  })
  it('says that it stands, and that there is no place', async () => {
    page = await show(WhyCard, { why: why({ planted: true, place: null, touch: 0.25 }), name: 'Birch' })
    expect(text()).toContain('Birch here: why')
    expect(text()).toContain('no place within its spacing')
    expect(text()).toContain('+0.25')
  })
})

describe('a shape by its numbers', () => {
  const path = (part: Partial<ShapeIn> = {}): ShapeIn => ({
    id: 3,
    kind: 'path',
    form: 'line',
    name: 'Tramway',
    points: [
      [0, 0],
      [9, 0],
    ],
    width: 4,
    clear: null,
    locked: false,
    hidden: false,
    hatch: 'blank',
    group: '',
    trail: null,
    round: null,
    box: null,
    ...part,
  })
  const MOVED = { moved: { 1: [0, 12], 2: [0, 0] } }
  async function begin(shape: ShapeIn, answers: Record<string, unknown> = {}) {
    const asked = serve({
      ...AGAIN,
      'TRY /api/levels/fell/shapes': changed({ cost: { ms: 0.25 } }, {}, MOVED),
      'POST /api/levels/fell/shapes': changed(entry, { shapes: [shape] }),
      ...answers,
    })
    store.shapes = [shape as Shape]
    const shapes = useShapes()
    shapes.chosen = shape.id!
    const props = reactive({ shape })
    page = await show(ShapeForm, props)
    const follow = async () => {
      props.shape = shapes.draft ?? shape
      await nextTick()
    }
    return { asked, shapes, follow }
  }
  it('is tried with the plants that come and go before it is kept', async () => {
    const { asked, shapes, follow } = await begin(path())
    box('shape-clears').click()
    await follow()
    expect([shapes.draft!.clear, !!at('shape-remove')]).toEqual([0.5, false])
    expect(at('shape-try').textContent).toContain('Counting')
    await until(() => at('shape-try').textContent?.includes('Stand 1'))
    expect(at('shape-try').textContent.replace(/\s+/g, ' ')).toContain('Stand 1 +0 −12')
    expect(at('shape-try').textContent).not.toContain('Stand 2')
    expect(at('shape-cost').textContent).toContain('0.25')
    at('shape-keep').click()
    await settled(30)
    expect(shapes.draft).toBeNull()
    expect(asked.find((a) => a.what === 'POST /api/levels/fell/shapes')!.body).toMatchObject({
      put: [{ id: 3, clear: 0.5 }],
    })
  })
  it('of a path may be a trail, of at least one stratum', async () => {
    const { shapes, follow } = await begin(path())
    box('shape-trail').click()
    await follow()
    expect(shapes.draft!.trail).toMatchObject({ reach: 1.5, strata: ['Field', 'Moss'] })
    const strata = () =>
      [...page!.place.querySelectorAll<HTMLInputElement>('.strata input')].map((e) => [e.checked, e.disabled])
    page!.place.querySelectorAll<HTMLInputElement>('.strata input')[5]!.click()
    await follow()
    expect(shapes.draft!.trail!.strata).toEqual(['Field'])
    expect(strata()[4]).toEqual([true, true])
    await write('trail-flatten', '25')
    await follow()
    expect(shapes.draft!.trail!.flatten).toBe(0.25)
    at('shape-drop').click()
    await follow()
    expect(shapes.draft).toBeNull()
  })
  it('is not changed while it is locked', async () => {
    await begin(path({ locked: true }))
    expect(text()).toContain('Locked: unlock it')
    expect([box('shape-clears').disabled, at('shape-remove')]).toEqual([true, null])
  })
})

describe('snapshots', () => {
  const shots = [
    { id: 4, name: 'Before the storm', by: 'south', at: '2026-01-01T10:00:00Z' },
    { id: 5, name: 'After', by: 'north', at: '2026-01-02T10:00:00Z' },
  ]
  async function begin(answers: Record<string, unknown> = {}) {
    const marks = new ArrayBuffer(8 + 8 * 3)
    new Uint32Array(marks, 0, 2).set([1, 2])
    new Float32Array(marks, 8).set([1, 2, 3, 4, 5, 6])
    const asked = serve({
      ...AGAIN,
      'GET /api/levels/fell/snapshots': shots,
      'POST /api/levels/fell/snapshots': changed(entry),
      'POST /api/levels/fell/snapshots/compare': {
        stands: [
          { stand: 1, name: 'Stand 1', before: 100, after: 90, gained: 5, lost: 15 },
          { stand: 2, name: 'Stand 2', before: 7, after: 7, gained: 0, lost: 0 },
        ],
        cost: { ms: -0.25, triangles: 900, draw_calls: 0 },
      },
      'POST /api/levels/fell/snapshots/difference': () => new Response(marks.slice(0)),
      'POST /api/levels/fell/snapshots/4/go-back': changed(entry),
      'DELETE /api/levels/fell/snapshots/4': () => (shots.shift(), changed(entry)),
      ...answers,
    })
    const draft = inScope(() => useDraft(() => null, useStores()))
    page = await show(SnapshotList, { draft, view: () => null })
    page.place.querySelector<HTMLElement>('[data-test=part-snapshots]')?.click()
    await until(() => at('compare'))
    await settled(20)
    return { asked, draft }
  }
  it('are taken under a name, compared with now, and shown on the plan', async () => {
    const { asked, draft } = await begin()
    expect(disabled('snapshot-take')).toBe(true)
    await write('snapshot-name', '  Today ')
    at('snapshot-take').click()
    await settled(30)
    expect(asked.find((a) => a.what === 'POST /api/levels/fell/snapshots')!.body).toMatchObject({
      name: 'Today',
    })
    await choose('compare-before', 'Before the storm')
    await choose('compare-after', 'now')
    at('compare').click()
    await until(() => at('compared'))
    const told = at('compared').textContent.replace(/\s+/g, ' ')
    expect(told).toContain('Stand 1100 → 90+5−15')
    expect(told).not.toContain('Stand 2')
    expect(told).toMatch(/−0\.25 ms.*\+900 triangles/)
    expect([draft.marks.value.came.length, draft.marks.value.went.length]).toEqual([2, 4])
  })
  it('are gone back to and removed, and say what is refused', async () => {
    const { asked } = await begin({
      'POST /api/levels/fell/snapshots/5/go-back': () => refuse('Birch is locked.'),
    })
    const back = [...page!.place.querySelectorAll<HTMLElement>('[data-test=go-back]')]
    back[0]!.click()
    await settled(30)
    expect(asked.some((a) => a.what.endsWith('/4/go-back'))).toBe(true)
    back[1]!.click()
    await until(() => at('snapshot-trouble'))
    expect(at('snapshot-trouble').textContent).toBe('Birch is locked.')
    page!.place.querySelectorAll<HTMLElement>('li .v-btn')[1]!.click()
    await until(() => page!.place.querySelectorAll('li').length === 1)
    expect(text()).not.toContain('Before the storm')
  })
})

describe('the layout of a stand', () => {
  async function begin() {
    serve(AGAIN)
    const anchored = item('log', { anchors: ['end 1', 'end 2', 'top'] })
    store.level = { ...store.level!, stock: [anchored, item('birch')] }
    const layout: StandSettings['layout'] = {
      kind: 'free',
      shapes: [],
      every: 2,
      count: 0,
      side: 'on',
      offset: 0,
      bearing: 0,
      apart: 3,
      face: 'free',
      jitter: 0,
      stagger: false,
      host: 0,
      group: '',
      around: 0,
      inside: false,
    }
    const settings = { ...stand(2).settings, layout }
    store.stands = [
      stand(1, { items: ['birch'], settings }),
      stand(3, { items: ['log'], name: 'Logs', settings }),
      stand(2, { settings }),
    ]
    store.shapes = partOf([
      { id: 7, kind: 'path', name: 'Tramway' },
      { id: 8, kind: 'area', name: 'Pit' },
    ])
    store.selected = [2]
    const draft = inScope(() => useDraft(() => null, useStores()))
    page = await show(LayoutField, { draft, locked: false })
    return () => draft.shared((s) => s.layout).value
  }
  it('goes along paths by metres or by number, to a side only with a distance', async () => {
    const now = await begin()
    await choose('layout-kind', 'along paths')
    await choose('layout-by', 'so often on each')
    expect(now()).toMatchObject({ kind: 'path', count: 20 })
    await choose('layout-side', 'both sides')
    expect(now()).toMatchObject({ side: 'both', offset: 2 })
    box('layout-stagger').click()
    await choose('layout-by', 'every so many metres')
    expect(now()).toMatchObject({ count: 0, stagger: true })
  })
  it('has so many inside each area, and thins none of them out', async () => {
    const now = await begin()
    await choose('layout-kind', 'so many inside areas')
    expect(now()).toMatchObject({ kind: 'inside', count: 20 })
    expect(store.chosen.length && text()).toContain('In each area')
    await choose('layout-kind', 'round the edge of areas')
    expect(now()).toMatchObject({ kind: 'round', shapes: [] })
  })
  it('stands on the anchor points of a stand above that has some', async () => {
    const now = await begin()
    await choose('layout-kind', 'on another stand’s plants')
    expect(now()).toMatchObject({ kind: 'anchors', host: 3 })
    await choose('layout-group', 'end')
    await choose('layout-around', 'inside that line')
    expect(now()).toMatchObject({ group: 'end', around: 5, inside: true })
    await choose('layout-around', 'one on each anchor point')
    expect(now()).toMatchObject({ around: 0, inside: false })
    await choose('layout-host', 'Stand 1')
    expect(text()).toContain('None of its items has anchor points')
  })
})

const AIR = partOf<Atmosphere>({
  sun: { bearing: 200, elevation: 40, colour: '#fff6e3', strength: 1 },
  sky: { horizon: '#d4d5d0', zenith: '#89a6be', clouds: 0.5 },
  fog: {
    kind: 'exponential',
    density: 0.002,
    start: 20,
    end: 90,
    thinning: 0,
    level: 0,
    colour: '',
    hides: false,
  },
  waters: [],
})

describe('the atmosphere', () => {
  async function begin(answers: Record<string, unknown> = {}, role = 'artist') {
    store.level = { ...store.level!, atmosphere: AIR, role } as Level
    const asked = serve({
      ...AGAIN,
      'PUT /api/levels/fell/atmosphere': kept('atmosphere', entry),
      ...answers,
    })
    page = await show(AtmospherePanel, { stage: fakeStage() })
    return { asked, air: useAtmosphere() }
  }
  it('says fog by where half is left, whatever its kind, and asks for what its kind needs', async () => {
    const { air } = await begin()
    expect(Number(value('fog-half'))).toBeCloseTo(Math.log(2) / 0.002, 0)
    await write('fog-half', '100')
    expect(Math.exp(-air.now!.fog.density * 100)).toBeCloseTo(0.5, 6)
    await choose('fog-kind', 'exponential squared')
    await write('fog-half', '200')
    expect(Math.exp(-((air.now!.fog.density * 200) ** 2))).toBeCloseTo(0.5, 6)
    await choose('fog-kind', 'linear')
    expect([at('fog-half'), !!at('fog-start')]).toEqual([null, true])
    await choose('fog-kind', 'no fog')
    expect([at('fog-start'), at('fog-thinning')]).toEqual([null, null])
  })
  it('takes the sky’s colour for the fog or one of its own', async () => {
    const { air } = await begin()
    box('fog-sky').click()
    expect(air.now!.fog.colour).toBe('#d4d5d0')
    await nextTick()
    box('fog-sky').click()
    expect(air.now!.fog.colour).toBe('')
  })
  it('has water ahead of the eye, four sheets at the most, each changed alone', async () => {
    const { air } = await begin()
    at('water-add').click()
    await nextTick()
    expect(air.now!.waters).toEqual([{ altitude: 11, box: [130, 150, 230, 250] }])
    await write('water-0-2', '300')
    expect(air.now!.waters[0]!.box).toEqual([130, 150, 300, 250])
    for (let k = 0; k < 3; k++) {
      at('water-add').click()
      await nextTick()
    }
    expect(disabled('water-add')).toBe(true)
    at('water-1-remove').click()
    await nextTick()
    expect([air.now!.waters.length, disabled('water-add')]).toEqual([3, false])
  })
  it('stays tried with its sentence at the field when it is refused; a guest changes nothing', async () => {
    const { air } = await begin({
      'PUT /api/levels/fell/atmosphere': () =>
        refuse('fog: it must end beyond where it begins', { fields: ['atmosphere.fog.end'] }),
    })
    air.change({ fog: { kind: 'linear', end: 5 } })
    await nextTick()
    at('atmosphere-keep').click()
    await until(() => at('atmosphere-trouble'))
    expect(at('fog-end').closest('.field')!.querySelector('.v-input--error')).not.toBeNull()
    at('atmosphere-drop').click()
    await nextTick()
    expect([air.draft, at('atmosphere-keep')]).toEqual([null, null])
    page!.end()
    await begin({}, 'viewer')
    expect([disabled('water-add'), at('sun-bearing').querySelector('input')!.disabled]).toEqual([true, true])
  })
})

describe('the drawing of the level', () => {
  const cost = (part = {}) => ({
    total: {
      ms: 2,
      triangles: 1000,
      draw_calls: 20,
      shadow_calls: 5,
      shadow_triangles: 100,
      memory: 1,
      culled: 400,
      ...part,
    },
  })
  const marks = { ms: 2, triangles: 1, draw_calls: 1, shadow_triangles: 1, memory: 1 }
  async function begin(role: string) {
    const tier = { drawing: PLAIN, marks } as Tier
    store.level = { ...store.level!, role, drawing: PLAIN, tiers: { Handheld: tier, Desktop: tier } } as Level
    const asked = serve({
      ...AGAIN,
      'POST /api/levels/fell/cost': (body: { drawing: { cell: number; distances: number } }) =>
        cost({ draw_calls: 6400 / body.drawing.cell, ms: body.drawing.distances * 4 }),
    })
    store.cost = partOf(cost({ ms: 2 }))
    page = await show(DrawingPanel, { stage: fakeStage() })
    // A part that was opened before is open still.
    for (const part of page.place.querySelectorAll<HTMLElement>('[data-test^=part-][aria-expanded=false]'))
      part.click()
    await until(() => at('cells'))
    return { asked, drawing: useDrawing() }
  }
  it('tells what each size of cells costs, and what is tried against what is kept', async () => {
    const { drawing } = await begin('artist')
    const rows = [...at('cells').querySelectorAll('tbody tr')].map((e) =>
      [...e.querySelectorAll('td')].map((c) => c.textContent),
    )
    expect(rows.map((r) => r[0])).toEqual(['16 m', '32 m', '64 m', '128 m'])
    expect(rows.map((r) => r[1])).toEqual(['405', '205', '105', '55'])
    drawing.change({ distances: 0.5 })
    await until(() => at('drawing-difference'))
    expect(at('drawing-difference').textContent.replace(/\s+/g, ' ')).toContain(
      'In this view on Desktop −2.00 ms',
    )
    at('drawing-drop').click()
    await nextTick()
    expect(at('drawing-draft')).toBeNull()
  })
  it('lets a lead alone add, name and remove tiers', async () => {
    await begin('artist')
    expect([disabled('tier-add'), disabled('tier-remove')]).toEqual([true, true])
    page!.end()
    const { drawing } = await begin('lead')
    at('tier-add').click()
    await nextTick()
    const name = await write('tier-name', ' Pocket ')
    name.dispatchEvent(new Event('change', { bubbles: true }))
    await nextTick()
    expect([drawing.names, drawing.tier]).toEqual([['Handheld', 'Desktop', 'Pocket'], 'Pocket'])
    at('tier-remove').click()
    await nextTick()
    expect(drawing.names).toEqual(['Handheld', 'Desktop'])
  })
})

describe('a walk and its pops', () => {
  const walk = { points: [[0, 0] as [number, number], [30, 0] as [number, number]], speed: 3, eye: 1.7 }
  const pop = (part = {}) => ({
    stand: 1,
    item: 'birch',
    before: 0,
    after: 1,
    shadow: false,
    time: 4,
    distance: 31,
    strength: 1234,
    place: [20, 10, 5],
    ...part,
  })
  const remedy = (part: Partial<Remedy>): Remedy =>
    ({
      stand: 1,
      edge: null,
      left_out: false,
      farther: 1,
      fade: 1,
      shadows: 1,
      fog: 1,
      left: 0,
      ms: 0.1,
      distances: { steps: [20, 40], billboard: 60, gone: 130, fade: 8, shadow: 0 },
      ...part,
    }) as Remedy
  const result = {
    seconds: 10,
    times: [0, 5, 10],
    ms: [1, 3.456, 2],
    lines: { 0: [0.5, 1, 1], 1: [0.5, 2.456, 1] },
    curve: [0, 9, 1],
    left_out: [[4, 9]],
    stands: [
      { stand: 1, noticed: 12 },
      { stand: 2, noticed: 3 },
    ],
    worst: [pop(), pop({ shadow: true, before: 0, after: -1 }), pop({ stand: 2, before: 3, after: -1 })],
    remedies: [
      remedy({ fade: 2, left: 5, ms: 0.3 }),
      remedy({ farther: 1.25, left: 8, ms: 0.2 }),
      remedy({ farther: 1.5, left: 9, ms: 0.25 }),
      remedy({ left: 12, ms: 0 }),
      remedy({ edge: 2, left_out: true, left: 4, ms: 0.4 }),
      remedy({ stand: 0, fog: 1.5, left: 14, ms: -0.1, distances: null }),
    ],
    least: [remedy({ fade: 2, left: 0 }), remedy({ stand: 2, farther: 1.25, left: 0 })],
  }
  async function begin(told: object = { running: false, share: 1, trouble: '', result }) {
    store.level = partOf<Level>({
      ...store.level!,
      stock: [item('birch')],
      walks: { Rim: walk },
      atmosphere: AIR,
    })
    const asked = serve({
      ...AGAIN,
      'POST /api/levels/fell/walks/check': () => told,
      'GET /api/shelf/birch': { revision: 4 },
      'POST /api/shelf/birch/mend': { revision: 5 },
    })
    const stage = fakeStage()
    const draft = inScope(() => useDraft(() => null, useStores()))
    page = await show(WalkPanel, { stage, draft })
    await settled(30)
    return { asked, stage, draft, walks: useWalks() }
  }
  const looked = (stage: { look: ReturnType<typeof vi.fn> }) => stage.look.mock.lastCall![0] as { x: number }

  it('is stepped frame by frame and along the slider, between its ends', async () => {
    const { stage } = await begin()
    at('walk-on').click()
    expect(looked(stage).x).toBeCloseTo(3 / 60, 3)
    at('walk-back').click()
    at('walk-back').click()
    expect(looked(stage).x).toBe(0)
    expect(text()).toContain('0.0 of 10 s')
  })
  it('lists what is noticed with its states, goes there, rings the plant, and shows both', async () => {
    const { stage, walks } = await begin()
    expect(at('walk-noticed').textContent).toMatch(/15.*3\.46 ms/s)
    expect(at('walk-left-out').textContent).toContain('4–9 m')
    expect(
      [0, 1, 2].map((k) => at(`pop-${k}`).querySelector('.v-list-item-title')!.textContent.trim()),
    ).toEqual(['Stand 1: full mesh → mesh 2', 'Stand 1: shadow → no shadow', 'Stand 2: billboard → nothing'])
    at('pop-0').click()
    await nextTick()
    expect(stage.setRings.mock.lastCall![0]).toEqual([{ x: 20, z: 5, radius: 2 }])
    expect(looked(stage).x).toBeCloseTo(12, 3)
    await settled(800)
    expect(Math.abs(looked(stage).x - 12)).toBeCloseTo(1.35, 2)
    at('pop-0').click()
    await nextTick()
    expect([walks.pop, stage.setRings.mock.lastCall![0]]).toEqual([null, []])
  })
  it('offers only remedies that leave fewer pops than any cheaper one', async () => {
    await begin()
    const told = [...page!.place.querySelectorAll('[data-test^=remedy-] .v-list-item-title')].map((e) =>
      e.textContent.trim(),
    )
    expect(told).toEqual([
      'The fog: 50 % denser',
      'Stand 1: 25 % farther',
      'Stand 1: fades 2 times as wide',
      'Stand 1: without billboard',
    ])
  })
  it('tries a remedy as a draft of its stand, and the cheapest for all as one of several', async () => {
    const { draft, walks } = await begin()
    at('try-1').click()
    await settled(30)
    expect([store.selected, draft.settingsOf(store.stands[0]!).distances.gone]).toEqual([[1], 130])
    await until(() => Object.keys(walks.tried).length)
    expect(Object.keys(walks.tried)).toEqual(['1'])
    expect(walks.before).not.toBeNull()
    draft.drop()
    at('remedy-least').click()
    await settled(30)
    expect([store.selected, Object.keys(draft.changes.value.each ?? {})]).toEqual([
      [1, 2],
      ['1', '2'],
    ])
    at('try-0').click()
    expect(useAtmosphere().now!.fog.density).toBeCloseTo(0.003, 9)
  })
  it('tries another billboard in the check, and keeps it on the shelf', async () => {
    const crossed = remedy({ stand: 0, item: 'birch', billboard: 'crossed', left: 3, distances: null })
    const told = { ...result, remedies: [...result.remedies, crossed] }
    const { asked, walks } = await begin({ running: false, share: 1, trouble: '', result: told })
    const level = useLevel().level!
    const stock = level.stock.map((item) => ({ ...item, glb: `/stock/${item.slug}/4.glb` }))
    useLevel().level = { ...level, stock }
    expect(text()).toContain('two crossed cards as its billboard')
    const k = [...page!.place.querySelectorAll('[data-test^=remedy-] .v-list-item-title')].findIndex((e) =>
      e.textContent.includes('crossed'),
    )
    at(`try-${k}`).click()
    await until(() => asked.some((a) => (a.body as { billboards?: object })?.billboards))
    await nextTick()
    expect(walks.billboards).toEqual({ birch: 'crossed' })
    // The stage draws the item with it, as it would be on the shelf.
    const drawn = Object.fromEntries(walks.stock!.map((item) => [item.slug, item.glb]))
    expect(drawn).toEqual({
      ...Object.fromEntries(stock.map((item) => [item.slug, item.glb])),
      birch: '/stock/birch/4/billboard/crossed.glb',
    })
    expect(at('billboards-tried').textContent).toContain('two crossed cards')
    at('billboards-keep').click()
    await until(() => !Object.keys(walks.billboards).length)
    const mended = asked.find((a) => a.what === 'POST /api/shelf/birch/mend')!
    expect(mended.body).toEqual({ revision: 4, mend: 'billboard crossed' })
    expect(walks.trouble).toBe('')
  })
  it('is checked on request, with progress and a way to stop', async () => {
    const { asked } = await begin({ running: false, share: 0, trouble: '', result: null })
    expect(at('walk-check').textContent).toContain('Look for pops')
    at('walk-check').click()
    await settled(20)
    const sent = asked.filter((a) => a.what === 'POST /api/levels/fell/walks/check')
    expect(sent.map((a) => (a.body as { begin: boolean }).begin)).toEqual([false, true])
    useWalks().check = { running: true, share: 40, step: 'Looking', trouble: '', result: null }
    await nextTick()
    expect([!!at('walk-stop'), text().includes('Looking')]).toEqual([true, true])
  })
})

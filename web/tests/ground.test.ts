import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { Entry, Level, Shape, Stand, Wind } from '../src/api/client'
import LayerLooks from '../src/ground/LayerLooks.vue'
import PlotWeek from '../src/budget/PlotWeek.vue'
import ShapeList from '../src/ground/ShapeList.vue'
import WindMenu from '../src/level/WindMenu.vue'
import { useShapes } from '../src/ground/shapes'
import {
  at,
  openLevel,
  refuse,
  serve,
  settled,
  show,
  stand,
  until,
  uploads,
  write,
  changed,
  PULSE,
  kept,
  partOf,
} from './help'

let page: Awaited<ReturnType<typeof show>> | null = null
let store: ReturnType<typeof openLevel>
const ENTRY = partOf<Entry>({ id: 9, what: 'Kept', kind: 'shapes', gained: 0, lost: 0, cost: {} })
const WIND = { bearing: 230, speed: 6, strength: 0.4, wavelength: 40, turbulence: 0.3, loop: 8 } as Wind
const shape = (id: number, part: Partial<Shape>) =>
  partOf<Shape>({
    ...{ id, number: id, kind: 'area', form: 'line', name: `Area ${id}`, reach: 25_000, points: [] },
    ...{ round: null, box: null, width: 4, clear: null, locked: false, hidden: false, hatch: 'slant' },
    ...{ trail: null, ...part },
  })
beforeEach(() => {
  store = openLevel({ role: 'lead', wind: WIND })
  store.shapes = [
    shape(1, {}),
    shape(2, { kind: 'path', name: 'Tramway', reach: 812.4, hidden: true }),
    shape(3, { kind: 'obstacle', form: 'circle', name: 'Shaft', reach: 78.5 }),
  ]
})
afterEach(() => {
  page?.end()
  page = null
  document.body.innerHTML = ''
  vi.unstubAllGlobals()
})
const AGAIN = () => ({
  'GET /api/levels/fell/stands': () => store.stands,
  'GET /api/levels/fell/pulse': PULSE,
  'GET /api/levels/fell/shapes': () => store.shapes,
  'GET /api/levels/fell/masks': [],
  'GET /api/levels/fell/surfaces': [],
  'GET /api/levels/fell': () => store.level,
})
/** Put a file into a file field. */
function give(name: string, file: File): void {
  const input = at(name).querySelector<HTMLInputElement>('input[type=file]')!
  Object.defineProperty(input, 'files', { value: [file], configurable: true })
  input.dispatchEvent(new Event('change', { bubbles: true }))
}
const text = () => page!.place.textContent.replace(/\s+/g, ' ')

describe('the list of shapes', () => {
  it('says of each what it is and how large, and chooses one', async () => {
    serve(AGAIN())
    page = await show(ShapeList)
    const told = [1, 2, 3].map((id) => at(`shape-row-${id}`).textContent.replace(/\s+/g, ' ').trim())
    expect(told).toEqual(['Area 1area, 2.5 ha', 'Tramwaypath, 812 m', 'Shaftobstacle, 79 m²'])
    at('shape-row-2').click()
    await nextTick()
    expect([useShapes().chosen, at('shape-row-2').getAttribute('aria-pressed')]).toEqual([2, 'true'])
    at('shape-row-2').click()
    expect(useShapes().chosen).toBeNull()
    store.shapes = []
    await nextTick()
    expect(text()).toContain('No shapes yet.')
  })
  it('takes a tool with a word on how to use it, and lays it down again', async () => {
    serve(AGAIN())
    page = await show(ShapeList)
    at('tool-circle').click()
    await nextTick()
    expect(text()).toContain('Click its middle, then its rim.')
    at('tool-box').click()
    await nextTick()
    expect(text()).toContain('the middle of its front')
    at('tool-box').click()
    expect(useShapes().tool).toBeNull()
    store.level = { ...store.level!, role: 'viewer' }
    await nextTick()
    expect([at('tool-path'), at('shapes-file'), at('lock-1')]).toEqual([null, null, null])
    expect(at('shapes-out')).not.toBeNull()
  })
  it('locks one, and says why not', async () => {
    const asked = serve({
      ...AGAIN(),
      'POST /api/levels/fell/shapes': () => refuse('Tramway was removed meanwhile.'),
    })
    page = await show(ShapeList)
    at('lock-2').click()
    await until(() => at('shape-trouble'))
    expect(at('shape-trouble').textContent).toContain('removed meanwhile')
    const sent = asked.find((a) => a.what === 'POST /api/levels/fell/shapes')!.body as { put: Shape[] }
    expect(sent.put[0]).toMatchObject({ id: 2, locked: true, hidden: true })
  })
  it('brings shapes in from a file, or says what is wrong with it', async () => {
    serve(AGAIN())
    let said: unknown = 'file: that is no GeoJSON.'
    uploads(() => said)
    page = await show(ShapeList)
    give('shapes-file', new File(['{'], 'roads.json'))
    await until(() => at('shape-trouble'))
    expect(at('shape-trouble').textContent).toContain('no GeoJSON')
    said = changed(ENTRY, { shapes: [shape(4, { name: 'Road' })] })
    give('shapes-file', new File(['{}'], 'roads.json'))
    await until(() => at('shape-row-4'))
    expect(at('shape-trouble')).toBeNull()
    expect(store.difference?.what).toBe('Kept')
  })
})

describe('how ground layers look', () => {
  const layers: Level['layers'] = [{ name: 'slate', colour: '#5d6672', look: 'rock', texture: '/t.png' }]
  it('sends colour, look and picture one by one, each as an action', async () => {
    store.level = { ...store.level!, layers }
    uploads(() => changed(ENTRY))
    const asked = serve({ ...AGAIN(), 'PUT /api/levels/fell/layers/look': changed(ENTRY) })
    page = await show(LayerLooks)
    at('layer-slate').click()
    await until(() => at('texture-slate'))
    const button = (words: string) =>
      [...document.querySelectorAll<HTMLElement>('.look .v-btn')].find((e) => e.textContent.includes(words))!
    button('Take the picture away').click()
    await until(() => asked.some((a) => a.what.startsWith('PUT')))
    expect(asked.find((a) => a.what.startsWith('PUT'))!.body).toMatchObject({
      name: 'slate',
      texture: 'none',
    })
    expect(store.difference?.what).toBe('Kept')
    store.difference = null
    give('texture-slate', new File(['png'], 'slate.png'))
    await until(() => store.difference)
  })
  it('are added, renamed and removed by leads, who are told which stands look at one', async () => {
    store.level = { ...store.level!, layers }
    store.stands = [
      stand(1, {
        settings: partOf<Stand['settings']>({ conditions: [{ kind: 'layer', layers: ['slate'] }], mix: [] }),
      }),
      stand(2),
    ]
    const said: unknown[] = []
    const keep = (what: string) => kept(what, ENTRY)
    const asked = serve({
      ...AGAIN(),
      'POST /api/levels/fell/layers/add': keep('add'),
      'POST /api/levels/fell/layers/rename': keep('rename'),
      'POST /api/levels/fell/layers/remove': keep('remove'),
    })
    page = await show(LayerLooks)
    await write('layer-fresh', 'mud')
    await nextTick()
    at('layer-add').click()
    at('layer-slate').click()
    await until(() => at('layer-remove-slate'))
    expect(at('layer-readers-slate').textContent).toContain('Conditions of Stand 1 look at it')
    const name = await write('layer-name-slate', 'shale')
    name.dispatchEvent(new Event('change', { bubbles: true }))
    at('layer-remove-slate').click()
    await until(() => asked.filter((a) => a.what.startsWith('POST')).length === 3)
    for (const { what, body } of asked.filter((a) => a.what.startsWith('POST')))
      said.push([what.split('/').pop(), (body as { name: string }).name])
    expect(said).toEqual([
      ['add', 'mud'],
      ['rename', 'slate'],
      ['remove', 'slate'],
    ])
  })
  it('keeps who may only look from changing them, and says what the server says', async () => {
    store.level = { ...store.level!, layers, role: 'viewer' }
    page = await show(LayerLooks)
    expect((at('layer-slate') as HTMLButtonElement).disabled).toBe(true)
    store.level = { ...store.level, role: 'artist' }
    serve({ ...AGAIN(), 'PUT /api/levels/fell/layers/look': () => refuse('colour: that is no colour.') })
    await nextTick()
    at('layer-slate').click()
    await until(() => at('texture-slate'))
    document.querySelectorAll<HTMLElement>('.v-color-picker-swatches__color')[2]!.click()
    await until(() => text().includes('that is no colour'))
  })
})

describe('the wind', () => {
  it('blows on the stage as it is tried, and is kept or dropped', async () => {
    store.stands = [stand(1, { items: ['birch'] }), stand(2)]
    const blown: (Wind | null)[] = []
    const asked = serve({ ...AGAIN(), 'PUT /api/levels/fell/wind': kept('wind', ENTRY) })
    page = await show(WindMenu, { stage: { setWind: (wind: Wind | null) => blown.push(wind) } })
    at('wind').click()
    await until(() => at('wind-speed'))
    const type = async (name: string, value: string) => {
      const input = await write(name, value)
      input.dispatchEvent(new Event('change', { bubbles: true }))
      input.blur()
      await nextTick()
    }
    await type('wind-strength', '80')
    await until(() => blown[blown.length - 1]?.strength === 0.8)
    expect(blown[blown.length - 1]!.speed).toBe(6)
    await type('stiff-birch', '20')
    await until(() => blown[blown.length - 1]?.stiffness?.birch === 0.2)
    expect(store.level!.wind).toEqual(WIND)
    at('wind-keep').click()
    await until(() => at('wind-keep') === null)
    const sent = (asked.find((a) => a.what.startsWith('PUT'))!.body as { wind: Wind }).wind
    expect(sent).toEqual({ ...WIND, strength: 0.8, stiffness: { birch: 0.2 } })
    expect(store.level!.wind).toEqual(sent)
    await type('wind-speed', '0')
    await until(() => at('wind-keep'))
    const drop = [...document.querySelectorAll<HTMLElement>('[data-test=wind-sheet] .v-btn')].at(-1)!
    drop.click()
    await until(() => blown[blown.length - 1]?.speed === 6)
    at('wind-blows').querySelector('input')!.click()
    await until(() => blown[blown.length - 1] === null)
  })
})

describe('the plots of a team', () => {
  const plots = {
    North: { owner: 'north', area: 1, shares: { Console: { ms: 2, draw_calls: 120 } } },
    South: { owner: '', area: 2, shares: {} },
  }
  async function open(week: unknown) {
    serve({ 'GET /api/levels/fell/plots/week': week })
    const level = partOf<Level>({ ...store.level!, plots: { plots, outside: 'warned', requests: [] } })
    const routes = [{ path: '/:any(.*)*', component: { template: '<i />' } }]
    page = await show(PlotWeek, { level }, [createRouter({ history: createMemoryHistory(), routes })])
    await settled(30)
  }
  it('say what each may spend, what was done this week, and what that adds to a frame', async () => {
    const done = { plot: 'North', actions: 3, people: ['lead', 'north'], gained: 1200, lost: 7, ms: 0.125 }
    const traded = { ...ENTRY, at: '2026-03-04T10:00:00Z', who: 'lead', what: 'Plots and allotments' }
    await open({ plots: [done], changes: [traded] })
    expect(text()).toMatch(/Northnorth\s*Console: time 2\.00 ms, draw calls 120/)
    expect(text()).toMatch(/3 actions by lead, north: \+1 200 −7 plants, together \+0\.13 ms at the/)
    expect(text()).toMatch(/Southnobody\s*nothing was done/)
    expect(text()).toContain('Plots and allotments by lead')
  })
  it('stand there when the week cannot be read', async () => {
    await open(() => refuse('Not a member of this level.'))
    expect(text()).toMatch(/North.*nothing was done/)
    expect(text()).not.toContain('traded')
  })
})

import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, reactive } from 'vue'
import type { Distances, Import, Item, ItemDetail, LevelCard } from '../src/api/client'
import ImportSheet from '../src/ground/ImportSheet.vue'
import ItemEditor from '../src/stock/ItemEditor.vue'
import LevelMenu from '../src/level/LevelMenu.vue'
import NewStand from '../src/planting/NewStand.vue'
import SightlineChart from '../src/sightline/SightlineChart.vue'
import StandInForm from '../src/stock/StandInForm.vue'
import { useShelf } from '../src/stock/shelf'
import {
  at,
  choose,
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
  tried,
  partOf,
  pick,
} from './help'

type Shown = Awaited<ReturnType<typeof show>>
let page: Shown | null = null
let store: ReturnType<typeof openLevel>
beforeEach(() => {
  store = openLevel()
})
afterEach(() => {
  page?.end()
  page = null
  document.body.innerHTML = ''
  vi.unstubAllGlobals()
})
const text = () => page!.place.textContent.replace(/\s+/g, ' ')
const entry = { id: 1, what: 'Begun Birch', kind: 'stands', gained: 9, lost: 0, cost: {} }
const disabled = (name: string) => (at(name) as HTMLButtonElement).disabled
const value = (name: string) => at(name).querySelector('input')!.value
const AGAIN = {
  'GET /api/levels/fell': () => store.level,
  'GET /api/levels/fell/stands': () => store.stands,
  'GET /api/levels/fell/pulse': PULSE,
  'GET /api/levels/fell/shapes': [],
  'GET /api/levels/fell/masks': [],
  'GET /api/levels/fell/surfaces': [],
}
const item = (slug: string, part: Partial<Item> = {}) =>
  ({
    slug,
    lods: [{ triangles: 100, materials: 1, bytes: 1000, alpha_area: 0 }],
    name: slug[0]!.toUpperCase() + slug.slice(1),
    height: 8,
    crown: 2,
    trunk: 0.2,
    anchors: [],
    ...part,
  }) as Item

describe('what is done to a level as a whole', () => {
  const card = (role: string) => ({ slug: 'fell', name: 'Fell', role }) as LevelCard
  async function open(role: string, answers: Record<string, unknown> = {}) {
    const changed = vi.fn()
    const asked = serve(answers)
    page = await show(LevelMenu, { level: card(role), mayMake: true, onChanged: changed })
    at('menu-fell').click()
    await until(() => at('level-rename'))
    return { asked, changed }
  }
  const off = (name: string) => at(name).classList.contains('v-list-item--disabled')
  it('is a lead’s to rename and remove; others may copy', async () => {
    await open('artist')
    expect(['rename', 'copy', 'remove'].map((n) => off(`level-${n}`))).toEqual([true, false, true])
  })
  it('asks for the name, keeps it when it is refused, and is told when it is done', async () => {
    let taken = true
    const { asked, changed } = await open('lead', {
      'PUT /api/levels/fell/name': () => (taken ? refuse('Another level is called that.') : entry),
    })
    at('level-rename').click()
    await until(() => at('level-name'))
    await write('level-name', ' Tarn ')
    at('level-go').click()
    await until(() => document.body.textContent?.includes('Another level is called that.'))
    expect([changed.mock.calls.length, value('level-name')]).toEqual([0, ' Tarn '])
    taken = false
    at('level-go').click()
    await until(() => changed.mock.calls.length)
    expect((asked[1]!.body as { name: string }).name).toBe('Tarn')
  })
  it('says why it is not removed', async () => {
    await open('lead', { 'POST /api/levels/fell/remove': () => refuse('Somebody works in it.') })
    at('level-remove').click()
    await until(() => text().includes('Somebody works in it.'))
  })
})

describe('a new stand', () => {
  const proposal = tried(
    { gained: 1234 },
    { begun: [{ spacing: 4.5, fullness: 0.4, count: 1234 }] },
    { cost: { ms: 0.2, triangles: 5000 } },
  )
  async function begin(answers: Record<string, unknown> = {}) {
    store.level = {
      ...store.level!,
      stock: [
        item('birch'),
        item('log', { height: 1.5, crown: 1, trunk: 0.9 }),
        item('moss', { height: 0.1 }),
        item('sedge', {
          height: 0.5,
          crown: 0.3,
          trunk: 0.3,
          lods: [{ triangles: 4, materials: 1, bytes: 9, alpha_area: 0.2 }],
        }),
      ],
    }
    const asked = serve({
      ...AGAIN,
      'TRY /api/levels/fell/new-stand': proposal,
      'POST /api/levels/fell/new-stand': changed(entry, {}, { made: [2] }),
      ...answers,
    })
    page = await show(NewStand, { view: () => null })
    return asked
  }
  const stratum = () => at('new-stratum').textContent.replace(/\s+/g, ' ')
  it('begins by the form of its item, and says count and cost before it is kept', async () => {
    const asked = await begin()
    store.beginWith = 'birch'
    await until(() => at('new-count'))
    expect([value('new-name'), value('new-spacing'), value('new-fullness')]).toEqual(['Birch', '4.5', '40'])
    expect(stratum()).toContain('Canopy')
    expect(at('new-count').textContent.replace(/\s+/g, ' ')).toContain(
      'about 1 234 plantsin this view +0.20 ms, +5 000 triangles',
    )
    await write('new-fullness', '10')
    await until(() => asked.filter((a) => a.what.startsWith('TRY')).length > 1)
    expect(asked.filter((a) => a.what.startsWith('TRY')).pop()!.body).toMatchObject({ fullness: 0.1 })
    page!.place.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
    await until(() => at('new-stand'))
    expect(asked.find((a) => a.what === 'POST /api/levels/fell/new-stand')!.body).toMatchObject({
      name: 'Birch',
      item: 'birch',
      spacing: 4.5,
      fullness: 0.1,
    })
    expect(store.selected).toEqual([2])
  })
  it('begins with a kept mix, proposed by its widest item', async () => {
    const mix = ['sedge', 'birch'].map((slug) => ({ item: slug, weight: 1, footprint: 1, mark: '' }))
    const asked = await begin({
      'GET /api/kept-mixes': [{ id: 4, name: 'Thicket', by: 'south', items: ['sedge'], may_change: true }],
      'GET /api/levels/fell/kept-mixes/4': { mix, missing: [] },
    })
    at('new-stand').click()
    await until(() => at('new-mix'))
    await choose('new-mix', 'Thicket')
    await until(() => at('new-count'))
    expect(value('new-name')).toBe('Thicket')
    expect(asked.filter((a) => a.what.startsWith('TRY')).pop()!.body).toMatchObject({ item: 'birch', mix })
  })
  it('is of stones where it is as thick as it is wide, and of low things otherwise', async () => {
    await begin()
    for (const [slug, is] of [
      ['log', 'Stone'],
      ['moss', 'Field'],
      ['log', 'Stone'],
      ['sedge', 'Field'],
    ] as const) {
      store.beginWith = slug
      await until(() => at('new-stratum') && stratum().includes(is))
    }
  })
  it('is counted anew when its stratum changes while it is being counted', async () => {
    const asked = await begin({
      'TRY /api/levels/fell/new-stand': async () => {
        await settled(200)
        return proposal
      },
    })
    store.beginWith = 'birch'
    const tries = () => asked.filter((a) => (a.body as { item?: string } | undefined)?.item === 'birch')
    await until(() => tries().length)
    await choose('new-stratum', 'Shrub')
    await until(() => at('new-count'))
    expect(tries().map((a) => (a.body as { stratum: string }).stratum)).toEqual(['Canopy', 'Shrub'])
  })
  it('is not begun while it is refused', async () => {
    await begin({ 'TRY /api/levels/fell/new-stand': () => refuse('spacing: at least 0.2 m') })
    store.beginWith = 'birch'
    await until(() => at('new-trouble'))
    expect([at('new-trouble').textContent, disabled('new-add'), at('new-count')]).toEqual([
      'spacing: at least 0.2 m',
      true,
      null,
    ])
  })
})

describe('an item in its editor', () => {
  const detail = (part: object = {}) =>
    partOf<ItemDetail>({
      slug: 'log',
      name: 'Log',
      group: 'made thing',
      tags: ['wet'],
      note: '',
      height: 1,
      crown: 2,
      trunk: 0.3,
      revision: 7,
      glb: '',
      anchors: [{ name: 'end 1', at: [0, 0, 0], up: [0, 1, 0] }],
      states: [{ name: 'lod0', overdraw: 1.5 }],
      traits: {
        cutoff: 0.5,
        softness: 0,
        collider: 'none',
        stiffness: 0.5,
        casts_shadow: true,
        receives_shadow: true,
        becomes_billboard: true,
        faces_eye: false,
        untinted: [],
      },
      materials: ['bark', 'leaf'],
      ...part,
    })
  async function begin(answers: Record<string, unknown> = {}) {
    const close = vi.fn()
    const asked = serve({
      ...AGAIN,
      'PUT /api/shelf/log': (body: object) => ({ ...detail(), ...body }),
      'GET /api/shelf': { items: [], total: 0, tags: [], groups: [] },
      ...answers,
    })
    page = await show(ItemEditor, { item: detail(), onClose: close })
    await until(() => at('item-editor'))
    return { asked, close }
  }
  it('sends only the measures that were changed, and the item as it was read', async () => {
    const { asked, close } = await begin()
    await write('edit-height', '1.25')
    at('edit-casts').querySelector('input')!.click()
    await choose('edit-collider', 'box')
    await write('edit-cutoff', '35')
    await pick('edit-untinted', 'bark')
    at('edit-keep').click()
    await until(() => close.mock.calls.length)
    expect(asked.find((a) => a.what === 'PUT /api/shelf/log')!.body).toMatchObject({
      revision: 7,
      height: 1.25,
      crown: null,
      trunk: null,
      traits: { collider: 'box', casts_shadow: false, cutoff: 0.35, untinted: ['bark'] },
    })
    expect(useShelf().detail?.name).toBe('Log')
  })
  it('has a ring of four points round it, numbered on in their group, and each may go', async () => {
    const { asked, close } = await begin()
    at('anchor-ring').click()
    await nextTick()
    at('anchor-ring').click()
    await nextTick()
    const names = () => [...at('anchors').querySelectorAll('input')].map((e) => e.value)
    expect(names()).toEqual(['end 1', ...Array.from({ length: 8 }, (_, k) => `rim ${k + 1}`)])
    at('anchors').querySelector<HTMLElement>('.v-btn')!.click()
    await nextTick()
    at('edit-keep').click()
    await until(() => close.mock.calls.length)
    const { anchors } = asked.find((a) => a.what === 'PUT /api/shelf/log')!.body as {
      anchors: { at: [number, number, number] }[]
    }
    expect(anchors.length).toBe(8)
    for (const {
      at: [x, y, z],
    } of anchors)
      expect([Math.hypot(x, z), y]).toEqual([expect.closeTo(1.2), 0.9])
  })
  it('stays open with what was typed when somebody else has changed it', async () => {
    const { close } = await begin({ 'PUT /api/shelf/log': () => refuse('South has changed it since.') })
    await write('edit-name', 'Old log')
    at('edit-keep').click()
    await until(() => at('edit-trouble'))
    expect([at('edit-trouble').textContent, value('edit-name'), close.mock.calls.length]).toEqual([
      'South has changed it since.',
      'Old log',
      0,
    ])
  })
})

describe('a stand-in', () => {
  it('is made of a shape, a size and a colour', async () => {
    const kept = vi.fn()
    const asked = serve({ 'POST /api/shelf/new/stand-in': { slug: 'pine' } })
    page = await show(StandInForm, { onKept: kept })
    expect(disabled('stand-in-keep')).toBe(true)
    await write('stand-in-name', 'Pine')
    await write('stand-in-height', '9')
    await choose('stand-in-shape', 'ball')
    expect(page.place.querySelector('svg')!.getAttribute('aria-label')).toBe('A ball, 9 m high')
    at('stand-in-keep').click()
    await until(() => kept.mock.calls.length)
    expect(asked[0]!.body).toMatchObject({ name: 'Pine', shape: 'ball', height: 9, width: 3, group: 'tree' })
    expect(kept.mock.calls).toEqual([[['pine']]])
  })
})

describe('heights that are brought in', () => {
  const found = (part: object = {}) => ({
    kind: '16-bit PNG',
    columns: 513,
    rows: 257,
    cell: 2,
    low: null,
    high: null,
    lowest: 0,
    highest: 65535,
    raw: false,
    width: null,
    big_endian: null,
    names: [],
    shares: [],
    says: [],
    notes: ['It has no unit.'],
    wanted: '513 × 257',
    histogram: { counts: [1, 4, 9], edges: [0, 1, 2, 3] },
    ...part,
  })
  const draft = (part: object = {}) =>
    partOf<Import>({
      id: 'd1',
      state: 'ready',
      level: 'fell',
      step: '',
      share: 0,
      trouble: '',
      found: found(),
      forecast: null,
      ...part,
    })
  const forecast = (refused: boolean) => ({
    stands: [{ stand: 1, name: 'Birch', before: 100, after: 90, gained: 2, lost: 12, refused, notes: [] }],
    notes: [],
    views: [{ name: 'Rim', change: { ms: 0.5, triangles: -2000 } }],
  })
  const pick = async () => {
    const input = at('import-file').querySelector('input')!
    Object.defineProperty(input, 'files', { value: [new File(['x'], 'fell.png')], configurable: true })
    input.dispatchEvent(new Event('change', { bubbles: true }))
    await settled(120)
  }
  async function begin(answers: Record<string, unknown> = {}, props: object = {}) {
    const kept = vi.fn()
    const close = vi.fn()
    const asked = serve({ 'DELETE /api/drafts/d1': {}, ...answers })
    page = await show(ImportSheet, { kind: 'heights', level: 'fell', onKept: kept, onClose: close, ...props })
    return { asked, kept, close }
  }
  it('are shown as they were read, and kept only when what is typed has been read too', async () => {
    uploads(() => draft())
    const { asked, kept } = await begin({
      'PUT /api/drafts/d1': (body: object) => draft({ forecast: forecast(false), found: found(body) }),
      'GET /api/drafts/d1': draft({ forecast: forecast(false) }),
      'POST /api/drafts/d1/keep': draft({ state: 'kept' }),
    })
    expect(disabled('import-keep')).toBe(true)
    await pick()
    await until(() => at('import-numbers'))
    expect(at('import-numbers').textContent.replace(/\s+/g, ' ')).toContain(
      '16-bit PNG, 513 × 257 values: 1 024 m × 512 m',
    )
    expect([value('import-cell'), text().includes('It has no unit.')]).toEqual(['2', true])
    await write('import-cell', '1')
    expect(disabled('import-keep')).toBe(true)
    await until(() => !disabled('import-keep'))
    expect(asked.find((a) => a.what === 'PUT /api/drafts/d1')!.body).toMatchObject({ cell: 1 })
    expect(at('import-forecast').textContent.replace(/\s+/g, ' ')).toMatch(
      /Birch100 ?90 ?\+2 ?−12.*“Rim”: \+0\.50 ms time, −2 000 triangles/,
    )
    at('import-keep').click()
    await until(() => kept.mock.calls.length)
    expect(kept.mock.calls).toEqual([['fell']])
  })
  it('are not kept where a stand would be lost, nor as a level without a name', async () => {
    uploads(() => draft({ forecast: forecast(true) }))
    await begin()
    await pick()
    expect(disabled('import-keep')).toBe(true)
    page!.end()
    uploads(() => draft({ level: null }))
    await begin({}, { level: '' })
    await pick()
    expect(disabled('import-keep')).toBe(true)
    await write('import-name', 'Tarn')
    await until(() => !disabled('import-keep'))
  })
  it('say what is wrong with a file, take another, and are dropped with the sheet', async () => {
    uploads(() => 'This is no picture of heights.')
    const { asked, close } = await begin()
    await pick()
    expect(at('import-trouble').textContent?.trim()).toBe('This is no picture of heights.')
    uploads(() => draft())
    await pick()
    expect(at('import-trouble')).toBeNull()
    await pick()
    at('import-drop').click()
    const dropped = () => asked.map((a) => a.what).filter((what) => what.startsWith('DELETE'))
    await until(() => dropped().length > 1 && close.mock.calls.length)
    expect([dropped(), close.mock.calls.length]).toEqual([
      ['DELETE /api/drafts/d1', 'DELETE /api/drafts/d1'],
      1,
    ])
  })
  it('show progress while they are read, and can be stopped', async () => {
    uploads(() => draft({ state: 'reading', step: 'Filling hollows', share: 0.4, found: null }))
    await begin({
      'GET /api/drafts/d1': draft({ state: 'reading', step: 'Shading', share: 0.7, found: null }),
      'POST /api/drafts/d1/stop': draft({ state: 'failed', trouble: 'It was stopped.', found: null }),
    })
    await pick()
    expect(at('import-progress').textContent).toContain('Filling hollows')
    await until(() => at('import-progress').textContent?.includes('Shading'))
    at('import-stop').click()
    await until(() => at('import-trouble'))
    expect([at('import-trouble').textContent?.trim(), at('import-progress')]).toEqual([
      'It was stopped.',
      null,
    ])
  })
})

describe('the sightline chart', () => {
  const own: Distances = { steps: [20, 40], billboard: 80, gone: 160, fade: 8, shadow: 30, by_size: false }
  async function begin(locked = false) {
    const told: [number, string, number][] = []
    const grabbed: number[] = []
    const birch = stand(1, { slug: 'birch', settings: { ...stand(1).settings, distances: own } })
    const props = reactive({
      stands: [birch],
      distances: () => own,
      chain: () => ({ lods: 3, billboard: true }),
      crowd: { 1: [4, 0, 1] },
      reach: 150,
      seen: (m: number) => 1 / (1 + m / 100),
      selected: [1],
      locked,
      onGrab: (s: { id: number }) => grabbed.push(s.id),
      onEdge: (s: { id: number }, edge: { part: string }, metres: number) =>
        told.push([s.id, edge.part, metres]),
    })
    page = await show(SightlineChart, props)
    const svg = page.place.querySelector('svg')!
    svg.setPointerCapture = vi.fn()
    svg.getBoundingClientRect = () => ({ left: 0, top: 0, width: 240, height: 100 }) as DOMRect
    return { svg, told, grabbed }
  }
  const pointer = (kind: string, clientX: number) =>
    Object.assign(new MouseEvent(kind, { clientX, bubbles: true }), { pointerId: 1 })
  /** Where a distance lies, on a root scale that ends at 1.08 times the farthest end. */
  const x = (m: number) => 4 + Math.sqrt(m / (160 * 1.08)) * (240 - 12)
  it('has its edges dragged to the distance under the pointer', async () => {
    const { svg, told, grabbed } = await begin()
    const edge = at('edge-birch-billboard-from')
    edge.dispatchEvent(pointer('pointerdown', x(80)))
    svg.dispatchEvent(pointer('pointermove', x(100)))
    svg.dispatchEvent(pointer('pointermove', x(7.4)))
    svg.dispatchEvent(pointer('pointerup', x(7.4)))
    svg.dispatchEvent(pointer('pointermove', x(50)))
    expect(grabbed).toEqual([1])
    expect(told).toEqual([
      [1, 'billboard', 100],
      [1, 'billboard', 7.5],
    ])
    await nextTick()
    expect(svg.textContent).toContain('50 m: 67 % left')
  })
  it('has them moved by the arrow keys, ten times as far with Shift, and not when locked', async () => {
    const { told } = await begin()
    const press = (name: string, key: string, shiftKey = false) =>
      at(name).dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey, bubbles: true, cancelable: true }))
    press('edge-birch-gone', 'ArrowRight')
    press('edge-birch-mesh-2-from', 'ArrowLeft', true)
    expect(told).toEqual([
      [1, 'gone', 161],
      [1, 'step', 10],
    ])
    page!.end()
    const locked = await begin(true)
    press('edge-birch-gone', 'ArrowRight')
    at('edge-birch-gone').dispatchEvent(pointer('pointerdown', 0))
    locked.svg.dispatchEvent(pointer('pointermove', 50))
    expect(locked.told).toEqual([])
  })
})

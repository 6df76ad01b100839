import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, reactive } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { Device, Entry, Item, LevelCard, Shape } from '../src/api/client'
import { connection } from '../src/api/connection'
import { amount, signed, whole } from '../src/budget/budget'
import CostStrip from '../src/level/CostStrip.vue'
import JournalSheet from '../src/level/JournalSheet.vue'
import MixList from '../src/planting/MixList.vue'
import SignInAgain from '../src/pages/SignInAgain.vue'
import StandCard from '../src/planting/StandCard.vue'
import StatusLine from '../src/shared/StatusLine.vue'
import StrataColumn from '../src/level/StrataColumn.vue'
import { useDraft } from '../src/planting/useDraft'
import { useStores } from '../src/shared/stores'
import { useDrawing } from '../src/sightline/drawing'
import { useOutbox } from '../src/planting/outbox'
import { useSession } from '../src/pages/session'
import LevelList from '../src/pages/LevelList.vue'
import SignIn from '../src/pages/SignIn.vue'
import { PLAIN } from '../src/stage/drawing'
import {
  at,
  choose,
  inScope,
  openLevel,
  refuse,
  serve,
  settled,
  show,
  stand,
  until,
  write,
  changed,
  PULSE,
  partOf,
} from './help'

type Shown = Awaited<ReturnType<typeof show>>
let page: Shown | null = null
let store: ReturnType<typeof openLevel>
beforeEach(() => {
  store = openLevel()
  Object.assign(connection, { late: 0, away: '', signedOut: false })
})
afterEach(() => {
  page?.end()
  page = null
  document.body.innerHTML = ''
})
const entry = (part: Partial<Entry> = {}) =>
  ({
    id: 1,
    at: '2026-03-04T10:00:00Z',
    who: 'north',
    what: 'Birch: fullness',
    kind: 'settings',
    gained: 1234,
    lost: 0,
    cost: { ms: -0.25 },
    undone: false,
    ...part,
  }) as Entry
const text = () => page!.place.textContent.replace(/\s+/g, ' ')
const item = (slug: string, part: Partial<Item> = {}) =>
  ({ slug, name: slug[0]!.toUpperCase() + slug.slice(1), height: 8, crown: 2, anchors: [], ...part }) as Item
const AGAIN = {
  'GET /api/levels/fell/stands': () => store.stands,
  'GET /api/levels/fell/pulse': PULSE,
  'GET /api/levels/fell/shapes': [],
  'GET /api/levels/fell/masks': [],
  'GET /api/levels/fell/surfaces': [],
}

describe('numbers on the screen', () => {
  it('are said with their unit, thin spaces and a true minus', () => {
    expect(whole(1234567.4)).toBe('1\u202f234\u202f567')
    expect([amount('ms', 1.234), amount('memory', 3.26e6), amount('triangles', 99_999)]).toEqual([
      '1.23 ms',
      '3.3 MB',
      '99\u202f999',
    ])
    expect(amount('triangles', 1_234_567)).toBe('1235 k')
    expect([signed('5', 5), signed('-5', -5), signed('0', 0)]).toEqual(['+5', '−5', '0'])
  })
})

describe('the journal', () => {
  const gone: object[] = []
  const log = Array.from({ length: 130 }, (_, k) => entry({ id: 130 - k, who: k % 2 ? 'north' : 'south' }))
  async function journal(answers: Record<string, unknown> = {}) {
    const queries: URLSearchParams[] = []
    serve({ ...AGAIN, 'GET /api/levels/fell/journal': () => log.slice(0, 100), ...answers })
    const inner = globalThis.fetch
    globalThis.fetch = (input, init) => {
      const url = new URL((input as Request).url)
      if (url.pathname.endsWith('/journal')) queries.push(url.searchParams)
      return inner(input, init)
    }
    const props = reactive({
      modelValue: false,
      'onUpdate:modelValue': (v: boolean) => (props.modelValue = v),
      onGo: (view: object) => gone.push(view),
    })
    gone.length = 0
    page = await show(JournalSheet, props)
    props.modelValue = true
    await until(() => at('journal') && !at('journal').querySelector('.v-progress-linear--active'))
    await settled(30)
    return queries
  }
  it('is asked by person, stand, kind and time, and says when nothing is like that', async () => {
    const queries = await journal({ 'GET /api/levels/fell/journal': () => log.slice(0, 4) })
    expect(document.querySelectorAll('[data-test^=entry-]').length).toBe(4)
    await choose('journal-who', 'south')
    await choose('journal-stand', 'Stand 2')
    await choose('journal-topic', 'Kept views and walks')
    serve({ ...AGAIN, 'GET /api/levels/fell/journal': [] })
    await choose('journal-since', 'the last day')
    await until(() => at('journal-empty'))
    expect(at('journal-empty').textContent).toContain('Nothing like that')
    const last = queries[queries.length - 1]!
    expect(Object.fromEntries(last)).toMatchObject({ who: 'south', stand: '2', topic: 'views' })
  })
  it('goes back page by page from what is shown', async () => {
    const queries = await journal()
    at('older').click()
    await until(() => queries.some((q) => q.get('before') === '31'))
    await until(() => document.querySelectorAll('[data-test^=entry-]').length === 200)
  })
  it('takes an entry back, does it again, and says why not', async () => {
    const one = entry({ id: 7, lost: 3 })
    let undone = false
    await journal({
      'GET /api/levels/fell/journal': () => [{ ...one, undone }],
      'POST /api/levels/fell/journal/7/undo': () => ((undone = true), changed(one, {}, { lost: 9 })),
      'POST /api/levels/fell/journal/7/redo': () => refuse('South has changed fullness since.'),
    })
    expect(at('entry-7').textContent).toMatch(/\+1\u202f234.*−3.*−0\.25/s)
    at('flip-7').click()
    await until(() => at('entry-7').classList.contains('undone'))
    expect(store.difference).toMatchObject({ what: 'Undone: Birch: fullness', lost: 9 })
    at('flip-7').click()
    await until(() => at('journal-trouble'))
    expect(at('journal-trouble').textContent).toContain('South has changed')
  })
  it('leads to the dearest view that an action reaches', async () => {
    const worst = { x: 8, y: 402, z: 24, heading: 45, ms: 0.0375 }
    await journal({ 'GET /api/levels/fell/journal': () => [entry({ id: 7, worst }), entry({ id: 6 })] })
    expect([at('worst-7').textContent.trim(), at('worst-6')]).toEqual(['+0.037', null])
    at('worst-7').click()
    expect(gone).toEqual([{ x: 8, y: 402, z: 24, heading: 45, pitch: 0, fov: 55 }])
    await until(() => at('journal') === null)
  })
  it('says nothing of what was done while it cannot be read', async () => {
    await journal({ 'GET /api/levels/fell/journal': () => refuse('Not a member of this level.') })
    expect([at('journal-trouble').textContent?.trim(), at('journal-empty')]).toEqual([
      'Not a member of this level.',
      null,
    ])
  })
})

describe('the strata column', () => {
  const begin = async (answers: Record<string, unknown> = {}) => {
    store.stands = [
      stand(1, { slug: 'birch', name: 'Birch', settings: mixed(1, 'birch') }),
      stand(2, { slug: 'gorse', name: 'Gorse', stratum: 'Shrub', settings: mixed(2, 'birch') }),
      stand(3, { slug: 'moss', name: 'Moss', stratum: 'Moss', counted: false, settings: mixed(3, 'birch') }),
    ]
    store.level = { ...store.level!, stock: [item('birch')] }
    store.cost = partOf({
      total: { ms: 2 },
      stands: [{ stand: 1, ms: 1.5 }],
      ground: { ms: 0.1 },
    })
    const asked = serve({ ...AGAIN, ...answers })
    page = await show(StrataColumn, { view: () => null })
    return asked
  }
  const mixed = (id: number, slug: string) => ({
    ...stand(id).settings,
    mix: [{ item: slug, weight: 1, footprint: 1, mark: '' }],
  })
  const click = (name: string, part: MouseEventInit = {}) =>
    at(name).dispatchEvent(new MouseEvent('click', { bubbles: true, ...part }))
  it('says count and share of time, about so many where they are not counted yet', async () => {
    await begin()
    expect(at('stand-birch').textContent).toContain('75 % of time')
    expect([at('count-birch').textContent, at('count-moss').textContent]).toEqual(['10', '≈ 10'])
  })
  it('selects one by a click, several with Ctrl, and gives one back the same way', async () => {
    await begin()
    click('stand-gorse')
    click('stand-moss', { ctrlKey: true })
    expect(store.selected).toEqual([2, 3])
    click('stand-gorse', { shiftKey: true })
    expect(store.selected).toEqual([3])
    click('hide-birch')
    click('hide-moss')
    click('hide-birch')
    expect([...store.hidden]).toEqual([3])
  })
  it('moves a stand past its neighbour, into that one’s stratum, by Alt and an arrow', async () => {
    const asked = await begin({
      'POST /api/levels/fell/stands/3/move': changed(entry()),
      'POST /api/levels/fell/stands/1/move': changed(entry()),
    })
    const press = (name: string, key: string, altKey = true) =>
      at(name).dispatchEvent(new KeyboardEvent('keydown', { key, altKey, bubbles: true }))
    press('stand-moss', 'ArrowDown')
    press('stand-moss', 'ArrowUp', false)
    press('stand-moss', 'ArrowUp')
    press('stand-birch', 'ArrowDown')
    await settled(30)
    expect(asked.filter((a) => a.what.endsWith('/move')).map((a) => a.body)).toMatchObject([
      { stratum: 'Shrub', before: 2 },
      { stratum: 'Shrub', before: null },
    ])
    store.level = { ...store.level!, role: 'viewer' }
    press('stand-moss', 'ArrowUp')
    await settled(10)
    expect(asked.filter((a) => a.what.endsWith('/move')).length).toBe(2)
  })
  it('puts a dragged row before the one it is dropped on', async () => {
    const asked = await begin({ 'POST /api/levels/fell/stands/3/move': () => refuse('Moss is locked.') })
    const rows = page!.place.querySelectorAll('li')
    const drag = (kind: string, k: number) =>
      rows[k]!.dispatchEvent(new Event(kind, { bubbles: true, cancelable: true }))
    drag('dragstart', 2)
    drag('dragover', 0)
    drag('drop', 0)
    drag('dragend', 2)
    drag('drop', 1)
    await settled(30)
    expect(asked.filter((a) => a.what.endsWith('/move')).map((a) => a.body)).toMatchObject([
      { stratum: 'Canopy', before: 1 },
    ])
    expect(store.trouble).toBe('Moss is locked.')
  })
})

describe('the cost strip', () => {
  const COST = {
    triangles: 90_000,
    draw_calls: 60,
    shadow_calls: 30,
    shadow_triangles: 10,
    memory: 2e6,
    ms: 3,
  }
  it('shows how sure the milliseconds of a measured device are', async () => {
    store.level = { ...store.level!, tiers: { Desktop: { drawing: PLAIN, marks: MARKS, device: DEVICE } } }
    store.cost = partOf({ device: 'Ours', margin: 0.216, total: COST, ground: COST, stands: [] })
    serve(AGAIN)
    page = await show(CostStrip)
    expect(at('line-ms').textContent).toMatch(/± 0\.22 of 2\.50 ms/)
    store.cost = partOf({ ...(store.cost as object), margin: null })
    await nextTick()
    expect(at('line-ms').textContent).not.toContain('±')
  })
  const DEVICE = { name: 'Plain desktop' } as Device
  const MARKS = { ms: 2.5, triangles: 200_000, draw_calls: 80, shadow_triangles: 100, memory: 4e6 }
  it('sums a view by stand and ground against the tier’s marks, shadow calls among the calls', async () => {
    store.level = {
      ...store.level!,
      tiers: {
        Handheld: { drawing: PLAIN, marks: MARKS, device: DEVICE },
        Desktop: { drawing: PLAIN, marks: { ...MARKS, ms: 9 }, device: DEVICE },
      },
    }
    store.cost = partOf({
      total: COST,
      ground: { ...COST, ms: 1, triangles: 30_000 },
      stands: [{ stand: 1, ...COST, ms: 2, triangles: 60_000 }],
    })
    serve(AGAIN)
    page = await show(CostStrip)
    const drawing = useDrawing()
    expect([drawing.tier, at('line-ms').classList.contains('over')]).toEqual(['Desktop', false])
    expect(at('line-draw_calls').textContent).toMatch(/90 of 80/)
    const parts = [...at('line-ms').querySelectorAll<HTMLElement>('.gauge i')].map((e) => e.title)
    expect(parts).toEqual(['The ground: 1.00 ms', 'Stand 1: 2.00 ms', 'Stand 2: 0.00 ms'])
    await choose('tier', 'Handheld')
    expect([at('line-ms').classList.contains('over'), drawing.over]).toEqual([true, ['ms', 'draw_calls']])
  })
  it('says what the last action changed, and that it changed nothing here', async () => {
    serve(AGAIN)
    page = await show(CostStrip)
    expect(at('difference').textContent).toContain('What this view costs')
    store.note(
      entry({ gained: 12, lost: 4, cost: { ms: 0.2, triangles: -900, draw_calls: 1, shadow_calls: 2 } }),
    )
    await nextTick()
    expect(at('difference').textContent.replace(/\s+/g, ' ')).toContain(
      'Birch: fullness+12 −4 plants · +0.20 ms · −900 triangles · +3 calls',
    )
    store.note(entry({ gained: 0, lost: 0, cost: { ms: 0.001 } }))
    await nextTick()
    expect(at('difference').textContent).toContain('no difference in this view')
  })
})

describe('the mix of a stand', () => {
  async function begin(answers: Record<string, unknown> = {}) {
    store.level = { ...store.level!, stock: ['birch', 'rowan', 'gorse'].map((s) => item(s)) }
    const mix = [
      { item: 'birch', weight: 3, footprint: 1, mark: '' },
      { item: 'rowan', weight: 1, footprint: 1, mark: '' },
    ]
    store.stands = [stand(1, { settings: { ...stand(1).settings, mix } }), stand(2)]
    const asked = serve({
      ...AGAIN,
      ...answers,
    })
    const draft = inScope(() => useDraft(() => null, useStores()))
    page = await show(MixList, { draft, locked: false })
    return { asked, now: () => draft.shared((s) => s.mix).value }
  }
  it('is weighed, each with its share, and what an item has of its own is given back', async () => {
    const { now } = await begin()
    expect(text()).toContain('75 %')
    await write('weight-rowan', '9')
    expect(now().map((m) => m.weight)).toEqual([3, 9])
    at('own-birch').click()
    await nextTick()
    await write('sink-birch', '0.4')
    await write('size-birch-hi', '1.5')
    expect(now()[0]).toMatchObject({ sink: 0.4, size: [1, 1.5] })
    page!.place.querySelectorAll<HTMLElement>('.own .v-btn')[0]!.click()
    expect(now()[0]).toMatchObject({ sink: null, size: null })
  })
  it('is kept for all levels, and taken from what is kept, with what is not in stock left out', async () => {
    const kept = [{ id: 4, name: 'Thicket', by: 'south', items: ['gorse'], may_change: true }]
    const mix = [{ item: 'gorse', weight: 2, footprint: 1, mark: '' }]
    const names = ['Taken', 'Mine']
    const { asked, now } = await begin({
      'GET /api/kept-mixes': kept,
      'GET /api/levels/fell/kept-mixes/4': { mix, missing: ['yew'] },
      'POST /api/kept-mixes': (body: unknown) =>
        (body as { name: string }).name === 'Taken' ? refuse('Taken is south’s.') : kept[0],
    })
    await until(() => asked.some((a) => a.what === 'GET /api/kept-mixes'))
    at('kept-mixes').click()
    await until(() => at('kept-mix-name'))
    for (const name of names) {
      await write('kept-mix-name', name)
      at('kept-mix-save').click()
      await until(() => asked.filter((a) => a.what === 'POST /api/kept-mixes').length > names.indexOf(name))
      await settled(30)
      if (name !== 'Taken') continue
      expect(at('mix-trouble').textContent).toBe('Taken is south’s.')
      expect(at('kept-mix-name').querySelector('input')!.value).toBe('Taken')
    }
    expect(at('kept-mix-name').querySelector('input')!.value).toBe('')
    at('kept-mix-4').click()
    await until(() => now().length === 1)
    expect(now()).toEqual(mix)
    expect(at('mix-message').textContent).toContain('yew is not in the stock')
  })
  it('lets the weight of an item follow the ground', async () => {
    const { now } = await begin()
    at('own-rowan').click()
    await nextTick()
    await choose('drive-rowan', 'Wetness')
    expect(now()[1]!.drive).toMatchObject({ kind: 'wetness', density: true })
    await choose('drive-rowan', 'nothing')
    expect(now()[1]!.drive).toBeNull()
  })
})

describe('a stand on its card', () => {
  const part = { slug: 'birch', name: 'Birch' }
  const begin = async (own: object = {}, answers: Record<string, unknown> = {}) => {
    const change = vi.fn((body: unknown) => (void body, changed(entry())))
    const shapes = partOf<Shape[]>([{ id: 5, kind: 'area', name: 'Pit' }])
    const asked = serve({
      ...AGAIN,
      'GET /api/levels/fell/shapes': shapes,
      'POST /api/levels/fell/stands/1/change': change,
      'POST /api/levels/fell/stands/1/duplicate': changed(entry(), {}, { made: [2] }),
      'POST /api/levels/fell/stands/1/remove': changed(entry()),
      'POST /api/levels/fell/stands/1/clear': changed(entry()),
      'POST /api/levels/fell/clear': changed(entry()),
      ...answers,
    })
    store.shapes = shapes
    page = await show(StandCard, { stand: stand(1, { ...part, ...own }) })
    return { asked, change }
  }
  it('is renamed once, not by spaces, and keeps its name when that is refused', async () => {
    const { change } = await begin()
    let input = await write('stand-name', 'Birch ')
    input.dispatchEvent(new Event('blur'))
    input = await write('stand-name', ' Silver birch ')
    input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
    await settled(30)
    expect(change.mock.calls.map(([b]) => (b as { name: string }).name)).toEqual(['Silver birch'])
    page!.end()
    await begin(
      {},
      { 'POST /api/levels/fell/stands/1/change': () => refuse('Another stand is called that.') },
    )
    input = await write('stand-name', 'Gorse')
    input.dispatchEvent(new Event('blur'))
    await until(() => at('stand-trouble'))
    expect([at('stand-trouble').textContent, at('stand-name').querySelector('input')!.value]).toEqual([
      'Another stand is called that.',
      'Birch',
    ])
  })
  it('takes a seed that is a number and another one, and rolls one', async () => {
    const { change } = await begin()
    for (const typed of ['x7', '1', '42']) {
      const input = await write('stand-seed', typed)
      input.dispatchEvent(new Event('change', { bubbles: true }))
    }
    at('stand-roll').click()
    await settled(30)
    const seeds = change.mock.calls.map(([b]) => (b as { seed: number }).seed)
    expect([seeds.length, seeds[0], Number.isInteger(seeds[1])]).toEqual([2, 42, true])
  })
  it('is cleared everywhere or in an area, alone or with all others', async () => {
    const { asked } = await begin()
    const clear = async (choose: () => HTMLElement | undefined | null) => {
      await until(() => !at('stand-clear').hasAttribute('disabled'))
      at('stand-clear').click()
      ;(await until(choose)).click()
      await settled(100)
      await until(() => at('stand-clear').getAttribute('aria-expanded') === 'false')
    }
    const entries = () => [...document.querySelectorAll<HTMLElement>('.v-overlay--active .v-list-item')]
    await clear(() => at('clear-all'))
    await clear(() => entries().find((e) => e.textContent?.trim() === 'in Pit'))
    await clear(() => at('clear-every'))
    await settled(30)
    const sent = asked.filter((a) => a.what.endsWith('/clear'))
    expect(sent.map((a) => [a.what, (a.body as { area: number | null }).area])).toEqual([
      ['POST /api/levels/fell/stands/1/clear', null],
      ['POST /api/levels/fell/stands/1/clear', 5],
      ['POST /api/levels/fell/clear', null],
    ])
  })
  it('is duplicated and then selected; a locked one can only be unlocked or duplicated', async () => {
    await begin()
    at('stand-duplicate').click()
    await settled(30)
    expect(store.selected).toEqual([2])
    page!.end()
    await begin({ locked: true })
    const off = ['name', 'seed', 'stratum'].map((n) =>
      at(`stand-${n}`).classList.contains('v-input--disabled'),
    )
    const buttons = ['roll', 'clear', 'remove', 'lock', 'duplicate'].map(
      (n) => (at(`stand-${n}`) as HTMLButtonElement).disabled,
    )
    expect([off, buttons]).toEqual([
      [true, true, true],
      [true, true, true, false, false],
    ])
  })
})

describe('what is said over the stage', () => {
  it('is that the server is away before all else, then what went wrong, then what waits', async () => {
    page = await show(StatusLine)
    expect(at('message')).toBeNull()
    connection.late = 1
    await nextTick()
    expect(text()).toContain('slow to answer')
    const outbox = useOutbox()
    outbox.waiting = partOf([{ key: 'a' }, { key: 'b' }])
    await nextTick()
    expect(text()).toContain('2 strokes wait in this browser to be sent.')
    outbox.keeps = false
    store.trouble = 'Birch is locked.'
    await nextTick()
    expect(text()).toContain('Birch is locked.')
    connection.away = 'The server does not answer.'
    await nextTick()
    expect(text()).toContain(
      'does not answer. 2 strokes wait in this browser to be sent. This browser does not',
    )
    connection.away = ''
    await nextTick()
    page.place.querySelector<HTMLElement>('button')!.click()
    expect(store.trouble).toBe('')
  })
})

describe('signing in', () => {
  const router = () =>
    createRouter({
      history: createMemoryHistory(),
      routes: ['/levels', '/sign-in', '/levels/:slug', '/levels/:slug/:bench', '/audit'].map((path) => ({
        path,
        component: { render: () => null },
      })),
    })
  it('goes where one was going, and says what is wrong with the form still there', async () => {
    serve({ 'POST /api/session': () => refuse('Name and password do not fit.') })
    const way = router()
    await way.push('/sign-in?to=/levels/fell')
    page = await show(SignIn, {}, [way])
    await write('name', 'north')
    await write('password', 'wrong')
    page.place.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
    await until(() => at('trouble'))
    expect([at('trouble').textContent, at('name').querySelector('input')!.value]).toEqual([
      'Name and password do not fit.',
      'north',
    ])
    const asked = serve({ 'POST /api/session': { name: 'north', first: false, keys: { thin: 'f' } } })
    page.place.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
    await until(() => way.currentRoute.value.path === '/levels/fell')
    expect(asked[0]!.body).toEqual({ name: 'north', password: 'wrong' })
    expect([useSession().name, useStores().keys.of('thin')]).toEqual(['north', 'F'])
  })
  it('for the first time makes the account with the code', async () => {
    const asked = serve({ 'POST /api/session/first': { name: 'lead', first: false, keys: {} } })
    useSession().first = true
    const way = router()
    await way.push('/sign-in')
    page = await show(SignIn, {}, [way])
    for (const [field, value] of Object.entries({ code: 'c0de', name: 'lead', password: 'ten letters' }))
      await write(field, value)
    page.place.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
    await until(() => way.currentRoute.value.path === '/levels')
    expect(asked[0]!.body).toEqual({ name: 'lead', password: 'ten letters', code: 'c0de' })
  })
  it('again, when it has ended, goes on where one was', async () => {
    useSession().name = 'north'
    connection.signedOut = true
    const back = vi.fn()
    let right = false
    serve({
      'POST /api/session': () =>
        right ? { name: 'north', first: false, keys: {} } : refuse('Wrong password.'),
    })
    page = await show(SignInAgain, { onBack: back })
    await until(() => at('sign-in-again'))
    const sheet = at('sign-in-again')
    const submit = () => sheet.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
    submit()
    await until(() => sheet.textContent?.includes('Wrong password.'))
    expect([back.mock.calls.length, connection.signedOut]).toEqual([0, true])
    right = true
    submit()
    await until(() => back.mock.calls.length)
    expect(connection.signedOut).toBe(false)
  })

  const card = (part: Partial<LevelCard>): LevelCard =>
    ({
      slug: part.name!.toLowerCase(),
      role: 'artist',
      plan: '',
      width: 1024,
      length: 512,
      plants: 10,
      fresh: true,
      over: [],
      views: 2,
      changed: '2026-01-01',
      ...part,
    }) as LevelCard
  async function list(levels: LevelCard[], gone: object[] = []) {
    const asked = serve({
      'GET /api/levels': () => levels,
      'GET /api/removed-levels': gone,
      'POST /api/removed-levels/tarn/bring-back': {},
    })
    const way = router()
    await way.push('/levels')
    page = await show(LevelList, {}, [way])
    await until(() => !text().includes('Reading the list'))
    return asked
  }
  const names = () => [...page!.place.querySelectorAll('h2')].map((e) => e.textContent)
  it('shows the levels by what is asked for, and what is over in them', async () => {
    await list([
      card({ name: 'Fell', plants: 5, changed: '2026-01-03', over: ['Rim', 'Pit'] }),
      card({ name: 'Beck', plants: null, fresh: false, changed: null }),
      card({ name: 'Crag', plants: 900, changed: '2026-01-02' }),
    ])
    expect(names()).toEqual(['Beck', 'Crag', 'Fell'])
    expect(text()).toContain('over in 2 of 2 views: “Rim”, “Pit”')
    expect(text()).toContain('being counted')
    ;(await until(() => at('by-changed'))).click()
    await nextTick()
    expect(names()).toEqual(['Fell', 'Crag', 'Beck'])
    at('by-plants').click()
    await nextTick()
    expect(names()).toEqual(['Crag', 'Fell', 'Beck'])
    const search = page!.place.querySelector<HTMLInputElement>('input[type=search], .v-text-field input')!
    search.value = 'AG cr'
    search.dispatchEvent(new Event('input', { bubbles: true }))
    await nextTick()
    expect(names()).toEqual(['Crag'])
    search.value = 'nowhere'
    search.dispatchEvent(new Event('input', { bubbles: true }))
    await nextTick()
    expect(text()).toContain('No level is called that.')
  })
  it('offers only what one may, and brings a removed level back', async () => {
    const asked = await list(
      [card({ name: 'Fell', role: 'viewer' })],
      [{ slug: 'tarn', name: 'Tarn', until: '2026-02-01T00:00:00Z' }],
    )
    expect([at('new-level'), at('open-audit')]).toEqual([null, null])
    at('bring-back-tarn').click()
    await until(() => asked.filter((a) => a.what === 'GET /api/levels').length > 1)
    expect(asked.some((a) => a.what.endsWith('/bring-back'))).toBe(true)
    page!.end()
    await list([])
    expect([text(), !!at('new-level')]).toEqual([expect.stringContaining('Ask a lead for a link'), false])
    useSession().mayMake = true
    await until(() => at('new-level'))
    expect(text()).toContain('Begin one, or ask a lead')
    page!.end()
    await list([card({ name: 'Fell', role: 'lead' })])
    expect(!!at('open-audit')).toBe(true)
  })
})

import { beforeEach, describe, expect, it } from 'vitest'
import { createPinia, setActivePinia } from 'pinia'
import { nextTick } from 'vue'
import { ApiError, answer, api, type Atmosphere, type ShapeIn } from '../src/api/client'
import { connection } from '../src/api/connection'
import { useDraft } from '../src/planting/useDraft'
import { useStores } from '../src/shared/stores'
import { useAtmosphere } from '../src/sightline/atmosphere'
import { useBrush } from '../src/planting/brush'
import { useLevel } from '../src/level/level'
import { useKeys } from '../src/level/keys'
import { useOutbox } from '../src/planting/outbox'
import { cornersOf, movedBy, useShapes } from '../src/ground/shapes'
import { useTool } from '../src/planting/tool'
import { useTrial, type Send } from '../src/level/trial'
import {
  inScope,
  leave,
  openLevel,
  refuse,
  serve,
  settled,
  changed,
  PULSE,
  kept,
  tried,
  base64,
  until,
  partOf,
} from './help'
import { drawer } from './drawer'

/** What the browser keeps over a reload. */

const AIR = {
  sun: { bearing: 200, elevation: 40, colour: '#fff6e3', strength: 1 },
  sky: { horizon: '#d4d5d0', zenith: '#89a6be', clouds: 0.5 },
  fog: {
    kind: 'exponential',
    density: 0.001,
    start: 20,
    end: 90,
    thinning: 0,
    level: 0,
    colour: '',
    hides: false,
  },
  waters: [],
} as Atmosphere

let store: ReturnType<typeof openLevel>
beforeEach(() => {
  store = openLevel()
  serve({})
})
const entry = (part = {}) => ({
  id: 1,
  what: 'Birch: fullness',
  kind: 'settings',
  gained: 3,
  lost: 1,
  cost: {},
  ...part,
})

describe('the tool in hand', () => {
  it('is one thing: taking up another puts it down', () => {
    const [tool, brush, shapes] = [useTool(), useBrush(), useShapes()]
    brush.take('thin')
    expect(tool.inHand).toEqual({ kind: 'brush', what: 'thin' })
    shapes.take('path')
    expect([brush.verb, shapes.tool]).toEqual([null, 'path'])
    tool.why = true
    expect([shapes.tool, tool.why]).toEqual([null, true])
    brush.verb = null
    expect(tool.why).toBe(true)
    tool.why = null
    expect(tool.inHand).toBeNull()
    brush.take('thin')
    brush.take('thin')
    expect(tool.inHand).toBeNull()
  })
})

describe('the brush', () => {
  it('keeps a radius that makes sense', () => {
    const brush = useBrush()
    for (const [typed, then] of [
      [30, 30],
      [Number.NaN, 30],
      [-4, 30],
      [9999, 200],
      [0.01, 0.5],
    ] as const) {
      brush.radius = typed
      expect(brush.radius).toBe(then)
    }
  })
  it('works on the selected stands, or on all of their strata that are not locked', () => {
    const brush = useBrush()
    brush.take('thicken')
    store.stands = [
      ...store.stands,
      { ...store.stands[0]!, id: 3 },
      { ...store.stands[0]!, id: 4, locked: true },
    ]
    expect(brush.targets.map((s) => s.id)).toEqual([1])
    brush.scope = 'stratum'
    expect(brush.targets.map((s) => s.id)).toEqual([1, 3])
    expect(brush.stroke([[1, 2]], null, true)).toMatchObject({ stand: 1, also: [3], verb: 'thin' })
  })
})

describe('keys', () => {
  it('are given to other actions, but never one to two, and fixed ones to none', async () => {
    const keys = useKeys()
    serve({
      'PUT /api/session/keys': (body: unknown) => ({ name: 'north', first: false, ...(body as object) }),
    })
    expect(await keys.change('thin', 't')).toContain('taken by: Thicken')
    expect(await keys.change('thin', 'Escape')).toContain('fixed meaning')
    expect(await keys.change('thin', 'F')).toBe('')
    expect([keys.of('thin'), keys.byKey.get('f'), keys.changed]).toEqual(['F', 'thin', true])
  })
})

describe('the API', () => {
  const ask = () => answer(api.GET('/api/levels/{slug}', { params: { path: { slug: 'fell' } } }))
  it('throws a refusal with its sentence and fields', async () => {
    serve({ 'GET /api/levels/fell': () => refuse('No such level.', { fields: ['slug'] }) })
    const error = await ask().catch((e: ApiError) => e)
    expect(error).toBeInstanceOf(ApiError)
    expect(error).toMatchObject({ status: 422, message: 'No such level.', fields: ['slug'], final: true })
  })
  it('knows a server that does not answer, and that it may yet', async () => {
    globalThis.fetch = async () => Promise.reject(new TypeError('refused'))
    const error = await ask().catch((e: ApiError) => e)
    expect(error).toMatchObject({ status: 0, final: false })
    expect(connection.away).toContain('does not answer')
    serve({ 'GET /api/levels/fell': { slug: 'fell' } })
    expect(await ask()).toEqual({ slug: 'fell' })
    expect(connection.away).toBe('')
  })
  it('takes an answer that breaks off halfway for none', async () => {
    const half = new ReadableStream({
      pull: (to) => (
        to.enqueue(new TextEncoder().encode('{"slug"')),
        to.error(new TypeError('network error'))
      ),
    })
    globalThis.fetch = async () => new Response(half)
    expect(await ask().catch((e: ApiError) => e)).toMatchObject({ status: 0, final: false })
    expect(connection.away).toContain('does not answer')
  })
  it('renews the page token once, and sends the same again', async () => {
    let tries = 0
    const asked = serve({
      'PUT /api/levels/fell/name': () =>
        tries++ ? entry() : new Response('{"detail": "CSRF check Failed"}', { status: 403 }),
      'GET /api/session': { name: 'north' },
    })
    await answer(
      api.PUT('/api/levels/{slug}/name', {
        params: { path: { slug: 'fell' } },
        body: { key: 'k', name: 'Tarn' },
      }),
    )
    expect(asked.map((a) => a.what)).toEqual([
      'PUT /api/levels/fell/name',
      'GET /api/session',
      'PUT /api/levels/fell/name',
    ])
    expect(asked[2]!.body).toEqual({ key: 'k', name: 'Tarn' })
  })
})

describe('strokes on their way', () => {
  const stroke = (key: string) => ({ ...useBrush().stroke([[1, 1]], null), key })
  beforeEach(() => useBrush().take('thin'))
  it('are stored in order, wait while the server is away, and are dropped only with its reason', async () => {
    const outbox = useOutbox()
    await outbox.open('north', 'fell')
    let away = true
    const third = stroke('c')
    const sent: string[] = []
    serve({
      'POST /api/levels/fell/strokes': (body: unknown) => {
        const { key } = body as { key: string }
        if (away) return new Response('', { status: 503 })
        if (key === 'b') return refuse('Birch is locked.')
        sent.push(key)
        return { entry: entry(), stand: 1, keys: {} }
      },
    })
    const stored = async () => {}
    expect(await outbox.add(stroke('a'), stored)).toBe('waiting')
    expect(await outbox.add(stroke('b'), stored)).toBe('waiting')
    setActivePinia(createPinia())
    const after = useOutbox()
    expect(await after.open('north', 'fell')).toBe(2)
    away = false
    expect(await after.add(third, stored)).toBe('stored')
    expect([sent, after.waiting.length, drawer.get('kt-strokes/north/fell')]).toEqual([['a', 'c'], 0, []])
    expect(after.refused).toContain('Birch is locked.')
  })
})

describe('an action that is tried before it is kept', () => {
  const places = base64(new Uint32Array([1, 2, 0, 0, 0, 0, 0, 0]).buffer)
  const PATH = '/api/levels/fell/stands/1/duplicate'
  const send: Send = (view, headers) =>
    api.POST('/api/levels/{slug}/stands/{stand}/duplicate', {
      params: { path: { slug: 'fell', stand: 1 } },
      body: { key: crypto.randomUUID(), view },
      headers,
    })
  it('waits with its plants marked, is kept once, and may be refused or given up', async () => {
    let troubled = true
    const asked = serve({
      [`TRY ${PATH}`]: tried({ gained: 30, lost: 4, moved: { 1: [0, 4] } }, { places }),
      [`POST ${PATH}`]: () => (troubled ? refuse('Birch is gone.') : changed(entry(), {}, { made: [2] })),
    })
    const trial = useTrial()
    const made = trial.ask('Duplicate Birch', send)
    await until(() => trial.asked)
    expect([trial.marks!.came.length, trial.marks!.went.length, trial.tried!.moved]).toEqual([
      2,
      4,
      { 1: [0, 4] },
    ])
    await trial.keep()
    expect([trial.trouble, trial.asked!.what]).toEqual(['Birch is gone.', 'Duplicate Birch'])
    troubled = false
    await trial.keep()
    expect([await made, trial.asked, trial.marks, store.selected]).toEqual([2, null, null, [2]])
    const again = trial.ask('Duplicate Birch', send)
    await until(() => trial.asked)
    trial.drop()
    expect([await again, trial.asked]).toEqual([null, null])
    const keys = asked.map((a) => (a.body as { key: string }).key)
    expect([asked.map((a) => a.what.split(' ')[0]), new Set(keys).size]).toEqual([
      ['TRY', 'POST', 'POST', 'TRY'],
      4,
    ])
  })
  it('is kept at once where no plant and no cost changes, and says what is refused', async () => {
    const asked = serve({ [`POST ${PATH}`]: changed(entry(), {}, { made: [2] }) })
    expect(await useTrial().ask('Duplicate Birch', send)).toBe(2)
    expect(asked.map((a) => a.what)).toEqual([`POST ${PATH}`])
    serve({ [`TRY ${PATH}`]: () => refuse('Birch is gone.') })
    await expect(useTrial().ask('Duplicate Birch', send)).rejects.toThrow('Birch is gone.')
    expect(useTrial().asked).toBeNull()
  })
})

describe('a draft of settings', () => {
  const places = base64(new Uint32Array([1, 0, 0, 0]).buffer)
  const answers = {
    'TRY /api/levels/fell/stands': tried({ gained: 12, lost: 2 }, { counts: { 1: 20, 2: 5 }, places }),
  }
  const begin = () => inScope(() => useDraft(() => null, useStores()))
  it('is put aside when another stand is selected, outlives the page, and is taken up again', async () => {
    serve(answers)
    const draft = begin()
    draft.change({ fullness: 0.25 })
    await nextTick()
    store.selected = [2]
    await nextTick()
    expect(draft.dirty.value).toBe(false)
    store.selected = [1]
    await nextTick()
    expect([draft.changes.value.fullness, draft.again.value]).toEqual([0.25, true])
    leave()
    const later = begin()
    later.takeUp()
    expect(later.changes.value.fullness).toBe(0.25)
    later.drop()
    await nextTick()
    leave()
    const last = begin()
    last.takeUp()
    expect(last.dirty.value).toBe(false)
  })
  it('shows what several stands share, and what they do not as mixed', () => {
    const draft = begin()
    store.selected = [1, 2]
    expect(draft.shared((s) => s.fullness)).toEqual({ value: 0.5, mixed: false })
    store.stands = store.stands.map((s) =>
      s.id === 2 ? { ...s, settings: { ...s.settings, fullness: 0.9 } } : s,
    )
    expect(draft.shared((s) => s.fullness).mixed).toBe(true)
    draft.change({ fullness: 0.3 })
    expect(draft.shared((s) => s.fullness)).toEqual({ value: 0.3, mixed: false })
  })
  it('may give each stand distances of its own, kept together with what each had', async () => {
    const asked = serve({ ...answers, 'PATCH /api/levels/fell/stands': changed(entry()) })
    const draft = begin()
    store.selected = [1, 2]
    await nextTick()
    draft.change({ each: { 1: { gone: 120 }, 2: { gone: 60 } } })
    draft.change({ each: { 1: { fade: 6 } } })
    expect(draft.shared((s) => s.distances.gone)).toEqual({ value: 120, mixed: true })
    const sent = await until(() => asked.find((a) => a.what.startsWith('TRY')))
    await settled()
    expect([sent.parts, draft.tried.value?.count]).toEqual(['own', 25])
    await draft.keep()
    expect(asked.find((a) => a.what.startsWith('PATCH'))?.body).toMatchObject({
      stands: {
        1: { settings: { distances: { gone: 120, fade: 6 } }, was: { distances: { gone: 100, fade: 4 } } },
        2: { settings: { distances: { gone: 60, fade: 4 } }, was: { distances: { gone: 100 } } },
      },
    })
  })
  it('changes one end of a range of all and leaves each its own other end', async () => {
    const asked = serve({ ...answers, 'PATCH /api/levels/fell/stands': changed(entry()) })
    const [first, second] = [store.stands[0]!, store.stands[1]!]
    const settings = { ...second.settings, tints: ['#111111', '#222222'] as [string, string] }
    store.stands = [
      { ...first, settings: { ...first.settings, tints: ['#111111', '#222222'] } },
      { ...second, settings: { ...settings, variation: { ...settings.variation, size: [0.5, 3] } } },
    ]
    const draft = begin()
    store.selected = [1, 2]
    await nextTick()
    draft.change({ variation: { size: [0.4, null] } })
    draft.change({ variation: { lean: 2 }, tints: [null, '#333333'] })
    expect(draft.shared((s) => s.variation.size[0])).toEqual({ value: 0.4, mixed: false })
    expect(draft.shared((s) => s.variation.size[1])).toEqual({ value: 1, mixed: true })
    draft.change({ tints: ['#444444', null] })
    await draft.keep()
    expect(asked.find((a) => a.what.startsWith('PATCH'))?.body).toMatchObject({
      stands: {
        1: { settings: { variation: { size: [0.4, 1], lean: 2 } }, was: { variation: { size: [1, 1] } } },
        2: {
          settings: { variation: { size: [0.4, 3] }, tints: ['#444444', '#333333'] },
          was: { variation: { size: [0.5, 3] }, tints: ['#111111', '#222222'] },
        },
      },
    })
  })
  it('marks the plants that go of those stands alone that are to be thinned', async () => {
    const asked = serve(answers)
    const draft = begin()
    store.selected = [1, 2]
    await nextTick()
    draft.change({ each: { 1: { gone: 120 } }, fullnesses: { 2: 0.2 } })
    await settled(200)
    const [only, ...more] = asked.filter((a) => a.what.startsWith('TRY'))
    expect([more.length, only!.body]).toMatchObject([0, { stands: { 2: { settings: { fullness: 0.2 } } } }])
    expect([draft.marks.value.came.length, draft.tried.value!.count]).toEqual([2, 25])
  })
  it('is kept with what it was begun on; what is refused stays', async () => {
    const draft = begin()
    const asked = serve({
      ...answers,
      'PATCH /api/levels/fell/stands/1': () =>
        refuse('fullness: too full', { fields: ['settings.fullness'] }),
    })
    draft.change({ fullness: 0.9, variation: { lean: 3 } })
    await settled(200)
    expect(await draft.keep()).toBe(false)
    expect(asked.find((a) => a.what.startsWith('PATCH'))?.body).toMatchObject({
      settings: { fullness: 0.9, variation: { lean: 3, size: [1, 1] } },
      was: { fullness: 0.5, variation: { lean: 0 } },
    })
    expect([draft.changes.value.fullness, draft.trouble.value, draft.fields.value]).toEqual([
      0.9,
      'fullness: too full',
      ['settings.fullness'],
    ])
  })
})

describe('an atmosphere', () => {
  it('is tried by parts, outlives the page, stays when refused and goes when kept', async () => {
    store.level = { ...store.level!, atmosphere: AIR }
    const air = useAtmosphere()
    air.change({ fog: { kind: 'linear', end: 5 } })
    air.change({ sun: { elevation: 12 } })
    expect([air.now!.fog.end, air.now!.fog.start, air.now!.sun.bearing]).toEqual([5, 20, 200])
    await nextTick()
    setActivePinia(createPinia())
    useLevel().level = store.level
    const after = useAtmosphere()
    expect([after.draft!.sun.elevation, after.now!.fog.kind]).toEqual([12, 'linear'])
    serve({
      'PUT /api/levels/fell/atmosphere': () => refuse('fog: end lies before start', { fields: ['fog'] }),
    })
    expect([await after.keep(), after.trouble, after.draft === null]).toEqual([
      false,
      'fog: end lies before start',
      false,
    ])
    const asked = serve({
      'PUT /api/levels/fell/atmosphere': kept('atmosphere', entry()),
      'GET /api/levels/fell/pulse': {},
    })
    expect([await after.keep(), after.draft, useLevel().level!.atmosphere.fog.end]).toEqual([true, null, 5])
    expect(asked[0]!.body).toMatchObject({ atmosphere: { sun: { elevation: 12 }, waters: [] } })
  })
})

describe('a shape', () => {
  it('is tried before it is kept, and its draft outlives another choice', async () => {
    const asked = serve({
      'TRY /api/levels/fell/shapes': changed({}, {}, { moved: { 1: [0, 7] } }),
      'POST /api/levels/fell/shapes': changed(entry(), { shapes: [{ id: 5 }] }),
      'GET /api/levels/fell/pulse': PULSE,
    })
    const shapes = useShapes()
    shapes.take('circle')
    await shapes.press(10, 10)
    await shapes.press(10, 16)
    expect([shapes.tool, shapes.shown.length, store.shapes.length]).toEqual([null, 1, 0])
    await settled(320)
    expect(shapes.tried?.moved).toEqual({ 1: [0, 7] })
    expect(asked.every((a) => a.what.startsWith('TRY'))).toBe(true)
    shapes.rest()
    shapes.chosen = 0
    expect(shapes.draft?.round?.radius).toBe(6)
    expect(await shapes.keep(shapes.draft!)).toBe(true)
    expect([shapes.draft, shapes.chosen]).toEqual([null, 5])
    expect(asked.find((a) => a.what === 'POST /api/levels/fell/shapes')?.body).toMatchObject({
      put: [{ id: null, round: { x: 10, z: 10, radius: 6 } }],
    })
  })
  it('moves with all its corners, and a box has its own', () => {
    const box = partOf<ShapeIn>({
      form: 'box',
      box: { x: 5, z: 5, width: 4, length: 10, heading: 90 },
      round: null,
      points: [],
    })
    const xs = cornersOf(movedBy(box, 10, 0)).map(([x]) => x)
    expect([Math.min(...xs), Math.max(...xs)].map((v) => Math.round(v * 1e6) / 1e6)).toEqual([10, 20])
  })
})

import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'
import { ApiError, type Changed, type Entry, type Stand } from '../src/api/client'
import { useHand } from '../src/planting/useHand'
import { useOutbox } from '../src/planting/outbox'
import { useSelection } from '../src/planting/selection'
import { useStores } from '../src/shared/stores'
import { inScope, openLevel, refuse, serve, settled, spot, stand, changed, PULSE, partOf } from './help'
import { drawer } from './drawer'

let store: ReturnType<typeof openLevel>
beforeEach(async () => {
  store = openLevel()
  await useOutbox().open('north', 'fell')
})
const entry = (part: Partial<Entry> = {}) =>
  ({
    id: 1,
    what: 'Birch: fullness',
    kind: 'settings',
    gained: 3,
    lost: 1,
    cost: { ms: 0.2 },
    ...part,
  }) as Entry
const sheets = (keys: string[]) => ({ size: 256, columns: keys.length, rows: 1, keys })

/** A server that holds a level's stands and whose pulse moves on with what is done. */
function level(stands: Stand[], more: Record<string, unknown> = {}) {
  const state = { stands }
  const asked = serve({
    'GET /api/levels/fell': () => ({ ...store.level, slug: 'fell', name: 'Fell anew' }),
    'GET /api/levels/fell/stands': () => state.stands,
    'GET /api/levels/fell/pulse': PULSE,
    'GET /api/levels/fell/shapes': [],
    'GET /api/levels/fell/masks': [],
    'GET /api/levels/fell/surfaces': [],
    ...Object.fromEntries(
      [1, 2, 3].flatMap((id) => [
        [`GET /api/levels/fell/stands/${id}`, () => state.stands.find((s) => s.id === id)],
        [`GET /api/levels/fell/stands/${id}/count`, () => 1000 + id],
      ]),
    ),
    ...more,
  })
  return { state, asked, times: (what: string) => asked.filter((a) => a.what === what).length }
}

describe('opening a level', () => {
  it('selects a stand of trees, and counts afterwards what is too large to wait for', async () => {
    const stands = [
      stand(1, { stratum: 'Stone', counted: false, count: 900 }),
      stand(2, { stratum: 'Canopy' }),
      stand(3, { stratum: 'Field', counted: false, count: 5 }),
    ]
    const { state } = level(stands)
    await store.open('fell')
    expect([store.selected, store.stands[0]!.counted]).toEqual([[2], false])
    state.stands = stands.map((s) => ({ ...s, counted: true, count: s.count + 100 }))
    await settled(20)
    expect(store.stands.map((s) => [s.counted, s.count])).toEqual([
      [true, 1000],
      [true, 10],
      [true, 105],
    ])
  })
  it('sends what the browser still holds of an earlier time', async () => {
    const { stroke, take } = useStores().brush
    take('thin')
    drawer.set('kt-strokes/north/fell', [stroke([[1, 1]], null)])
    const { times } = level([stand(1)], {
      'POST /api/levels/fell/strokes': changed({ kind: 'stroke' }),
    })
    const { useSession } = await import('../src/pages/session')
    useSession().name = 'north'
    await store.open('fell')
    await settled(20)
    expect([times('POST /api/levels/fell/strokes'), useOutbox().waiting.length]).toEqual([1, 0])
  })
})

describe('a beat', () => {
  const HERE = { x: 1, z: 2, heading: 3, bench: 'planting' }
  const heard = (since: object) => ({ undo: null, redo: null, others: [{ name: 'south' }], since })
  it('takes over what is other since what is on the screen, and asks for nothing else', async () => {
    let since: object = { version: 1 }
    const { asked } = level([stand(1)], { 'POST /api/levels/fell/beat': () => heard(since) })
    store.stands = [stand(1), stand(2), stand(3)]
    const before = store.stands
    await store.beat(HERE)
    expect([store.stands === before, store.others.length]).toEqual([true, 1])
    since = {
      version: 5,
      stands: [stand(4), stand(2, { name: 'Fir' })],
      gone: [3],
      order: [2, 4, 1],
      keys: { 1: { 0: 'new' } },
      counts: { 1: 77 },
      shapes: [],
      level: { ...store.level, name: 'Fell anew' },
    }
    await store.beat(HERE)
    expect(store.stands.map((s) => [s.id, s.name, s.count, s.sheets.keys[0]])).toEqual([
      [2, 'Fir', 10, 'k'],
      [4, 'Stand 4', 10, 'k'],
      [1, 'Stand 1', 77, 'new'],
    ])
    expect([store.version, store.level!.name]).toEqual([5, 'Fell anew'])
    expect(asked.map((a) => [a.what, (a.body as { version: number }).version])).toEqual([
      ['POST /api/levels/fell/beat', 1],
      ['POST /api/levels/fell/beat', 1],
    ])
  })
  it('asks for the count of stands whose plants made room for a stroke', async () => {
    const since = { version: 2, keys: { 1: { 0: 'mine' }, 2: { 0: 'under' } }, counts: { 1: 14 } }
    const { asked } = level([], {
      'POST /api/levels/fell/strokes': changed(entry({ kind: 'paint', gained: 4 }), since),
      'POST /api/levels/fell/beat': () => heard({ version: 2, counts: { 2: 9 } }),
    })
    store.stands = [stand(1), stand(2)]
    const { brush } = useStores()
    brush.take('thicken')
    await store.paint(brush.stroke([[1, 1]], null))
    expect(store.stands.map((s) => [s.count, s.sheets.keys])).toEqual([
      [14, ['mine']],
      [10, ['under']],
    ])
    expect([store.version, asked.length]).toEqual([2, 1])
    await store.beat(HERE)
    expect(asked[1]!.body).toMatchObject({ version: 2, counted: [2] })
    expect(store.stands[1]!.count).toBe(9)
    await store.beat(HERE)
    expect(asked[2]!.body).toMatchObject({ counted: [] })
  })
  it('tells what others did before a stroke of one’s own, whose answer does not', async () => {
    level([], {
      'POST /api/levels/fell/strokes': changed(
        entry({ kind: 'paint' }),
        { version: 9, keys: { 1: { 0: 'mine' } } },
        { previous: 7 },
      ),
      'POST /api/levels/fell/beat': (body: unknown) =>
        (body as { version: number }).version === 1
          ? heard({ version: 9, keys: { 1: { 0: 'mine' }, 2: { 0: 'theirs' } } })
          : heard({ version: 9 }),
    })
    store.stands = [stand(1), stand(2)]
    const { brush } = useStores()
    brush.take('thicken')
    await store.paint(brush.stroke([[1, 1]], null))
    expect([store.version, store.stands[1]!.sheets.keys]).toEqual([1, ['k']])
    await store.beat(HERE)
    expect([store.version, store.stands[1]!.sheets.keys]).toEqual([9, ['theirs']])
  })
  it('that is faster than the answer to a stroke does not have its plants counted twice', async () => {
    let answer = () => {}
    level([], {
      'POST /api/levels/fell/beat': heard({ version: 2, keys: { 1: { 0: 'mine' } }, counts: { 1: 14 } }),
      'POST /api/levels/fell/strokes': async () => {
        await new Promise<void>((done) => (answer = done))
        return changed(entry({ gained: 4 }), { version: 2, keys: { 1: { 0: '' } } }, { moved: { 1: [4, 0] } })
      },
    })
    store.stands = [stand(1)]
    const { brush } = useStores()
    brush.take('thicken')
    const stroke = store.paint(brush.stroke([[1, 1]], null))
    await settled(10)
    const beat = store.beat(HERE)
    await settled(10)
    answer()
    await Promise.all([stroke, beat])
    expect([store.version, store.stands[0]!.count, store.stands[0]!.sheets.keys]).toEqual([2, 14, ['mine']])
    expect(store.difference!.gained).toBe(4)
  })
  it('that is faster and does not count leaves the count to the answer', async () => {
    let answer = () => {}
    level([], {
      'POST /api/levels/fell/beat': heard({ version: 2, keys: { 1: { 0: 'mine' }, 2: { 0: 'under' } } }),
      'POST /api/levels/fell/undo': async () => {
        await new Promise<void>((done) => (answer = done))
        return changed(
          entry(),
          { version: 2, keys: { 1: { 0: '' } }, counts: { 1: 14 } },
          { moved: { 2: [0, 3] } },
        )
      },
    })
    store.stands = [stand(1), stand(2), stand(3)]
    const undone = store.move('undo')
    await settled(10)
    await store.beat(HERE)
    answer()
    await undone
    expect(store.stands.map((s) => s.count)).toEqual([14, 7, 10])
  })
  it('that was asked before a stroke of one’s own leaves what that changed', async () => {
    let answer = () => {}
    level([], {
      'POST /api/levels/fell/beat': async () => {
        await new Promise<void>((done) => (answer = done))
        return heard({ version: 1, keys: { 1: { 0: 'old' } } })
      },
      'POST /api/levels/fell/strokes': changed(entry(), { version: 2, keys: { 1: { 0: 'mine' } } }),
    })
    store.stands = [stand(1)]
    const beat = store.beat(HERE)
    await settled(10)
    const { brush } = useStores()
    brush.take('thin')
    await store.paint(brush.stroke([[1, 1]], null))
    answer()
    await beat
    expect([store.version, store.stands[0]!.sheets.keys]).toEqual([2, ['mine']])
  })
})

describe('undo and redo', () => {
  it('wait for the stroke before them, take over what is other, and say what was taken back', async () => {
    const order: string[] = []
    level([], {
      'POST /api/levels/fell/strokes': async () => {
        await settled(40)
        order.push('stroke')
        return changed(entry({ gained: 2 }), { version: 2, keys: { 1: { 0: 'mid' } }, counts: { 1: 22 } })
      },
      'POST /api/levels/fell/undo': () => {
        order.push('undo')
        const since = { version: 3, keys: { 1: { 1: 'old' } }, counts: { 1: 16 } }
        return changed(entry({ what: 'Thickened Birch' }), since, { previous: 2, lost: 6, redo: 'That' })
      },
    })
    store.stands = [stand(1, { sheets: sheets(['a', 'b']), count: 20 }), stand(2)]
    const { brush } = useStores()
    brush.take('thicken')
    void store.paint(brush.stroke([[1, 1]], null))
    await store.move('undo')
    expect(order).toEqual(['stroke', 'undo'])
    expect([store.stands[0]!.count, store.stands[0]!.sheets.keys]).toEqual([16, ['mid', 'old']])
    expect(store.difference).toMatchObject({ what: 'Undone: Thickened Birch', lost: 6, cost: {} })
    expect([store.version, store.pulse!.redo]).toEqual([3, 'That'])
  })
  it('take nothing back while strokes wait, and say what the server refuses', async () => {
    const { times } = level([stand(1)], {
      'POST /api/levels/fell/strokes': () => new Response('', { status: 503 }),
      'POST /api/levels/fell/undo': () => refuse('South has painted there since.'),
    })
    const { brush } = useStores()
    brush.take('thin')
    expect(await store.paint(brush.stroke([[1, 1]], null))).toBe('waiting')
    await store.move('undo')
    expect([times('POST /api/levels/fell/undo'), store.trouble]).toEqual([
      0,
      expect.stringContaining('Strokes wait'),
    ])
    await useOutbox().discard()
    await store.move('undo')
    expect(store.trouble).toBe('South has painted there since.')
  })
})

describe('what goes wrong', () => {
  it('is said, save what is said once for all: the server is away, the sign-in has ended', () => {
    for (const status of [0, 401, 502, 503]) store.report(new ApiError(status, 'away', []))
    expect(store.trouble).toBe('')
    store.report(new ApiError(422, 'Birch is locked.', []))
    expect(store.trouble).toBe('Birch is locked.')
    store.report('odd')
    expect(store.trouble).toBe('odd')
  })
})

describe('sheets that are not told yet', () => {
  it('are told where the eye comes near, and never in place of one that is', async () => {
    store.stands = [stand(1, { sheets: sheets(['', 'kept', '']) }), stand(2)]
    const { asked } = level([], { 'GET /api/levels/fell/keys': { 1: { 0: 'near', 1: 'late' } } })
    await store.loadNear(10, 20)
    expect(store.stands[0]!.sheets.keys).toEqual(['near', 'kept', ''])
    store.stands = [stand(1)]
    await store.loadNear(10, 20)
    expect(asked.length).toBe(1)
  })
})

describe('adding and removing stands', () => {
  it('selects the one that was made, and another when the selected one is gone', async () => {
    const arrange = (since: object, more = {}) =>
      store.arrange(Promise.resolve(partOf<Changed>(changed(entry(), since, more))))
    store.stands = [stand(1), stand(2)]
    expect(await arrange({ stands: [stand(3)], order: [1, 2, 3] }, { made: [3] })).toBe(3)
    expect(store.selected).toEqual([3])
    await arrange({ gone: [1, 3], order: [2] })
    expect(store.selected).toEqual([2])
    await arrange({ gone: [2], order: [] })
    expect([store.selected, store.before]).toEqual([[], [2]])
  })
})

describe('single plants that are selected', () => {
  const plant = (id: string, x: number, part = {}) => ({
    stand: 1,
    plant: id,
    x,
    z: 0,
    state: 'rule',
    ...part,
  })
  let found: object[]
  let total: number
  const begin = (more: Record<string, unknown> = {}) =>
    level([stand(1), stand(2)], {
      'POST /api/levels/fell/select': (body: { plants?: string[] }) => ({
        plants: body.plants
          ? found.filter((p) => body.plants!.includes((p as { plant: string }).plant))
          : found,
        total,
      }),
      'POST /api/levels/fell/hand': changed(entry({ kind: 'pins' })),
      ...more,
    })
  beforeEach(() => {
    found = [plant('a', 1), plant('b', 4)]
    total = 2
  })
  it('are added once, the nearest is taken and given back, and what is over is told', async () => {
    begin()
    const selection = useSelection()
    await selection.inside([[0, 0]], false)
    await selection.inside([[0, 0]], true)
    expect(selection.plants.map((p) => p.plant)).toEqual(['a', 'b'])
    await selection.nearest(3.5, 0, 6, true)
    expect(selection.plants.map((p) => p.plant)).toEqual(['a'])
    await selection.nearest(3.5, 0, 6, false)
    expect(selection.plants.map((p) => p.plant)).toEqual(['b'])
    total = 12_000
    await selection.inside([[0, 0]], false)
    expect(selection.over).toBe(11_998)
    selection.clear()
    expect([selection.plants.length, selection.over]).toEqual([0, 0])
  })
  it('are asked of the selected stands of single plants alone, or of every one', async () => {
    const { asked } = begin()
    const selection = useSelection()
    store.stands = [stand(1, { sward: true }), stand(2)]
    expect(await selection.inside([[0, 0]], false)).toBe(false)
    expect(selection.trouble).toContain('Select a stand of single plants first')
    selection.every = true
    await selection.inside([[0, 0]], false)
    expect(asked.map((a) => (a.body as { stands: number[] }).stands)).toEqual([[]])
  })
  it('are changed as one action by stand, and those that are gone leave the selection', async () => {
    const { asked } = begin()
    found = [plant('a', 1), plant('b', 4), plant('c', 9, { stand: 2 })]
    const selection = useSelection()
    selection.every = true
    await selection.inside([[0, 0]], false)
    found = found.slice(1)
    expect(await selection.act({ do: 'change', turn_by: 15 })).toBe(true)
    expect(asked.find((a) => a.what.endsWith('/hand'))!.body).toMatchObject({
      plants: { 1: ['a', 'b'], 2: ['c'] },
      turn_by: 15,
      size_by: 1,
      east: 0,
    })
    expect(selection.plants.map((p) => p.plant)).toEqual(['b', 'c'])
  })
  it('are released only where a hand has set them, and are not to be moved in a locked stand', async () => {
    const { asked } = begin()
    const selection = useSelection()
    await selection.inside([[0, 0]], false)
    expect(await selection.act({ do: 'release' })).toBe(false)
    expect(selection.trouble).toContain('nothing to release')
    found = [plant('a', 1, { state: 'pinned' }), plant('b', 4)]
    await selection.again()
    await selection.act({ do: 'release' })
    expect(asked.find((a) => a.what.endsWith('/hand'))!.body).toMatchObject({ plants: { 1: ['a'] } })
    expect(selection.movable).toBe(true)
    store.stands = [stand(1, { locked: true })]
    expect(selection.movable).toBe(false)
  })
  it('stay when something is refused, and are read again when the level changes', async () => {
    begin({ 'POST /api/levels/fell/hand': () => refuse('The pit is kept clear.') })
    const selection = useSelection()
    await selection.inside([[0, 0]], false)
    expect(await selection.act({ do: 'change', east: 3 })).toBe(false)
    expect([selection.trouble, selection.plants.length]).toEqual(['The pit is kept clear.', 2])
    found = [plant('b', 4)]
    store.version = 9
    await settled(10)
    expect(selection.plants.map((p) => p.plant)).toEqual(['b'])
    store.level = { ...store.level!, slug: 'tarn' }
    await nextTick()
    expect(selection.plants).toEqual([])
  })
})

describe('one plant in the hand', () => {
  const plant = { plant: 'p1', item: 'birch', x: 5, z: 6, turn: 0, width: 1, height: 1, lift: 0 }
  const begin = (more: Record<string, unknown> = {}) => {
    const served = level([stand(1), stand(2)], {
      'GET /api/levels/fell/stands/1/plant': plant,
      'GET /api/levels/fell/stands/1/pins': [plant],
      'GET /api/levels/fell/stands/2/pins': [],
      'POST /api/levels/fell/stands/1/pins': changed(entry({ kind: 'pins' })),
      'POST /api/levels/fell/stands/1/regrow': changed(entry({ kind: 'pins', what: 'Birch grows again' })),
      ...more,
    })
    return { ...served, hand: inScope(() => useHand(useStores())) }
  }
  it('is picked, changed by its id from where it stood, and followed to where it went', async () => {
    const { hand, asked } = begin()
    await hand.press(spot(5, 5))
    expect(hand.plant.value?.plant).toBe('p1')
    hand.push.value = true
    expect(await hand.change({ turn: 40, x: 8 })).toBe(true)
    expect(asked.find((a) => a.what === 'POST /api/levels/fell/stands/1/pins')!.body).toMatchObject({
      push: true,
      change: [{ plant: 'p1', at: [5, 6], turn: 40, x: 8 }],
    })
    expect([hand.push.value, hand.pins.value.length]).toEqual([false, 1])
  })
  it('is set with the tool for it, removed and released', async () => {
    const { hand, asked } = begin()
    hand.tool.value = 'set'
    await hand.press(spot(1, 2))
    await hand.remove()
    expect(hand.plant.value).toBeNull()
    await hand.press(spot(1, 2))
    await hand.release('p1')
    await hand.regrow()
    const sent = asked.filter((a) => a.what.endsWith('/pins') && a.body).map((a) => a.body as object)
    expect(sent).toMatchObject([
      { add: [{ x: 1, z: 2 }] },
      { remove: ['p1'] },
      { add: [{ x: 1, z: 2 }] },
      { release: ['p1'] },
    ])
    expect(store.difference!.what).toBe('Birch grows again')
  })
  it('is said to be missing, or refused, and is dropped with its stand', async () => {
    const { hand } = begin({ 'GET /api/levels/fell/stands/1/plant': () => new Response('null') })
    await hand.press(spot(5, 5))
    expect(hand.trouble.value).toBe('No plant of Stand 1 stands within 6 m of there.')
    hand.tool.value = 'pick'
    store.selected = [2]
    await nextTick()
    expect([hand.tool.value, hand.trouble.value, hand.stand.value?.id]).toEqual([null, '', 2])
    store.stands = [stand(1), stand(2, { sward: true })]
    expect(hand.stand.value).toBeNull()
  })
})

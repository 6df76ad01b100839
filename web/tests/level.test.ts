import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'
import { ApiError, type Entry, type Pulse, type Stand } from '../src/api/client'
import { useHand } from '../src/composables/useHand'
import { useOutbox } from '../src/stores/outbox'
import { useSelection } from '../src/stores/selection'
import { useStores } from '../src/stores'
import { inScope, openLevel, refuse, serve, settled, stand } from './help'
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
  const state = { stands, head: 1 }
  const asked = serve({
    'GET /api/levels/fell': () => ({ ...store.level, slug: 'fell', name: 'Fell anew' }),
    'GET /api/levels/fell/stands': () => state.stands,
    'GET /api/levels/fell/pulse': () => ({ pulse: `1-${state.head}` }),
    'GET /api/levels/fell/shapes': [],
    'GET /api/levels/fell/masks': [],
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
    expect([store.selected, store.stands[0].counted]).toEqual([[2], false])
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
      'POST /api/levels/fell/strokes': { entry: entry({ kind: 'stroke' }), stand: 1, keys: {} },
    })
    const { useSession } = await import('../src/stores/session')
    useSession().name = 'north'
    await store.open('fell')
    await settled(20)
    expect([times('POST /api/levels/fell/strokes'), useOutbox().waiting.length]).toEqual([1, 0])
  })
})

describe('a beat', () => {
  const HERE = { x: 1, z: 2, heading: 3, bench: 'planting' }
  it('reads nothing again while nothing changed, and everything when something did', async () => {
    const { state, times } = level([stand(1)], {
      'POST /api/levels/fell/beat': () => ({ pulse: `1-${state.head}`, others: [{ name: 'south' }] }),
    })
    await store.beat(HERE)
    const first = times('GET /api/levels/fell/stands')
    await store.beat(HERE)
    expect([times('GET /api/levels/fell/stands'), store.others.length]).toEqual([first, 1])
    state.stands = [stand(1, { count: 77 })]
    state.head = 2
    await store.beat(HERE)
    expect([store.stands[0].count, store.level!.name]).toEqual([77, 'Fell anew'])
  })
  it('after a stroke reads only what others may have done meanwhile', async () => {
    const told = { entry: entry({ kind: 'stroke', gained: 4, lost: 0 }), stand: 1, keys: { 0: 'new' } }
    const { state, times } = level([stand(1)], {
      'POST /api/levels/fell/strokes': () => (state.head++, told),
      'POST /api/levels/fell/beat': () => ({ pulse: `1-${state.head}`, others: [{ name: 'south' }] }),
    })
    store.pulse = { pulse: '1-1' } as Pulse
    const { brush } = useStores()
    brush.take('thicken')
    await store.paint(brush.stroke([[1, 1]], null))
    expect([store.stands[0].count, store.stands[0].sheets.keys, store.pulse!.pulse]).toEqual([
      14,
      ['new'],
      '1-2',
    ])
    await store.beat()
    expect(times('GET /api/levels/fell/stands')).toBe(0)
    await store.beat(HERE)
    await store.paint(brush.stroke([[2, 1]], null))
    expect(store.pulse!.pulse).toBe('1-2')
    await store.beat(HERE)
    expect(times('GET /api/levels/fell/stands')).toBe(1)
  })
})

describe('what others do while the level is read', () => {
  it('is read by the next beat, whether it comes before or after the stands are read', async () => {
    const { state } = level([stand(1)])
    store.pulse = { pulse: '1-0' } as Pulse
    let others = 1
    serve({
      'GET /api/levels/fell': () => store.level,
      'GET /api/levels/fell/pulse': () => ({ pulse: `1-${state.head}` }),
      'GET /api/levels/fell/shapes': [],
      'GET /api/levels/fell/masks': [],
      'GET /api/levels/fell/stands': () => {
        const told = state.stands
        if (others-- > 0) {
          // South's stroke is stored when the stands have just been read.
          state.head = 2
          state.stands = [stand(1, { count: 44 })]
        }
        return told
      },
    })
    await store.beat()
    expect(store.stands[0].count).toBe(10)
    await store.beat()
    expect(store.stands[0].count).toBe(44)
  })
  it('is read again when reading it failed', async () => {
    const { state } = level([stand(1)])
    store.pulse = { pulse: '1-0' } as Pulse
    serve({ 'GET /api/levels/fell/pulse': { pulse: '1-1' } })
    await expect(store.beat()).rejects.toThrow()
    state.stands = [stand(1, { count: 44 })]
    level(state.stands)
    await store.beat()
    expect(store.stands[0].count).toBe(44)
  })
  it('and what was read before a stroke of one’s own never stays over it', async () => {
    const { state, asked } = level([stand(1)], {
      'POST /api/levels/fell/strokes': { entry: entry({ kind: 'stroke' }), stand: 1, keys: { 0: 'mine' } },
    })
    store.pulse = { pulse: '1-1' } as Pulse
    let [late, held] = [() => {}, true]
    const inner = globalThis.fetch
    globalThis.fetch = async (input, init) => {
      const response = await inner(input, init)
      if (held && (input as Request).url.endsWith('/stands')) {
        held = false
        await new Promise<void>((done) => (late = done))
      }
      if ((input as Request).url.endsWith('/pulse') && asked.some((a) => a.what.endsWith('/strokes'))) {
        late()
        await settled(20)
      }
      return response
    }
    const reading = store.refresh()
    await settled(10)
    state.head = 2
    state.stands = [stand(1, { sheets: sheets(['mine']), count: 12 })]
    const { brush } = useStores()
    brush.take('thin')
    await store.paint(brush.stroke([[1, 1]], null))
    expect(store.stands[0].sheets.keys).toEqual(['mine'])
    await reading
    expect([store.stands[0].sheets.keys, store.stands[0].count]).toEqual([['mine'], 12])
    globalThis.fetch = inner
  })
  it('and a stroke counts once though the stands were read again before its answer came', async () => {
    const { state } = level([stand(1)], {
      'POST /api/levels/fell/strokes': async () => {
        state.head = 2
        state.stands = [stand(1, { sheets: sheets(['mine']), count: 2 })]
        await store.refresh()
        return { entry: entry({ kind: 'stroke', gained: 0, lost: 8 }), stand: 1, keys: { 0: 'mine' } }
      },
    })
    store.pulse = { pulse: '1-1' } as Pulse
    const { brush } = useStores()
    brush.take('thin')
    await store.paint(brush.stroke([[1, 1]], null))
    expect([store.stands[0].count, store.difference?.lost]).toEqual([2, 8])
  })
})

describe('undo and redo', () => {
  it('wait for the stroke before them, take over its sheets, and say what was taken back', async () => {
    const order: string[] = []
    const moved = { stand: 1, keys: { 1: 'old' }, gained: 0, lost: 6, stale: [2] }
    const { asked } = level([stand(1), stand(2, { count: 55 })], {
      'POST /api/levels/fell/strokes': async () => {
        await settled(40)
        order.push('stroke')
        return { entry: entry({ kind: 'stroke' }), stand: 1, keys: { 0: 'mid' } }
      },
      'POST /api/levels/fell/undo': () => {
        order.push('undo')
        return { ...moved, entry: entry({ kind: 'stroke', what: 'Thickened Birch' }) }
      },
    })
    store.stands = [stand(1, { sheets: sheets(['a', 'b']), count: 20 }), stand(2)]
    const { brush } = useStores()
    brush.take('thicken')
    void store.paint(brush.stroke([[1, 1]], null))
    await store.move('undo')
    expect(order).toEqual(['stroke', 'undo'])
    expect(store.stands.map((s) => [s.count, s.sheets.keys])).toEqual([
      [20 + 3 - 1 - 6, ['mid', 'old']],
      [55, ['k']],
    ])
    expect(store.difference).toMatchObject({ what: 'Undone: Thickened Birch', lost: 6 })
    expect(asked.some((a) => a.what === 'GET /api/levels/fell/stands')).toBe(false)
  })
  it('read the level again for what reaches beyond plants, else the stands alone', async () => {
    let kind = 'settings'
    const { times } = level([stand(1)], {
      'POST /api/levels/fell/journal/9/redo': () => ({ entry: entry({ kind }), gained: 0, lost: 0 }),
    })
    await store.move('redo', 9)
    expect([times('GET /api/levels/fell/stands'), times('GET /api/levels/fell')]).toEqual([1, 0])
    kind = 'ground'
    await store.move('redo', 9)
    expect([times('GET /api/levels/fell/stands'), times('GET /api/levels/fell')]).toEqual([2, 1])
    expect(store.difference!.what).toBe('Done again: Birch: fullness')
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
    for (const status of [0, 401, 502, 503]) store.tell(new ApiError(status, 'away', []))
    expect(store.trouble).toBe('')
    store.tell(new ApiError(422, 'Birch is locked.', []))
    expect(store.trouble).toBe('Birch is locked.')
    store.tell('odd')
    expect(store.trouble).toBe('odd')
  })
})

describe('sheets that are not told yet', () => {
  it('are told where the eye comes near, and never in place of one that is', async () => {
    store.stands = [stand(1, { sheets: sheets(['', 'kept', '']) }), stand(2)]
    const { asked } = level([], { 'GET /api/levels/fell/keys': { 1: { 0: 'near', 1: 'late' } } })
    await store.tellNear(10, 20)
    expect(store.stands[0].sheets.keys).toEqual(['near', 'kept', ''])
    store.stands = [stand(1)]
    await store.tellNear(10, 20)
    expect(asked.length).toBe(1)
  })
})

describe('adding and removing stands', () => {
  it('selects the one that was made, and another when the selected one is gone', async () => {
    const { state } = level([stand(1), stand(2), stand(3)])
    expect(await store.arrange(Promise.resolve({ entry: entry(), stand: 3 }))).toBe(3)
    expect(store.selected).toEqual([3])
    state.stands = [stand(2)]
    await store.arrange(Promise.resolve({ entry: entry(), stand: null }))
    expect(store.selected).toEqual([2])
    state.stands = []
    await store.arrange(Promise.resolve({ entry: entry() }))
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
      'POST /api/levels/fell/hand': { entry: entry({ kind: 'pins' }) },
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
    store.pulse = { pulse: '1-9' } as Pulse
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
      'POST /api/levels/fell/stands/1/pins': { entry: entry({ kind: 'pins' }) },
      'POST /api/levels/fell/stands/1/regrow': { entry: entry({ kind: 'pins', what: 'Birch grows again' }) },
      ...more,
    })
    return { ...served, hand: inScope(() => useHand(useStores())) }
  }
  it('is picked, changed by its id from where it stood, and followed to where it went', async () => {
    const { hand, asked } = begin()
    await hand.press(5, 5)
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
    await hand.press(1, 2)
    await hand.remove()
    expect(hand.plant.value).toBeNull()
    await hand.press(1, 2)
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
    await hand.press(5, 5)
    expect(hand.trouble.value).toBe('No plant of Stand 1 stands within 6 m of there.')
    hand.tool.value = 'pick'
    store.selected = [2]
    await nextTick()
    expect([hand.tool.value, hand.trouble.value, hand.stand.value?.id]).toEqual([null, '', 2])
    store.stands = [stand(1), stand(2, { sward: true })]
    expect(hand.stand.value).toBeNull()
  })
})

import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, reactive } from 'vue'
import type { Condition } from '../src/api/client'
import BandField from '../src/planting/BandField.vue'
import ConditionCard from '../src/planting/ConditionCard.vue'
import ConditionList from '../src/planting/ConditionList.vue'
import FacingRose from '../src/planting/FacingRose.vue'
import { KINDS } from '../src/api/kinds'
import { ENDLESS, fieldOf, fresh, inBand, ORDER } from '../src/planting/conditions'
import { useTool } from '../src/planting/tool'
import { useDraft } from '../src/planting/useDraft'
import { useStores } from '../src/shared/stores'
import {
  inScope,
  numbers,
  openLevel,
  refuse,
  serve,
  settled,
  show,
  stand,
  until,
  PULSE,
  changed,
  partOf,
  choose,
  write,
} from './help'

const LEVEL = { low: 212.4, high: 287.9 }
const slope = (part: Partial<Condition> = {}): Condition => ({ ...fresh('slope', LEVEL), ...part })

type Shown = Awaited<ReturnType<typeof show>>
let page: Shown | null = null
let store: ReturnType<typeof openLevel>
beforeEach(() => {
  store = openLevel({
    low: 212.4,
    high: 287.9,
    layers: partOf([{ name: 'turf' }, { name: 'scree' }]),
  })
  serve({})
})
afterEach(() => {
  page?.end()
  page = null
  document.body.innerHTML = ''
})
const at = <T extends HTMLElement>(name: string) =>
  document.querySelector<T>(`[data-test="${name}"]`) as T & HTMLElement
const press = (element: Element, key: string, part: KeyboardEventInit = {}) =>
  element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...part }))

describe('a band', () => {
  it('is 1 within, 0 beyond its soft edges, and climbs without a step between', () => {
    const next = numbers(7)
    for (let k = 0; k < 200; k++) {
      const lo = next() * 20
      const c = slope({ lo, hi: lo + next() * 20, soft_lo: next() * 5 + 0.01, soft_hi: next() * 5 + 0.01 })
      expect(inBand(c, c.lo + (c.hi - c.lo) * next())).toBe(1)
      expect(inBand(c, c.lo - c.soft_lo - 1e-9)).toBe(0)
      expect(inBand(c, c.hi + c.soft_hi + 1e-9)).toBe(0)
      expect(inBand(c, c.lo - c.soft_lo / 2)).toBeCloseTo(0.5, 9)
      const climb = Array.from({ length: 40 }, (_, n) => inBand(c, c.lo - c.soft_lo * (1 - n / 39)))
      climb.slice(1).forEach((v, n) => expect(v).toBeGreaterThanOrEqual(climb[n]!))
    }
  })
  it('without soft edges is a step, its ends included', () => {
    const c = slope({ lo: 5, hi: 9, soft_lo: 0, soft_hi: 0 })
    expect([4.999, 5, 9, 9.001].map((v) => inBand(c, v))).toEqual([0, 1, 1, 0])
  })
})

describe('a fresh condition', () => {
  it('of each kind has a band in order, and suits some of what it is for', () => {
    for (const kind of ORDER) {
      const c = fresh(kind, LEVEL)
      expect(c.lo, kind).toBeLessThan(c.hi)
      expect([c.join, c.on, c.density, c.size], kind).toEqual(['and', true, true, null])
      expect(KINDS[kind].says.length, kind).toBeGreaterThan(5)
    }
    expect([fresh('altitude', LEVEL).lo, fresh('altitude', LEVEL).hi]).toEqual([212, 288])
    // Roads, rocks and water are to stay clear unless it is said otherwise.
    expect(inBand(fresh('path', LEVEL), -1)).toBe(0)
    expect(inBand(fresh('obstacle', LEVEL), 0)).toBe(0)
  })
  it('looks at the same whatever its band is, and at something else when its place changes', () => {
    const c = fresh('hollow', LEVEL)
    expect(fieldOf({ ...c, lo: -3, soft_hi: 2, join: 'except', on: false })).toBe(fieldOf(c))
    expect(fieldOf({ ...c, radius: 40 })).not.toBe(fieldOf(c))
    expect(fieldOf({ ...slope(), radius: 40 })).toBe(fieldOf(slope()))
    const near = fresh('path', LEVEL)
    expect(fieldOf({ ...near, hi: 200 })).not.toBe(fieldOf({ ...near, hi: 20 }))
    expect(fieldOf({ ...near, shapes: [3] })).not.toBe(fieldOf(near))
  })
})

/** A field with a condition that takes over what it is told. */
async function edited(component: object, condition: Condition, edges = [0, 10, 20, 30, 40, 90]) {
  const props = reactive({
    condition,
    histogram: { counts: [10, 40, 30, 15, 5], edges },
    disabled: false,
    onChange: (c: Condition) => (props.condition = c),
  })
  page = await show(partOf(component), props)
  const svg = page.place.querySelector('svg')!
  svg.setPointerCapture = vi.fn()
  svg.getBoundingClientRect = () => ({ left: 0, top: 0, width: 290, height: 70 }) as DOMRect
  return { props, svg }
}
const pointer = (kind: string, clientX: number, clientY = 0) =>
  Object.assign(new MouseEvent(kind, { clientX, clientY, bubbles: true }), { pointerId: 1 })

describe('a band over its histogram', () => {
  it('is dragged by its four handles, which never pass one another', async () => {
    const { props, svg } = await edited(BandField, slope({ lo: 10, hi: 30, soft_lo: 2, soft_hi: 4 }))
    const drag = async (handle: string, to: number) => {
      at(`band-slope-handle-${handle}`).dispatchEvent(pointer('pointerdown', 0))
      svg.dispatchEvent(pointer('pointermove', ((to + 2.7) / 95.4) * 290))
      svg.dispatchEvent(pointer('pointerup', 0))
      svg.dispatchEvent(pointer('pointermove', 5))
      await nextTick()
    }
    await drag('lo', 20)
    expect([props.condition.lo, props.condition.hi]).toEqual([20, 30])
    await drag('lo', 60)
    expect(props.condition.lo).toBe(30)
    await drag('hi', 5)
    expect(props.condition.hi).toBe(30)
    await drag('soft_hi', 38)
    expect(props.condition.soft_hi).toBe(8)
    await drag('soft_hi', 10)
    expect(props.condition.soft_hi).toBe(0)
    await drag('soft_lo', 24)
    expect(props.condition.soft_lo).toBe(6)
  })
  it('is nudged by the arrow keys, ten steps with Shift, and not when locked', async () => {
    const { props } = await edited(BandField, slope({ lo: 10, hi: 30 }))
    const handle = at('band-slope-handle-hi')
    press(handle, 'ArrowRight')
    await nextTick()
    press(handle, 'ArrowLeft', { shiftKey: true })
    await nextTick()
    expect(props.condition.hi).toBe(25.5)
    expect(handle.getAttribute('aria-valuenow')).toBe('25.5')
    props.disabled = true
    await nextTick()
    press(handle, 'ArrowRight')
    at('band-slope-handle-lo').dispatchEvent(pointer('pointerdown', 0))
    await nextTick()
    expect([props.condition.lo, props.condition.hi]).toEqual([10, 25.5])
  })
  it('of a distance has no end when dragged to the rim, and gets one back by a press', async () => {
    const { props, svg } = await edited(BandField, { ...fresh('path', LEVEL), lo: 3, hi: 20 }, [-5, 20, 60])
    at('band-path-handle-hi').dispatchEvent(pointer('pointerdown', 0))
    svg.dispatchEvent(pointer('pointermove', 290))
    await nextTick()
    expect(props.condition).toMatchObject({ hi: ENDLESS, soft_hi: 0 })
    at('path-endless').click()
    expect(props.condition.hi).toBe(13)
  })
})

describe('the rose of facings', () => {
  it('is turned and widened by dragging, across north too', async () => {
    const { props, svg } = await edited(FacingRose, { ...fresh('facing', LEVEL), centre: 350, hi: 40 })
    svg.getBoundingClientRect = () => ({ left: 0, top: 0, width: 152, height: 152 }) as DOMRect
    const drag = async (grip: string, bearing: number) => {
      svg.querySelector(`.grip.${grip}`)!.dispatchEvent(pointer('pointerdown', 0))
      const b = (bearing * Math.PI) / 180
      svg.dispatchEvent(pointer('pointermove', 76 + 50 * Math.sin(b), 76 - 50 * Math.cos(b)))
      svg.dispatchEvent(pointer('pointerup', 0))
      await nextTick()
    }
    await drag('edge', 10)
    expect(props.condition.hi).toBe(20)
    await drag('soft', 20)
    expect(props.condition.soft_hi).toBe(10)
    await drag('centre', 90)
    expect(props.condition.centre).toBe(90)
    await drag('soft', 95)
    expect(props.condition.soft_hi).toBe(0)
  })
})

describe('a condition on its card', () => {
  const LOOK = { counts: [10, 40, 30, 20], edges: [0, 10, 20, 30, 40] }
  async function card(condition: Condition, index = 0) {
    const told: unknown[][] = []
    const props = reactive({
      condition,
      index,
      count: 2,
      onChange: (c: Condition) => (props.condition = c),
      onMove: (to: number) => told.push(['move', to]),
      onRemove: () => told.push(['remove']),
      onBands: (layer: string) => told.push(['bands', layer]),
    })
    page = await show(ConditionCard, props)
    await settled(5)
    return { props, told }
  }
  it('says how much of the real ground suits, the other way round with except', async () => {
    const asked = serve({ 'POST /api/levels/fell/conditions/look': LOOK })
    const { props } = await card(slope({ lo: 0, hi: 20, soft_lo: 0, soft_hi: 0 }))
    expect(page!.place.textContent).toContain('50 %')
    props.condition = { ...props.condition, join: 'except', hi: 10 }
    await nextTick()
    expect(page!.place.textContent).toContain('90 %')
    await settled(200)
    expect(asked.length).toBe(1)
  })
  it('is pointed in a direction, and no other card is', async () => {
    serve({ 'POST /api/levels/fell/conditions/look': LOOK })
    const tool = useTool()
    const other = await card(slope({ kind: 'toward', toward: [10, 5] }))
    const first = page!
    const { props } = await card(slope({ kind: 'toward', toward: [180, 45] }))
    page!.place.querySelector<HTMLElement>('[data-test="toward-point"]')!.click()
    await nextTick()
    expect(tool.point).toBe(true)
    tool.pointed = [241, 20]
    tool.point = null
    await nextTick()
    expect([other.props.condition.toward, props.condition.toward]).toEqual([
      [10, 5],
      [241, 20],
    ])
    expect(tool.pointed).toBeNull()
    first.end()
  })
  it('asks anew when it looks at something else, and says what is refused', async () => {
    let round = 0
    serve({
      'POST /api/levels/fell/conditions/look': async () => {
        const mine = ++round
        if (mine === 2) await settled(400)
        return mine === 2 ? { counts: [1, 0], edges: [0, 1, 2] } : LOOK
      },
    })
    const c = { ...fresh('hollow', LEVEL), lo: 0, hi: 40, soft_hi: 0 }
    const { props } = await card(c)
    props.condition = { ...c, radius: 40 }
    await settled(180)
    props.condition = { ...c, radius: 60 }
    await settled(500)
    expect([round, page!.place.textContent?.includes('100 %')]).toEqual([3, true])
    serve({ 'POST /api/levels/fell/conditions/look': () => refuse('The radius is too large.') })
    props.condition = { ...c, radius: 250 }
    await settled(200)
    expect(page!.place.textContent).toContain('The radius is too large.')
  })
  it('asks nothing of what is not chosen yet, and says what is missing', async () => {
    const asked = serve({ 'POST /api/levels/fell/conditions/look': LOOK })
    store.selected = [1]
    await card(fresh('stand', LEVEL))
    expect(page!.place.textContent).toContain('No stand with single plants stands above')
    page!.end()
    await card(fresh('mask', LEVEL))
    expect(page!.place.textContent).toContain('bring one in on the Ground bench')
    page!.end()
    await card(fresh('path', LEVEL))
    expect(page!.place.textContent).toContain('no paths yet')
    expect(asked.filter((a) => (a.body as Condition).kind !== 'path')).toEqual([])
  })
  it('measures areas by relative depth, or over a rough border that falls off by a curve', async () => {
    serve({ 'POST /api/levels/fell/conditions/look': LOOK })
    const { props, told } = await card(fresh('area', LEVEL), 1)
    await choose('area-measure', 'over a border')
    expect(props.condition).toMatchObject({ border: 10, depth: false, lo: 0.3, hi: 1 })
    await choose('area-values', 'as density, by a curve')
    expect(props.condition.curve).toHaveLength(2)
    expect(page!.place.textContent).toContain('the edge to 10 m away')
    await choose('area-measure', 'by relative depth')
    expect(props.condition).toMatchObject({ depth: true, border: 0, rough: 0, curve: [], lo: 0.3, hi: 1 })
    expect(page!.place.textContent).toContain('Depth in areas')
    press(at('grip-1'), 'ArrowUp')
    press(at('grip-1'), 'ArrowDown')
    at('remove-area').click()
    expect(told).toEqual([['move', 0], ['move', 2], ['remove']])
  })
})

describe('the conditions of a stand', () => {
  const SETS = [{ id: 4, name: 'Wet feet', kinds: ['wetness'], by: 'south' }]
  async function list(conditions: Condition[] = [], answers: Record<string, unknown> = {}) {
    const asked = serve({
      'GET /api/condition-sets': SETS,
      'POST /api/levels/fell/conditions/look': { counts: [1, 1], edges: [0, 1, 2] },
      ...answers,
    })
    store.stands = [
      stand(1, { settings: { ...store.stands[0]!.settings, conditions } }),
      stand(2, { stratum: 'Shrub' }),
    ]
    const draft = inScope(() => useDraft(() => null, useStores()))
    page = await show(ConditionList, { draft, locked: false })
    await settled(5)
    const open = async (menu: string, item: string) => {
      // A menu that still closes takes no notice of a press.
      await until(() => {
        if (at(menu).getAttribute('aria-expanded') !== 'true') at(menu).click()
        return at(item)
      })
      at(item).click()
      await until(() => at(menu).getAttribute('aria-expanded') === 'false' || menu === 'condition-sets')
      await settled(30)
    }
    return { draft, asked, open, now: () => draft.shared((s) => s.conditions).value }
  }
  it('are added with what makes sense, and not when nothing there would do', async () => {
    const { open, now } = await list()
    expect(page!.place.textContent).toContain('it may stand anywhere')
    await open('add-condition', 'add-layer')
    expect(now().map((c) => [c.kind, c.layers])).toEqual([['layer', ['turf']]])
    await open('add-condition', 'add-stand')
    expect([now().length, at('condition-message').textContent]).toEqual([
      1,
      expect.stringContaining('above this'),
    ])
    store.masks = partOf([{ name: 'fog' }])
    await open('add-condition', 'add-mask')
    expect(now().map((c) => c.mask)).toEqual(['', 'fog'])
  })
  it('are moved and taken out in their order, and never past the ends', async () => {
    const { now } = await list([slope(), fresh('wetness', LEVEL), fresh('altitude', LEVEL)])
    const kinds = () => now().map((c) => c.kind)
    press(at('grip-0'), 'ArrowUp')
    expect(kinds()).toEqual(['slope', 'wetness', 'altitude'])
    press(at('grip-0'), 'ArrowDown')
    await nextTick()
    expect(kinds()).toEqual(['wetness', 'slope', 'altitude'])
    at('remove-slope').click()
    expect(kinds()).toEqual(['wetness', 'altitude'])
  })
  it('take altitude and slope of a layer, in place of those that are there', async () => {
    const layer = { ...fresh('layer', LEVEL), layers: ['scree'] }
    const { now } = await list([slope({ lo: 1, hi: 2 }), layer], {
      'GET /api/levels/fell/layers/scree/bands': { altitude: [230, 260], slope: [18, 38] },
    })
    at('take-bands').click()
    await settled(20)
    expect(now().map((c) => [c.kind, c.lo, c.hi])).toEqual([
      ['slope', 18, 38],
      ['layer', 0.5, 1],
      ['altitude', 230, 260],
    ])
    expect(now()[0]!.soft_lo).toBe(2)
  })
  it('are copied to other stands, saved as a set and taken from one', async () => {
    const fit = { conditions: [fresh('wetness', LEVEL)], notes: ['The layer moss is not in this level.'] }
    const { asked, open, now } = await list([slope()], {
      'PATCH /api/levels/fell/stands': changed(),
      'GET /api/levels/fell/stands': store.stands,
      'GET /api/levels/fell/pulse': PULSE,
      'GET /api/levels/fell/shapes': [],
      'GET /api/levels/fell/masks': [],
      'GET /api/levels/fell/surfaces': [],
      'POST /api/condition-sets': {},
      'GET /api/levels/fell/condition-sets/4': fit,
    })
    at('copy-conditions').click()
    await settled(30)
    at('copy-s2').querySelector('input')!.click()
    await nextTick()
    at('copy-go').click()
    await settled(30)
    const copied = asked.filter((a) => a.what === 'PATCH /api/levels/fell/stands')
    expect(copied[0]!.body).toMatchObject({
      stands: { 2: { settings: { conditions: [{ kind: 'slope' }] } } },
    })
    await open('condition-sets', 'set-4')
    expect([now().map((c) => c.kind), at('condition-message').textContent]).toEqual([
      ['wetness'],
      fit.notes[0],
    ])
    const name = at('set-name').querySelector('input')!
    name.value = ' Dry '
    name.dispatchEvent(new Event('input'))
    await nextTick()
    at('set-save').click()
    await settled(30)
    expect(asked.find((a) => a.what === 'POST /api/condition-sets')!.body).toMatchObject({
      name: 'Dry',
      level: 'fell',
    })
  })
  it('say what was refused', async () => {
    const { open } = await list([slope()], {
      'GET /api/levels/fell/condition-sets/4': () => refuse('That set is gone.'),
    })
    await open('condition-sets', 'set-4')
    expect(at('condition-trouble').textContent).toBe('That set is gone.')
  })
  it('of several stands are changed together, each in the part that was changed alone', async () => {
    const [one, two, wet] = [slope({ lo: 2, hi: 20 }), slope({ lo: 5, hi: 30 }), fresh('wetness', LEVEL)]
    const { draft } = await list([one])
    const other = [wet, two]
    store.stands = [
      store.stands[0]!,
      stand(2, { settings: { ...store.stands[1]!.settings, conditions: other } }),
    ]
    store.selected = [1, 2]
    await nextTick()
    expect(page!.place.textContent).toContain('mixed: from, to')
    expect(page!.place.textContent).toContain('in 1 of 2 stands')
    const own = () => store.chosen.map((s) => draft.settingsOf(s).conditions)
    await write('slope-hi', '44')
    expect(own()).toEqual([[{ ...one, hi: 44 }], [wet, { ...two, hi: 44 }]])
    draft.change({ conditions: [wet] })
    expect(own(), 'what is the same for all is no longer their own').toEqual([[wet], [wet]])
    draft.drop()
    expect(own()).toEqual([[one], other])
  })
})

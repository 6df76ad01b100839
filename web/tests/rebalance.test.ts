import { afterEach, describe, expect, it } from 'vitest'
import { nextTick, ref } from 'vue'
import type { Level, RebalanceChange, Tier } from '../src/api/client'
import RebalancePanel from '../src/budget/RebalancePanel.vue'
import TradeOff from '../src/budget/TradeOff.vue'
import type { ChartOption, Inks } from '../src/shared/ChartPlot.vue'
import { useDraft } from '../src/planting/useDraft'
import { PLAIN } from '../src/stage/drawing'
import { useStores } from '../src/shared/stores'
import { useRebalance } from '../src/budget/rebalance'
import {
  INKS,
  at,
  inScope,
  openLevel,
  picturing,
  refuse,
  serve,
  settled,
  show,
  stand,
  until,
  partOf,
} from './help'

const MARKS = { ms: 6, triangles: 10, draw_calls: 10, shadow_triangles: 10, memory: 10 }
const DISTANCES = { steps: [20], billboard: 40, gone: 80, fade: 4, shadow: 10, by_size: false }
const change = (part: object): RebalanceChange => ({
  stand: 1,
  farther: 1,
  fade: 1,
  shadows: 1,
  edge: null,
  share: 1,
  distances: null,
  fullness: null,
  loss: 120,
  ms: 2,
  ...part,
})
const place = (name: string, before: number, after: number) => ({
  ...{ name, x: 4, y: 12, z: 8, heading: 90, pitch: 0, fov: 55 },
  ...{ before: { ...MARKS, ms: before }, after: { ...MARKS, ms: after } },
})
const RESULT = {
  done: true,
  loss: 420,
  gap: 0,
  over: { ms: 0, triangles: 0, draw_calls: 0, shadow_triangles: 0, memory: 0 },
  changes: [
    change({ farther: 0.7, shadows: 0, distances: DISTANCES }),
    change({ stand: 2, share: 0.6, fullness: 0.3, loss: 300 }),
  ],
  places: [place('Rim', 5, 4), place('Worst place 1', 8, 5.9)],
  curve: [
    { ms: 8, loss: 0, changes: [] },
    { ms: 7, loss: 90, changes: [change({ edge: 0, farther: 0.6, distances: DISTANCES, loss: 90 })] },
    { ms: 5.5, loss: 700, changes: [change({ shadows: 0.3, distances: DISTANCES, loss: 700 })] },
  ],
}

let page: Awaited<ReturnType<typeof show>> | null = null
afterEach(() => {
  page?.end()
  page = null
})

describe('bringing a level under its marks', () => {
  const told = (part: object = {}) => ({
    running: false,
    share: 0,
    step: '',
    trouble: '',
    result: null,
    ...part,
  })
  async function begin(answers: object[], role: Level['role'] = 'lead') {
    const tier = { drawing: PLAIN, marks: MARKS } as Tier
    const store = openLevel(
      partOf<Partial<Level>>({
        role,
        tiers: { Desktop: tier },
        bookmarks: [{ name: 'Rim' }],
      }),
    )
    store.stands = [...store.stands, stand(3, { locked: true })]
    const asked = serve({
      'POST /api/levels/fell/rebalance': () => (answers.length > 1 ? answers.shift() : answers[0]),
      'DELETE /api/levels/fell/rebalance': {},
    })
    const stage = picturing()
    const draft = inScope(() => useDraft(() => null, useStores()))
    page = await show(RebalancePanel, { stage, draft })
    const bodies = () =>
      asked
        .filter((a) => a.what.endsWith('/rebalance') && a.body)
        .map((a) => a.body as Record<string, unknown>)
    return { store, stage, draft, bodies, balance: useRebalance() }
  }
  /** The table's rows: who, what, and how much is lost. */
  const rows = () =>
    [...at('rebalance-changes').querySelectorAll('tbody tr')].map((row) => {
      const [what, lost] = [row.querySelector('td')!, row.querySelector('td + td')!]
      const said = what.querySelector('.faint')!.textContent.trim()
      return `${what.firstChild!.textContent!.trim()}: ${said}: ${lost.textContent.trim()}`
    })

  it('asks with the marks and what is not locked, follows the work, and says what it found', async () => {
    const { bodies } = await begin([
      told({ running: true, share: 0.5, step: 'Trying Birch' }),
      told({ result: RESULT }),
    ])
    expect(bodies()).toEqual([])
    at('rebalance-begin').click()
    await until(() => at('rebalance-stop'))
    expect(page!.place.textContent).toContain('Trying Birch')
    const all = ['distances', 'steps', 'fades', 'shadows', 'tufts']
    expect(bodies()[0]).toMatchObject({ marks: MARKS, begin: true, may: { 1: all, 2: all } })
    expect(Object.keys(bodies()[0]!.may as object)).toEqual(['1', '2'])
    await until(() => at('rebalance-changes'))
    expect(at('rebalance-met').textContent).toMatch(
      /from\s+8\.00 ms\s+to\s+5\.90 ms.*0\.010 % of the\s+picture looks different, over 2 places/s,
    )
    const both = ['Stand 1: drawn 70 % as far, no shadows: 0.0029 %', 'Stand 2: 60 % of its plants: 0.0072 %']
    expect(rows()).toEqual(both)
  })
  it('shows the best so far while less is looked for, and looks on when asked after a stop', async () => {
    const changes = [change({ fade: 0.5, distances: DISTANCES })]
    const first = { ...RESULT, done: false, gap: 0.02, changes }
    await begin([
      told({ running: true, share: 0.85, step: 'Looking for less loss', result: first }),
      told({ result: first }),
      told({ result: RESULT }),
    ])
    at('rebalance-begin').click()
    await until(() => at('rebalance-changes'))
    expect(rows()).toEqual(['Stand 1: fades 50 % as wide: 0.0029 %'])
    expect(at('rebalance-gap').textContent).toMatch(
      /best so far.*% of the picture\s+\(2\.0 % of this\s+loss\)/s,
    )
    at('rebalance-stop').click()
    await until(() => at('rebalance-begin'))
    expect(at('rebalance-gap').textContent).not.toContain('best so far')
    at('rebalance-begin').click()
    await until(() => at('rebalance-gap') === null)
    expect(at('rebalance-begin')).toBeNull()
  })
  it('is for a plot and its shares alone where one has shares in the tier', async () => {
    const { store, bodies, balance } = await begin([told({ result: RESULT })])
    expect(at('rebalance-plot')).toBeNull()
    const plots = {
      North: { owner: 'north', area: 1, shares: { Desktop: { ms: 2 } } },
      South: { owner: 'south', area: 2, shares: { Handheld: { ms: 2 } } },
    }
    store.level = partOf<Level>({ ...store.level!, plots: { plots, outside: 'warned', requests: [] } })
    await until(() => at('rebalance-plot'))
    expect(balance.plots).toEqual(['North'])
    balance.plot = 'North'
    await nextTick()
    at('rebalance-begin').click()
    await until(() => at('rebalance-changes'))
    expect(bodies()[0]).toMatchObject({ marks: { ms: 2 }, plot: 'North' })
    // A plot that is gone is not asked for any more.
    store.level = partOf<Level>({
      ...store.level,
      plots: { plots: {}, outside: 'warned', requests: [] },
    })
    await nextTick()
    expect(balance.plot).toBe('')
    expect(balance.result).toBeNull()
  })
  it('shows another answer, goes to a place, and tries what is shown as one draft', async () => {
    const { store, stage, draft } = await begin([told({ result: RESULT })])
    at('rebalance-begin').click()
    await until(() => at('trade-off'))
    at('rebalance-try').click()
    await settled(30)
    expect(store.selected).toEqual([1, 2])
    expect(draft.settingsOf(store.stands[0]!).distances).toEqual(DISTANCES)
    expect([0, 1].map((k) => draft.settingsOf(store.stands[k]!).fullness)).toEqual([0.5, 0.3])
    draft.drop()
    const press = (key: string) =>
      at('trade-off').dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
    press('ArrowLeft')
    await nextTick()
    press('ArrowLeft')
    await nextTick()
    expect(rows()).toEqual(['Stand 1: the step to mesh 2 at 60 %: 0.0022 %'])
    expect(at('trade-off').getAttribute('aria-valuenow')).toBe('1')
    press('Enter')
    await nextTick()
    expect(rows().length).toBe(2)
    at('rebalance-place-1').click()
    expect(stage.look).toHaveBeenCalledWith({ x: 4, y: 12, z: 8, heading: 90, pitch: 0, fov: 55 })
  })
  it('compares the dearest places in pictures, before and with the changes tried', async () => {
    const { stage, draft } = await begin([told({ result: RESULT })])
    at('rebalance-begin').click()
    await until(() => at('rebalance-compare'))
    const dirty: boolean[] = []
    stage.picture.mockImplementation(() => `picture:${dirty.push(draft.dirty.value)}`)
    at('rebalance-compare').click()
    await until(() => page!.place.querySelectorAll('img').length === 4)
    expect(dirty).toEqual([false, false, true, true])
    const of = (k: number) => [...at(`rebalance-place-${k}`).querySelectorAll('img')].map((i) => i.alt)
    expect(of(0)).toEqual(['Rim, before', 'Rim, after'])
    await until(() => at('rebalance-compare'))
    expect(stage.eye.view).toEqual(stage.start)
    draft.drop()
  })
  it('says what is still over, and drops its answer when asked otherwise', async () => {
    const over = { ...RESULT.over, ms: 0.125, memory: 0.02 }
    const { balance } = await begin([told({ result: { ...RESULT, over } })])
    at('rebalance-begin').click()
    await until(() => at('rebalance-over'))
    expect(at('rebalance-over').textContent).toContain('time by 12.5 %, memory by 2.0 %')
    balance.least = 0.7
    await until(() => !at('rebalance-over'))
    expect(at('rebalance-begin')).not.toBeNull()
    await balance.look(true)
    await until(() => at('rebalance-over'))
    const asked = serve({ 'POST /api/levels/fell/rebalance': () => told() })
    useStores().level.difference = partOf({ what: 'A stroke', gained: 0, lost: 4, cost: {} })
    await until(() => !at('rebalance-over'))
    expect((asked[0]!.body as { begin: boolean }).begin).toBe(false)
    serve({ 'POST /api/levels/fell/rebalance': () => refuse('may: nothing may change.') })
    await balance.look(true)
    await nextTick()
    expect(at('rebalance-trouble').textContent).toContain('nothing may change')
  })
  it('is for those who plant', async () => {
    const { bodies, balance } = await begin([told()], 'viewer')
    expect((at('rebalance-begin') as HTMLButtonElement).disabled).toBe(true)
    await balance.look(true)
    expect(bodies()).toEqual([])
  })
})

describe('the trade-off', () => {
  it('stands farther right the dearer, and higher the more is lost, with the mark between', async () => {
    const chart = ref<{ option: (inks: Inks) => ChartOption }>()
    page = await show(TradeOff, { ref: chart, points: RESULT.curve, mark: 6, picked: 1 })
    const { xAxis, series } = chart.value!.option(INKS) as {
      xAxis: { min: number; max: number }
      series: { data: { value: [number, number]; symbolSize: number }[]; markLine: { data: unknown } }[]
    }
    const { data, markLine } = series[0]!
    expect(data.map((d) => d.value)).toEqual(RESULT.curve.map((p) => [p.ms, p.loss]))
    expect(data[1]!.symbolSize).toBeGreaterThan(data[0]!.symbolSize)
    expect(markLine.data).toEqual([{ xAxis: 6 }])
    expect(xAxis.min).toBeLessThan(Math.min(...RESULT.curve.map((p) => p.ms)))
    expect(xAxis.max).toBeGreaterThan(Math.max(...RESULT.curve.map((p) => p.ms)))
    expect(at('trade-off').getAttribute('aria-valuetext')).toBe('7.00 ms, 90 px lost')
  })
})

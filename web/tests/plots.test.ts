import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { Level, Plots, Shape, Stroke } from '../src/api/client'
import CostStrip from '../src/level/CostStrip.vue'
import PlotPanel from '../src/budget/PlotPanel.vue'
import MemberTable from '../src/pages/MemberTable.vue'
import { PLAIN } from '../src/stage/drawing'
import { useLevel } from '../src/level/level'
import { inside, usePlots } from '../src/budget/plots'
import { useSession } from '../src/pages/session'
import { useSurvey } from '../src/budget/survey'
import {
  at,
  choose,
  numbers,
  openLevel,
  refuse,
  serve,
  settled,
  show,
  until,
  write,
  changed,
  partOf,
} from './help'

const LINES = { ms: 0, triangles: 0, draw_calls: 0, shadow_triangles: 0, memory: 0 }
const COST = { ...LINES, plants: 0, shadow_calls: 0, alpha_mpx: 0, culled: 0 }
const square = (id: number, name: string, x: number): Shape =>
  ({
    ...{ id, name, kind: 'area', form: 'polygon', width: 1, clear: null },
    points: [
      [x, 0],
      [x + 10, 0],
      [x + 10, 10],
      [x, 10],
    ],
  }) as Shape
const PLOTS: Plots = {
  plots: {
    North: { owner: 'north', area: 1, shares: { Console: { ms: 2, memory: 4e6 } } },
    South: { owner: 'south', area: 2, shares: { Console: { ms: 3 } } },
  },
  outside: 'warned',
  requests: [],
}
const MARKS = { ms: 6, triangles: 10, draw_calls: 10, shadow_triangles: 10, memory: 10e6 }

/** A level with two plots and a third area, seen through Console. */
function openPlots(who: string, role: string, plots = PLOTS, more: Record<string, unknown> = {}) {
  const store = openLevel({ role: role as 'artist', plots })
  store.level = partOf<Level>({ ...store.level!, tiers: { Console: { drawing: PLAIN, marks: MARKS } } })
  store.shapes = [square(1, 'North ground', 0), square(2, 'South ground', 10), square(3, 'Island', 40)]
  store.cost = {
    ...{ device: 'Console', margin: null, total: COST, ground: COST, stands: [] },
    plots: [
      { ...COST, plot: 'North', ms: 2.5, memory: 3e6 },
      { ...COST, plot: 'South', ms: 1, draw_calls: 4, shadow_calls: 3 },
    ],
  }
  useSession().name = who
  const asked = serve({
    'GET /api/levels/fell/members': {
      members: ['north', 'south', 'lead'].map((name) => ({
        name,
        role: 'artist',
        mark: 'disc',
        here: false,
      })),
      invitations: [],
    },
    'POST /api/levels/fell/survey': {
      ...{ fresh: true, running: false, share: 1, step: '', trouble: '', map: null, history: [] },
      plots: [
        { name: 'North', worst: { ...LINES, ms: 1.9 }, most5: { ...LINES, ms: 1.2 } },
        { name: 'South', worst: { ...LINES, ms: 4.4 }, most5: { ...LINES, ms: 2 } },
      ],
    },
    ...more,
  })
  return { store, asked, plots: usePlots() }
}

let page: Awaited<ReturnType<typeof show>> | null = null
afterEach(() => (page?.end(), (page = null)))

describe('the ground of plots', () => {
  it('holds a place as often as a line from it crosses the outline an odd number of times', () => {
    const next = numbers(5)
    const hollow = [
      [0, 0],
      [10, 0],
      [10, 10],
      [5, 4],
      [0, 10],
    ] as const
    for (let k = 0; k < 300; k++) {
      const [x, z] = [next() * 14 - 2, next() * 14 - 2]
      const within = x > 0 && x < 10 && z > 0 && z < (x < 5 ? 10 - 1.2 * x : 4 + 1.2 * (x - 5))
      expect(inside(hollow, x, z)).toBe(within)
    }
  })
  it('warns who plants outside their own, and never a lead', () => {
    const { plots, store } = openPlots('north', 'artist')
    expect(plots.warning(5, 5)).toBe('')
    expect(plots.warning(15, 5)).toBe('This is South, south’s plot')
    store.level = { ...store.level!, plots: { ...PLOTS, outside: 'refused' } }
    expect(plots.warning(15, 5)).toContain('nothing is planted here')
    expect(plots.warning(30, 5)).toBe('This is no plot of yours: nothing is planted here')
    store.level = { ...store.level, role: 'lead' }
    expect(plots.warning(15, 5)).toBe('')
    store.level = partOf<Level>({ ...store.level, role: 'artist', plots: { ...PLOTS, plots: {} } })
    expect(plots.warning(15, 5)).toBe('')
  })
})

describe('a stroke that is being painted', () => {
  const stroke = partOf<Stroke>({ key: 'k', stand: 1, path: [[15, 5]] })
  it('tells which plots it brings over their shares, until the view is reckoned anew', async () => {
    const { plots, store, asked } = openPlots('north', 'artist', PLOTS, {
      'POST /api/levels/fell/strokes/spent': [{ ...COST, plot: 'South', ms: 3.4 }],
    })
    expect(plots.triedOver).toEqual([])
    let painted = true
    await plots.weigh(stroke, () => painted)
    expect(plots.triedOver).toEqual(['South comes to 3.40 ms of its 3.00 ms here'])
    // The view may be reckoned while the pointer rests, without the stroke.
    store.cost = { ...store.cost! }
    await nextTick()
    expect(plots.triedOver).toEqual(['South comes to 3.40 ms of its 3.00 ms here'])
    expect(plots.hereOf('North', 'ms')).toBe(2.5)
    expect(plots.hereOf('South', 'ms')).toBe(3.4)
    painted = false
    store.cost = { ...store.cost }
    await nextTick()
    expect(plots.triedOver).toEqual([])
    // What comes when the stroke is let go of already counts no more.
    await plots.weigh(stroke, () => false)
    expect(plots.triedOver).toEqual([])
    expect(asked.filter((a) => a.what.endsWith('/spent')).length).toBe(2)
  })
  it('asks for nothing where no plot has shares in the tier', async () => {
    const north = { owner: 'north', area: 1, shares: { Handheld: { ms: 1 } } }
    const bare = { ...PLOTS, plots: { North: north } }
    const { plots, asked } = openPlots('north', 'artist', bare)
    await plots.weigh(stroke, () => true)
    expect(asked.filter((a) => a.what.endsWith('/spent'))).toEqual([])
  })
})

describe('plots and shares', () => {
  it('tell what each spends here and anywhere, and what is over', async () => {
    const { plots, store } = openPlots('north', 'artist')
    page = await show(PlotPanel)
    await until(() => at('plot-South').textContent.includes('4.40'))
    const cells = [...at('plot-North').querySelectorAll('td')].map((c) => c.textContent.trim())
    expect(cells.slice(1, 5)).toEqual(['2.50', '1.90', '1.20', '2.00'])
    expect([plots.isOver('North', 'ms'), plots.isOver('South', 'ms')]).toEqual([false, true])
    expect(plots.overHere('ms')).toEqual([{ name: 'North', share: 2, here: 2.5 }])
    expect(plots.hereOf('South', 'draw_calls')).toBe(7)
    expect(plots.overHere('draw_calls')).toEqual([])
    at('plot-map-South').click()
    expect([useSurvey().plot, useSurvey().mark]).toEqual(['South', 3])
    page.end()
    expect([plots.shown, useSurvey().plot]).toEqual([false, null])
    page = await show(CostStrip)
    expect(at('plots-over-ms').textContent).toBe('North 2.50 of 2.00')
    store.cost = { ...store.cost!, plots: [] }
    await nextTick()
    expect(at('plots-over-ms')).toBeNull()
  })
  it('are tried by a lead and kept together, in their order', async () => {
    const refused = refuse('owner: west is not a member of Fell')
    const answers = [refused, changed({ what: 'Plots and allotments' })]
    const { asked, plots } = openPlots('lead', 'lead', PLOTS, {
      'PUT /api/levels/fell/plots': () => answers.shift(),
    })
    page = await show(PlotPanel)
    await write('plot-share-South', '1.5')
    await choose('plot-owner-South', 'nobody')
    await choose('plot-add', 'Island')
    plots.rename('Island', 'North')
    expect([plots.trouble, Object.keys(plots.now.plots)]).toEqual([
      expect.stringContaining('called North already'),
      ['North', 'South', 'Island'],
    ])
    plots.rename('Island', 'Isle')
    plots.raise('South')
    plots.setShare('North', 'memory', null)
    expect(plots.kept).toEqual(PLOTS)
    await nextTick()
    at('plots-keep').click()
    await until(() => at('plots-trouble'))
    expect(at('plots-trouble').textContent).toContain('not a member')
    expect(Object.keys(plots.now.plots)).toEqual(['South', 'North', 'Isle'])
    await until(() => !(at('plots-keep') as HTMLButtonElement).disabled && !plots.busy)
    at('plots-keep').click()
    await until(() => !plots.draft)
    const sent = asked.filter((a) => a.what.startsWith('PUT'))[1]!.body as { plots: Plots }
    expect(Object.entries(sent.plots.plots)).toEqual([
      ['South', { owner: '', area: 2, shares: { Console: { ms: 1.5 } } }],
      ['North', { owner: 'north', area: 1, shares: { Console: { ms: 2 } } }],
      ['Isle', { owner: '', area: 3, shares: {} }],
    ])
    expect(useLevel().difference!.what).toBe('Plots and allotments')
  })
  it('are asked for by their owner, and granted or dropped by who may', async () => {
    const request = { plot: 'South', giver: 'North', tier: 'Console', line: 'ms' as const, amount: 0.5 }
    const entry = { id: 1, what: 'asked', gained: 0, lost: 0, cost: {} }
    const { asked, store } = openPlots(
      'south',
      'artist',
      { ...PLOTS, requests: [request] },
      {
        'POST /api/levels/fell/plots/ask': changed(entry),
        'POST /api/levels/fell/plots/drop': changed(entry),
      },
    )
    vi.spyOn(store, 'refresh').mockResolvedValue()
    page = await show(PlotPanel)
    await until(() => at('request-0'))
    expect(at('request-0').textContent).toContain('South asks North (north) for 0.50 ms in Console')
    expect([at('grant-0'), !!at('drop-0'), at('plots-keep'), at('plot-add')]).toEqual([
      null,
      true,
      null,
      null,
    ])
    at('ask-South').click()
    await until(() => at('ask-amount'))
    await write('ask-amount', '0.7')
    at('ask-go').click()
    await until(() => !at('ask-go'))
    const sent = asked.find((a) => a.what.endsWith('/ask'))!.body as { request: object }
    expect(sent.request).toEqual({ ...request, amount: 0.7 })
    at('drop-0').click()
    await until(() => asked.some((a) => a.what.endsWith('/drop')))
    page.end()
    useSession().name = 'north'
    page = await show(PlotPanel)
    await until(() => at('grant-0'))
  })
})

describe('the members of a level', () => {
  const member = (name: string, role: string) => ({ name, role, mark: 'disc', here: name === 'north' })
  const MEMBERS = {
    members: [member('lead', 'lead'), member('north', 'artist')],
    invitations: [{ id: 7, role: 'artist', by: 'lead', until: '2026-02-01T00:00:00Z' }],
  }
  async function open(who: string, more: Record<string, unknown> = {}) {
    openLevel()
    useSession().name = who
    const asked = serve({ 'GET /api/levels/fell/members': MEMBERS, ...more })
    page = await show(MemberTable, { slug: 'fell' })
    await until(() => at('members'))
    return asked
  }
  it('are only looked at by who does not lead, who may leave', async () => {
    await open('north')
    expect([!!at('remove-north'), at('remove-lead'), at('invite'), at('reset-lead')]).toEqual([
      true,
      ...[null, null, null],
    ])
    expect(at('member-north').textContent).toContain('in the level')
  })
  it('are given roles and links by a lead; what is refused is said', async () => {
    const asked = await open('lead', {
      'PUT /api/levels/fell/members/north': { ...MEMBERS, members: [member('lead', 'lead')] },
      'DELETE /api/levels/fell/members/lead': () => refuse('lead is the only lead of Fell.'),
      'POST /api/levels/fell/invitations': {
        token: 't0k',
        address: 'https://fell.example',
        until: '2026-02-01T00:00:00Z',
      },
      'DELETE /api/levels/fell/invitations/7': { ...MEMBERS, invitations: [] },
    })
    at('remove-lead').click()
    const go = await until(() => at('remove-go'))
    expect(asked.some((a) => a.what.startsWith('DELETE'))).toBe(false)
    expect(document.querySelector('.ask')!.textContent).toContain('Only by a new invitation do you come back')
    go.click()
    await until(() => at('remove-trouble'))
    expect(at('remove-trouble').textContent).toContain('only lead')
    ;[...document.querySelectorAll<HTMLElement>('.ask button')]
      .find((b) => b.textContent.includes('Cancel'))!
      .click()
    await until(() => !at('remove-trouble'))
    await choose('invite-role', 'viewer')
    at('invite').click()
    const field = await until(() => at('made-link'))
    expect(field.querySelector('input')!.value).toBe('https://fell.example/link/t0k')
    expect(asked.find((a) => a.what.endsWith('/invitations'))!.body).toEqual({ role: 'viewer' })
    at('withdraw-7').click()
    await until(() => !at('invitations'))
    await choose('role-north', 'viewer')
    await until(() => !at('member-north'))
    await settled()
  })
})

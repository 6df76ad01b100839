import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { Level, SurveyMap, Tier } from '../src/api/client'
import SurveyPanel from '../src/budget/SurveyPanel.vue'
import { PLAIN } from '../src/stage/drawing'
import { useDrawing } from '../src/sightline/drawing'
import { useSurvey } from '../src/budget/survey'
import { classAt, classesOf, FINE, INKS, LEFT, leftAt, surveySheet } from '../src/budget/surveyMap'
import {
  at,
  choose,
  numbers,
  openLevel,
  picturing,
  refuse,
  serve,
  settled,
  show,
  until,
  partOf,
} from './help'

const MAP: SurveyMap = {
  columns: 3,
  rows: 2,
  step: 16,
  values: [1, 2, 3, 7, 2, 11],
  most5: 9.5,
  worst: [
    {
      x: 40,
      y: 12.7,
      z: 24,
      heading: 225,
      value: 11,
      spent: [
        [1, 6],
        [0, 3],
        [2, 1],
      ],
    },
    { x: 8, y: 9, z: 24, heading: 0, value: 7, spent: [[2, 7]] },
  ],
}

describe('the classes of a survey', () => {
  it('are even, read well, and hold every value', () => {
    const next = numbers(3)
    for (let n = 0; n < 200; n++) {
      const values = Array.from({ length: 5 }, () => next() * 10 ** (next() * 8 - 2))
      const borders = classesOf(values)
      expect(borders.length).toBe(INKS.length + 1)
      expect(borders[0]).toBe(0)
      expect(borders[INKS.length]).toBeGreaterThanOrEqual(Math.max(...values) * 0.999999)
      // The inks are made use of: the largest value is in the upper half.
      expect(classAt(Math.max(...values), borders)).toBeGreaterThanOrEqual(INKS.length / 2)
      for (const v of values) {
        const k = classAt(v, borders)
        expect(v).toBeGreaterThanOrEqual(borders[k]! * 0.999999)
        expect(v).toBeLessThanOrEqual(borders[k + 1]! * 1.000001)
      }
    }
    expect(classesOf([0, 0])[0]).toBe(0)
  })
  it('lie over the level as the places do, with lines between them, hatched over the mark', () => {
    const sheet = surveySheet(MAP, 50, 32, 6)
    expect([sheet.columns, sheet.rows]).toEqual([25, 16])
    const rgba = (c: number, r: number) => [
      ...sheet.data.slice((r * sheet.columns + c) * 4, (r * sheet.columns + c) * 4 + 4),
    ]
    const borders = classesOf(MAP.values)
    const inkAt = (c: number, r: number) => {
      const place = Math.min(Math.floor(r / FINE), 1) * 3 + Math.min(Math.floor(c / FINE), 2)
      return INKS[classAt(MAP.values[place]!, borders)]
    }
    let hatched = 0
    for (let r = 1; r < sheet.rows; r++) {
      for (let c = 1; c < sheet.columns; c++) {
        const ink = rgba(c, r).slice(0, 3)
        const dark = ink[0]! < 50
        if (!dark) expect(ink).toEqual(inkAt(c, r))
        const inside = c % FINE > 1 && r % FINE > 1
        const over = r >= FINE && (c < FINE || c >= 2 * FINE)
        if (dark && inside) {
          expect(over).toBe(true)
          hatched++
        }
      }
    }
    expect(hatched).toBeGreaterThan(10)
    expect(rgba(FINE, 12)[3]).toBe(190)
    const plain = surveySheet(MAP, 50, 32, null)
    expect([...plain.data].filter((v, k) => k % 4 === 3 && v === 170).length).toBe(0)
  })
})

describe('the classes of what is left to a mark', () => {
  it('tell every value by its share of the mark, and ink the map', () => {
    const found = [20, 12.5, 12.4, 11, 10.5, 10, 9.1, 8, 7, 5, 0].map((v) => leftAt(v, 10))
    expect(found).toEqual([0, 1, 1, 2, 2, 3, 3, 4, 5, 6, 6])
    const sheet = surveySheet(MAP, 50, 32, 6, true)
    const inked = (c: number, r: number) => [...sheet.data.slice((r * 25 + c) * 4, (r * 25 + c) * 4 + 3)]
    expect(inked(4, 4)).toEqual(LEFT[6]!.ink)
    expect(inked(FINE + 4, FINE + 4)).toEqual(LEFT[6]!.ink)
    expect(inked(4, FINE + 3)).toEqual(LEFT[leftAt(7, 6)]!.ink)
    // Without a mark there is nothing to be left.
    expect(surveySheet(MAP, 50, 32, null, true).data).toEqual(surveySheet(MAP, 50, 32, null).data)
  })
})

describe('the survey panel', () => {
  let page: Awaited<ReturnType<typeof show>> | null = null
  afterEach(() => {
    page?.end()
    page = null
  })
  const marks = { ms: 6, triangles: 1, draw_calls: 1, shadow_triangles: 1, memory: 1 }
  const state = (part: object = {}) => ({
    fresh: true,
    running: false,
    share: 1,
    step: '',
    trouble: '',
    map: MAP,
    ...part,
  })
  async function begin(told: object | (() => object), role = 'lead') {
    const tiers = {
      Handheld: { drawing: { ...PLAIN, distances: 0.5 }, marks },
      Desktop: { drawing: PLAIN, marks },
    }
    openLevel({
      role,
      tiers: partOf<Record<string, Tier>>(tiers),
      columns: 50,
      rows: 32,
      cell: 1,
    } as Partial<Level>)
    const asked = serve({
      'POST /api/levels/fell/survey': typeof told === 'function' ? told : () => told,
      'DELETE /api/levels/fell/survey': {},
    })
    const stage = picturing({ setRings: vi.fn() })
    page = await show(SurveyPanel, { stage })
    await settled(30)
    const bodies = () =>
      asked.filter((a) => a.what.startsWith('POST')).map((a) => a.body as Record<string, unknown>)
    return { stage, bodies, survey: useSurvey() }
  }

  it('asks for nothing to be done by itself, begins on a press, and follows how far it is', async () => {
    const answers = [
      state({ fresh: false, map: null }),
      state({ fresh: false, running: true, share: 0.4, step: 'Surveying Birch', map: null }),
      state(),
    ]
    const { bodies, survey } = await begin(() => answers.shift() ?? state())
    expect(bodies().map((b) => b.begin)).toEqual([false])
    expect(survey.sheet).toBeNull()
    at('survey-begin').click()
    await until(() => at('survey-stop'))
    expect(page!.place.textContent).toContain('Surveying Birch')
    await until(() => at('survey-legend'))
    expect(bodies().map((b) => b.begin)).toEqual([false, true, false])
    expect(at('survey-begin')).toBeNull()
    expect(survey.sheet!.columns).toBe(25)
  })
  it('is followed also when it is asked about again before it is known to be begun', async () => {
    const idle = state({ fresh: false, map: null })
    const { survey } = await begin(idle)
    let answered = () => {}
    const begun = new Promise<void>((resolve) => (answered = resolve))
    serve({
      'POST /api/levels/fell/survey': async (body: unknown) => {
        if (!(body as { begin: boolean }).begin) return survey.state?.running || done ? state() : idle
        await begun
        done = true
        return state({ fresh: false, running: true, share: 0.1, map: null })
      },
    })
    let done = false
    const press = survey.look(true)
    await survey.look(false)
    expect(survey.state!.running).toBe(false)
    answered()
    await press
    await until(() => survey.map)
  })
  it('says how much is over the mark, who spends it, and goes to the worst places', async () => {
    const { stage } = await begin(state())
    expect(at('survey-summary').textContent).toMatch(
      /one place in twenty.*9\.50 ms.*33 % of the level.*mark of 6\.00 ms/is,
    )
    expect(at('survey-worst-0').textContent).toMatch(
      /11\.00 ms, looking south-west.*Stand 1 6\.00 ms, the ground 3\.00 ms/s,
    )
    expect(at('survey-worst-1').textContent).toContain('looking north')
    at('survey-worst-0').click()
    expect(stage.look).toHaveBeenCalledWith({ x: 40, y: 12.7, z: 24, heading: 225, pitch: 0, fov: 55 })
    expect(stage.setRings).toHaveBeenLastCalledWith([{ x: 40, z: 24, radius: 4 }])
    page!.end()
    page = null
    expect(stage.setRings).toHaveBeenLastCalledWith([])
    expect(useSurvey().sheet).toBeNull()
  })
  it('shows the worst places in pictures and comes back, and stops when told so', async () => {
    const { stage } = await begin(state())
    at('survey-pictures').click()
    await until(() => page!.place.querySelectorAll('img').length === 2)
    expect([...page!.place.querySelectorAll('img')].map((img) => img.getAttribute('src'))).toEqual([
      'picture:40',
      'picture:8',
    ])
    await until(() => !at('survey-pictures-stop'))
    expect(stage.eye.view).toEqual(stage.start)
    useSurvey().state = partOf(state({ map: { ...MAP, worst: MAP.worst.slice(1) } }))
    await until(() => !page!.place.querySelector('img'))
    stage.arrived.mockImplementation(() => new Promise((done) => setTimeout(done, 50)))
    at('survey-pictures').click()
    await until(() => at('survey-pictures-stop'))
    at('survey-pictures-stop').click()
    await settled(80)
    expect(page!.place.querySelector('img')).toBeNull()
    expect(stage.eye.view).toEqual(stage.start)
  })
  it('looks at another line, stand and tier; a stand has no mark of its own', async () => {
    const { bodies, survey } = await begin(state())
    await choose('survey-stand', 'Stand 2')
    await until(() => bodies().some((b) => b.stand === 2))
    expect(survey.mark).toBeNull()
    expect(at('survey-summary').textContent).not.toContain('mark')
    await choose('survey-line', 'Memory')
    await until(() => bodies().some((b) => b.line === 'memory'))
    useDrawing().tier = 'Handheld'
    await until(() => bodies().some((b) => (b.drawing as { distances: number }).distances === 0.5))
  })
  it('says when it is from before the last changes, and why it failed; a guest begins none', async () => {
    const { survey } = await begin(state({ fresh: false }))
    expect(at('survey-old').textContent).toContain('before the last changes')
    expect(at('survey-begin').textContent).toContain('Survey anew')
    expect(at('survey-legend')).not.toBeNull()
    serve({ 'POST /api/levels/fell/survey': () => refuse('step: that is 90 000 places.') })
    await survey.look(true)
    await nextTick()
    expect(at('survey-trouble').textContent).toContain('90 000 places')
    page!.end()
    const { bodies } = await begin(state(), 'viewer')
    expect(bodies()).toEqual([])
    expect((at('survey-begin') as HTMLButtonElement).disabled).toBe(true)
  })
})

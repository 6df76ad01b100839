import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'
import type { Calibration, Device, Level, Tier } from '../src/api/client'
import DevicePanel from '../src/sightline/DevicePanel.vue'
import FitPlot from '../src/sightline/FitPlot.vue'
import type { ChartOption, Inks } from '../src/shared/ChartPlot.vue'
import { PLAIN } from '../src/stage/drawing'
import { useDrawing } from '../src/sightline/drawing'
import { INKS, at, openLevel, serve, show, until, uploads, kept } from './help'

const MARKS = { ms: 2, triangles: 1, draw_calls: 1, shadow_triangles: 1, memory: 1 }
const GUESS: Device = {
  name: 'Plain desktop',
  per_mtri: 0.9,
  per_kcall: 1.6,
  per_shadow_mtri: 1.1,
  per_alpha_mpx: 0.09,
  per_mbyte: 0,
  fixed: 0,
  spread: [],
  noise: 0,
  frames: 0,
}
const MEASURED: Device = {
  ...GUESS,
  name: 'phone',
  fixed: 1.9,
  spread: Array.from({ length: 6 }, (_, k) => Array.from({ length: 6 }, (_, j) => (j === k ? 0.01 : 0))),
  noise: 0.05,
  frames: 58,
}
const FOUND: Calibration = {
  device: MEASURED,
  error: 0.0532,
  frames: [
    [10, 4, false],
    [5, 5.2, true],
    [7, 6.8, true],
  ],
  left_out: 1,
  unclear: [['triangles', 'shadow triangles'], ['memory']],
}

let page: Awaited<ReturnType<typeof show>> | null = null
afterEach(() => {
  page?.end()
  page = null
  vi.restoreAllMocks()
  vi.unstubAllGlobals()
})
const tierOf = (device: Device) => ({ drawing: PLAIN, marks: MARKS, device })
const nameField = () => at('device-rename').querySelector('input')!

describe('the device of a tier', () => {
  async function begin(role = 'lead', told: object | string = FOUND) {
    const tiers = { Handheld: tierOf(GUESS), Desktop: tierOf(GUESS) }
    const store = openLevel({ role, tiers } as Partial<Level>)
    const entry = { id: 3, what: 'Tiers', kind: 'tiers', gained: 0, lost: 0, cost: {} }
    const asked = serve({ 'PUT /api/levels/fell/tiers': kept('tiers', entry) })
    uploads(() => told)
    page = await show(DevicePanel)
    return { store, asked }
  }
  /** Choose a file as the system's dialog would have it. */
  async function measure(name: string) {
    const click = vi.spyOn(HTMLInputElement.prototype, 'click').mockImplementation(() => {})
    at('device-measure').click()
    const input = click.mock.contexts[0] as HTMLInputElement
    Object.defineProperty(input, 'files', { value: [new File(['ms'], name)], configurable: true })
    input.dispatchEvent(new Event('change'))
    await until(() => at('device-use') ?? at('device-trouble'))
  }

  it('tells a guess from what was measured, and lets a lead alone measure', async () => {
    const { store } = await begin('artist')
    expect(page!.place.textContent).toContain('Plain desktop, a guess')
    expect(at('device-per_kcall').textContent).toMatch(/1\.60.* ms/)
    expect((at('device-measure') as HTMLButtonElement).disabled).toBe(true)
    store.level = { ...store.level!, role: 'lead', tiers: { Desktop: tierOf(MEASURED) } }
    await nextTick()
    expect(page!.place.textContent).toContain('phone, measured by 58 frames; a frame differs by 5.0 %')
    expect(at('device-fixed').textContent).toMatch(/1\.90.*± 0\.20 ms/)
    expect((at('device-measure') as HTMLButtonElement).disabled).toBe(false)
  })
  it('shows a fit before it is kept, under a name of one’s own, with the tier alone', async () => {
    const { store, asked } = await begin()
    const drawing = useDrawing()
    drawing.tier = 'Handheld'
    drawing.changeTier({ distances: 0.5 })
    await nextTick()
    await measure('phone.csv')
    expect(at('device-fit').textContent).toMatch(/5\.3 %.*58 frames fit, 1 were left out/s)
    const unclear = [...document.querySelectorAll('[data-test=device-unclear]')].map((e) => e.textContent)
    expect(unclear[0]).toContain('do not distinguish triangles and shadow triangles')
    expect(unclear[1]).toContain('say nothing about memory')
    expect(asked.length).toBe(0)
    nameField().value = 'Our phone'
    nameField().dispatchEvent(new Event('change', { bubbles: true }))
    await nextTick()
    at('device-use').click()
    await until(() => !at('device-use'))
    const sent = asked.find((a) => a.what.startsWith('PUT'))!.body as { tiers: Record<string, Tier> }
    expect(sent.tiers).toEqual({
      Handheld: tierOf({ ...MEASURED, name: 'Our phone' }),
      Desktop: tierOf(GUESS),
    })
    expect(store.level!.tiers.Handheld!.device.name).toBe('Our phone')
    // What else is tried of the tier is still tried, with the device.
    expect([drawing.device!.name, drawing.tiers.Handheld!.drawing.distances]).toEqual(['Our phone', 0.5])
    expect(asked.length).toBeGreaterThan(0)
  })
  it('says why captures cannot be; another tier drops what was found', async () => {
    await begin('lead', 'captures: these are 3 frames; it takes 30 at least.')
    await measure('few.csv')
    expect(at('device-trouble').textContent).toContain('takes 30 at least')
    expect(at('device-name').textContent).toBe('Plain desktop')
    uploads(() => FOUND)
    at('device-measure').click()
    vi.restoreAllMocks()
    await measure('phone.csv')
    useDrawing().tier = 'Handheld'
    await until(() => !at('device-use'))
    expect(at('device-name').textContent).toBe('Plain desktop')
  })
})

describe('the plot of a fit', () => {
  it('holds frames that were left out at the border, as rings', async () => {
    const chart = ref<{ option: (inks: Inks) => ChartOption }>()
    page = await show(FitPlot, { ref: chart, frames: FOUND.frames })
    const { yAxis, series } = chart.value!.option(INKS) as {
      yAxis: { min: number; max: number }
      series: { id: string; data: [number, number, number][] }[]
    }
    expect([yAxis.min, yAxis.max]).toEqual([-5, 5])
    const [fits, out] = [series[0]!.data, series[1]!.data]
    expect([fits.length, out.length]).toEqual([2, 1])
    expect(out[0]![1], 'at the border').toBe(5)
    expect(out[0]![2], 'its own difference').toBeGreaterThan(5)
    for (const [, shown, differs] of fits) expect(shown).toBe(differs)
  })
})

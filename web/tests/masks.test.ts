import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { Mask, MaskSource } from '../src/api/client'
import MaskList from '../src/ground/MaskList.vue'
import MaskMaker from '../src/ground/MaskMaker.vue'
import { useMasks } from '../src/ground/masks'
import CopyTo from '../src/planting/CopyTo.vue'
import { useDraft } from '../src/planting/useDraft'
import { useTool } from '../src/planting/tool'
import NoiseField from '../src/planting/NoiseField.vue'
import { fresh } from '../src/planting/conditions'
import { useStores } from '../src/shared/stores'
import {
  at,
  base64,
  changed,
  choose,
  inScope,
  openLevel,
  partOf,
  refuse,
  serve,
  settled,
  show,
  stand,
  tried,
  until,
  write,
} from './help'

let page: Awaited<ReturnType<typeof show>>
let store: ReturnType<typeof openLevel>
const text = () => page.place.textContent.replace(/\s+/g, ' ')
const SOURCE = partOf<MaskSource>({ made_from: 'rivers', conditions: [], catchment: 5, cell: 1 })
const mask = (name: string, part: Partial<Mask> = {}): Mask => ({
  name,
  rows: 4,
  columns: 8,
  bits: 16,
  digest: name,
  source: null,
  painted: false,
  current: true,
  ...part,
})
/** A raster of two columns, black and white. */
const RASTER = base64(new Uint8Array([1, 0, 2, 0, 0, 255]).buffer)
const LOOK = 'POST /api/levels/fell/mask-look'
const MAKE = 'POST /api/levels/fell/made-masks'

beforeEach(() => {
  page?.end()
  store = openLevel({ touch_cell: 0.5, low: 200, high: 300, columns: 100, rows: 100, cell: 1 })
})

describe('the mask images of a level', () => {
  async function list(masks: Mask[], answers = {}) {
    store.masks = masks
    const asked = serve({ [LOOK]: { raster: RASTER }, ...answers })
    page = await show(MaskList)
    return asked
  }
  it('say what they are made from, and when that has changed since', async () => {
    await list([mask('Brook', { source: SOURCE, current: false }), mask('Grazing', { bits: 8 })])
    expect(text()).toContain('Brook8 × 4, 16 bits')
    expect(text()).toContain('16 bits; made from rivers')
    expect(text()).toContain('What it is made from has changed.')
    expect([!!at('mask-again-Brook'), !!at('mask-again-Grazing')]).toEqual([true, false])
    store.level = { ...store.level!, role: 'viewer' }
    await nextTick()
    expect([at('mask-make'), at('mask-again-Brook'), at('mask-see-Brook') && 1]).toEqual([null, null, 1])
  })
  it('lie over the ground, dark where they are white, one at a time', async () => {
    const asked = await list([mask('Brook'), mask('Grazing')])
    const masks = useMasks()
    at('mask-see-Brook').click()
    await until(() => masks.sheet)
    expect([masks.shown, masks.sheet!.columns, masks.sheet!.rows]).toEqual(['Brook', 2, 1])
    expect(masks.sheet!.data[0]).toBeGreaterThan(masks.sheet!.data[4]! + 100)
    at('mask-see-Grazing').click()
    await until(() => masks.shown === 'Grazing')
    at('mask-see-Grazing').click()
    expect([masks.shown, masks.sheet]).toEqual([null, null])
    at('mask-see-Grazing').click()
    await until(() => masks.shown)
    store.masks = [mask('Brook')]
    await until(() => !masks.shown)
    expect(masks.sheet).toBe(null)
    at('mask-see-Brook').click()
    await until(() => masks.shown)
    const looks = () => asked.filter((a) => a.what === LOOK).length
    const before = looks()
    store.masks = [mask('Brook', { digest: 'another' })]
    await until(() => looks() > before)
    page.end()
    expect(masks.sheet).toBe(null)
  })
  it('are made again from the same, named anew by Enter, and stay as they were when refused', async () => {
    const asked = await list([mask('Brook', { source: SOURCE, current: false })], {
      [MAKE]: () => changed({}, { masks: [mask('Brook', { source: SOURCE })] }),
      'POST /api/levels/fell/masks/Brook/rename': () => refuse('to: there is a mask image of this name.'),
    })
    at('mask-again-Brook').click()
    await until(() => !text().includes('has changed'))
    expect(asked.find((a) => a.what === MAKE)!.body).toMatchObject({ name: 'Brook', source: SOURCE })
    at('mask-name-Brook').click()
    await nextTick()
    await write('mask-rename', 'Beck')
    at('mask-rename')
      .querySelector('input')!
      .dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
    await until(() => at('masks-trouble'))
    expect(at('masks-trouble').textContent).toContain('there is a mask image of this name')
    expect(at('mask-Brook').textContent).toContain('Brook')
  })
})

describe('a mask that is made', () => {
  it('is seen while it is tuned, and kept under a name of its own', async () => {
    const asked = serve({ [LOOK]: { raster: RASTER }, [MAKE]: () => changed() })
    let closed = 0
    page = await show(MaskMaker, { onClose: () => closed++ })
    const masks = useMasks()
    await until(() => masks.sheet)
    const looks = () => asked.filter((a) => a.what === LOOK)
    const looked = () => looks().map((a) => (a.body as { source: MaskSource }).source)
    expect(looked()[0]).toMatchObject({ made_from: 'values', cell: 0.5, low: null, high: null })
    expect(looked()[0]!.conditions).toMatchObject([{ kind: 'slope' }])
    await write('mask-high', '30')
    await until(() => looked().at(-1)!.high === 30)
    await choose('mask-from', 'Distance to rivers')
    await write('mask-reach', '250')
    await until(() => looked().at(-1)!.reach === 250)
    expect(looked().at(-1)).toMatchObject({ made_from: 'river distance', conditions: [], high: null })
    at('mask-keep').click()
    await until(() => closed)
    expect(asked.find((a) => a.what === MAKE)!.body).toMatchObject({ name: 'Distance to rivers' })
    page.end()
    expect(masks.sheet).toBe(null)
  })
  it('takes the conditions of a stand, and says what is refused', async () => {
    store.stands = [stand(1), stand(2)]
    const conditions = [fresh('altitude', { low: 200, high: 300 })]
    store.stands[1]!.settings.conditions = conditions
    const asked = serve({ [LOOK]: () => refuse('conditions: there are none.') })
    page = await show(MaskMaker)
    await choose('mask-from', 'What suits a stand')
    await choose('mask-stand', 'Stand 2')
    const suitable = (a: { body: unknown }) => {
      const { source } = a.body as { source: MaskSource }
      return source.made_from === 'suitability' && source.conditions.length > 0
    }
    const sent = await until(() => asked.find(suitable))
    expect(sent.body).toMatchObject({ source: { conditions } })
    await until(() => document.querySelector('[data-test=mask-trouble]')?.textContent)
    expect(at('mask-trouble').textContent).toContain('there are none')
    expect(at('mask-keep').classList.contains('v-btn--disabled')).toBe(true)
  })
})

describe('settings that are copied', () => {
  it('are tried for the chosen stands and groups, and not while something is a draft', async () => {
    const lost = tried({ lost: 4, moved: { 2: [0, 4] } }, {}, { lost: 4 })
    const asked = serve({ 'TRY /api/levels/fell/stands': lost, 'PATCH /api/levels/fell/stands': changed() })
    store.stands = [stand(1), stand(2), stand(3, { locked: true })]
    const draft = inScope(() => useDraft(() => null, useStores()))
    page = await show(CopyTo, { draft })
    at('copy-settings').click()
    await until(() => at('copy-group-room'))
    const tick = async (name: string) => (at(name).querySelector('input')!.click(), await nextTick())
    expect(at('copy-s3').querySelector('input')!.disabled).toBe(true)
    await tick('copy-group-mix')
    await tick('copy-group-distances')
    await tick('copy-s2')
    expect(at('copy-go').textContent).toContain('Copy mix, draw distances')
    at('copy-go').click()
    const sent = await until(() => asked.find((a) => a.what === 'TRY /api/levels/fell/stands'))
    const { settings } = (sent.body as { stands: Record<number, { settings: object }> }).stands[2]!
    expect(Object.keys(settings).sort()).toEqual(['distances', 'mix'])
    draft.change({ spacing: 9 })
    await nextTick()
    expect(at('copy-settings').classList.contains('v-btn--disabled')).toBe(true)
  })
})

describe('noise', () => {
  it('is moved over the level by dragging its picture', async () => {
    serve({ 'POST /api/levels/fell/conditions/noise': { side: 2, values: btoa('\0\0\0\0') } })
    let condition = fresh('noise', { low: 0, high: 1 })
    const props = { condition, onChange: (c: typeof condition) => (condition = c) }
    page = await show(NoiseField, props)
    const picture = at('noise-picture') as HTMLCanvasElement
    picture.setPointerCapture = vi.fn()
    picture.getBoundingClientRect = () => ({ width: 100 }) as DOMRect
    const point = (kind: string, clientX: number, clientY: number) =>
      picture.dispatchEvent(
        Object.assign(new MouseEvent(kind, { clientX, clientY, bubbles: true }), { pointerId: 1 }),
      )
    point('pointermove', 50, 50)
    expect(condition.noise.moved).toEqual([0, 0])
    point('pointerdown', 10, 10)
    point('pointermove', 20, 5)
    // Its picture shows 100 m, the whole level, so that 10 pixels of its 100 are 10 m.
    expect(condition.noise.moved).toEqual([10, -5])
    point('pointerup', 20, 5)
    point('pointermove', 90, 90)
    expect(condition.noise.moved).toEqual([10, -5])
    await settled()
    const tool = useTool()
    const onStage = (by: [number, number], begins = false) => {
      tool.dragged = { by, begins }
      return nextTick()
    }
    await onStage([30, 30])
    expect(condition.noise.moved, 'not while it is not in hand').toEqual([10, -5])
  })
  it('is moved by dragging on the stage, from where it lies, while it is in hand', async () => {
    serve({ 'POST /api/levels/fell/conditions/noise': { side: 2, values: btoa('\0\0\0\0') } })
    const begun = fresh('noise', { low: 0, high: 1 })
    const changes: unknown[] = []
    const condition = { ...begun, noise: { ...begun.noise, moved: [5, 5] as [number, number] } }
    page = await show(NoiseField, {
      condition,
      onChange: (c: typeof condition) => changes.push(c.noise.moved),
    })
    const tool = useTool()
    at('noise-drag').click()
    expect(tool.drag).not.toBeNull()
    tool.dragged = { by: [0, 0], begins: true }
    await nextTick()
    tool.dragged = { by: [7.26, -3], begins: false }
    await nextTick()
    expect(changes).toEqual([[12.3, 2]])
    page.end()
    expect(tool.drag, 'put down with its card').toBeNull()
  })
})

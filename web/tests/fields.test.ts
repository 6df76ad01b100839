import { afterEach, describe, expect, it } from 'vitest'
import { nextTick, reactive } from 'vue'
import NumberField from '../src/shared/NumberField.vue'
import { show } from './help'

type Shown = Awaited<ReturnType<typeof show>>
let page: Shown
afterEach(() => page.end())
async function field(part: object = {}) {
  const told: number[] = []
  const props = reactive({
    label: 'Spacing',
    value: 4.6,
    unit: 'm',
    min: 0.2,
    max: 200,
    step: 0.1,
    normal: 5,
    onChange: (n: number) => (told.push(n), (props.value = n)),
    ...part,
  })
  page = await show(NumberField, props)
  const input = page.place.querySelector('input')!
  const type = async (text: string) => {
    input.focus()
    input.value = text
    input.dispatchEvent(new Event('input'))
    await nextTick()
  }
  return { told, props, input, type }
}

describe('a number field', () => {
  it('tells what is typed, with a comma too, and says the range of what is not taken', async () => {
    const { told, input, type } = await field()
    await type('3,5')
    expect(told).toEqual([3.5])
    await type('0.01')
    expect([told.length, page.place.textContent]).toEqual([1, expect.stringContaining('0.2 to 200')])
    input.blur()
    await nextTick()
    expect(input.value).toBe('3.5')
    await type('much')
    expect(page.place.textContent).toContain('a number')
    await type('')
    expect(told.length).toBe(1)
  })
  it('is stepped by the arrow keys, ten steps with Shift, and stays within its range', async () => {
    const { told, input } = await field()
    const press = (key: string, shiftKey = false) =>
      input.dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey, bubbles: true }))
    press('ArrowUp')
    await nextTick()
    press('ArrowDown', true)
    await nextTick()
    expect(told).toEqual([4.7, 3.7])
    for (let k = 0; k < 8; k++) {
      press('ArrowDown', true)
      await nextTick()
    }
    expect(told[told.length - 1]).toBe(0.2)
  })
  it('is dragged sideways by its label', async () => {
    const { told } = await field()
    const label = page.place.querySelector('.label')!
    const point = (kind: string, clientX: number) =>
      label.dispatchEvent(new MouseEvent(kind, { clientX, bubbles: true }))
    point('pointerdown', 100)
    point('pointermove', 120)
    await nextTick()
    point('pointermove', 108)
    await nextTick()
    point('pointerup', 108)
    point('pointermove', 300)
    expect(told).toEqual([5.1, 4.8])
  })
  it('tells late changes once, when it is left or the drag ends', async () => {
    const { told, input } = await field({ late: true })
    const label = page.place.querySelector('.label')!
    const point = (kind: string, clientX: number) =>
      label.dispatchEvent(new MouseEvent(kind, { clientX, bubbles: true }))
    point('pointerdown', 100)
    point('pointermove', 110)
    point('pointermove', 120)
    await nextTick()
    expect(told).toEqual([])
    point('pointerup', 120)
    await nextTick()
    expect(told).toEqual([5.1])
    input.focus()
    input.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', bubbles: true }))
    await nextTick()
    input.blur()
    await nextTick()
    expect(told).toEqual([5.1, 5.2])
  })
  it('goes back to its default, and shows mixed values as mixed', async () => {
    const { told } = await field()
    page.place.querySelector<HTMLElement>('.v-field__append-inner .v-icon')!.click()
    expect(told).toEqual([5])
    page.end()
    const mixed = await field({ mixed: true })
    expect([mixed.input.value, mixed.input.placeholder]).toEqual(['', 'mixed'])
  })
})

import { afterEach, describe, expect, it, vi } from 'vitest'
import OpenSaved from '../src/pages/OpenSaved.vue'
import { MARKS, markPath } from '../src/level/marks'
import { at, serve, show, until, uploads } from './help'

let page: Awaited<ReturnType<typeof show>> | null = null
afterEach(() => (page?.end(), vi.unstubAllGlobals()))

describe('marks of people', () => {
  it('are all different, closed, and stay near their middle', () => {
    const paths = MARKS.map((m) => markPath(m, 50, 50, 10))
    expect(new Set(paths).size).toBe(MARKS.length)
    for (const path of paths) {
      expect(path).toMatch(/^M.*Z$/)
      const [x, y] = path
        .slice(1)
        .split(/[^-\d.e]+/)
        .map(Number) as [number, number]
      expect(Math.hypot(x - 50, y - 50)).toBeLessThan(16)
    }
  })
})

describe('opening a saved level', () => {
  const told = (part: object) => ({
    id: 'j',
    state: 'running',
    step: '',
    share: 0,
    trouble: '',
    slug: null,
    ...part,
  })
  async function opened(answers: object[]) {
    uploads(() => told({ state: 'waiting', step: 'Waits for the worker' }))
    const asked = serve({
      'GET /api/saved-levels/j': () => (answers.length > 1 ? answers.shift() : answers[0]),
      'POST /api/saved-levels/j/stop': told({ state: 'stopped' }),
    })
    const onDone = vi.fn()
    page = await show(OpenSaved, { onDone })
    const input = (await until(() => at('saved-file'))).querySelector<HTMLInputElement>('input[type=file]')!
    Object.defineProperty(input, 'files', { value: [new File(['zip'], 'level.zip')] })
    input.dispatchEvent(new Event('change', { bubbles: true }))
    const go = at('saved-go') as HTMLButtonElement
    await until(() => !go.disabled)
    go.click()
    return { onDone, asked }
  }
  it('follows the worker, and goes there when the level is there', async () => {
    const { onDone } = await opened([
      told({ step: 'Storing the level', share: 0.5 }),
      told({ state: 'done', share: 1, slug: 'fell' }),
    ])
    await until(() => document.body.textContent.includes('Storing the level'))
    await until(() => onDone.mock.calls.length)
    expect(onDone).toHaveBeenCalledWith('fell')
  })
  it('says what was wrong with the file, and stops what is dropped', async () => {
    const failed = told({ state: 'failed', trouble: 'file: that is no zip that can be read.' })
    const { asked } = await opened([failed])
    await until(() => at('saved-trouble'))
    expect(at('saved-trouble').textContent).toContain('no zip')
    page!.end()
    expect(asked.some((a) => a.what.endsWith('/stop'))).toBe(false)
    const second = await opened([told({ step: 'Reading the file' })])
    await until(() => document.body.textContent.includes('Reading the file'))
    page!.end()
    await until(() => second.asked.some((a) => a.what.endsWith('/stop')))
  })
})

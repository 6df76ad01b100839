import { expect, it } from 'vitest'
import GUIDE from '../../docs/guide.md?raw'
import type { Entry, Level } from '../src/api/client'
import { steps } from '../src/level/firstDay'
import { found, sectionsOf } from '../src/level/guide'
import { BENCHES } from '../src/router'
import { stand, partOf } from './help'

it('the guide has a part for every bench, each with its text, its pictures, and found by its words', () => {
  const sections = sectionsOf(GUIDE, { 'ground.png': '/g.png' })
  const titles = sections.map((s) => s.title.toLowerCase())
  expect(BENCHES.filter((b) => !titles.includes(b))).toEqual([])
  expect(new Set(titles).size).toBe(titles.length)
  const ground = sections.find((s) => s.title === 'Ground')!
  expect(ground.html).toContain('<img src="/g.png"')
  expect(ground.html).not.toContain('**')
  expect(ground.html).toContain('<em>Touch maps</em>')
  const all = sections.map((s) => s.words).join(' ')
  const plain = GUIDE.replace(/[*_`#[\]()]/g, '').toLowerCase()
  expect(all.length).toBeGreaterThan(0.98 * plain.length)
  expect(found(sections, 'touch CELLS resampled').map((s) => s.title)).toContain('Ground')
  expect(found(sections, 'budget')[0]!.title).toBe('Budget')
  expect(found(sections, 'zzz')).toEqual([])
})

it('the order of the work ticks itself by what the level has and what was done in it', () => {
  const level = partOf<Level>({ low: 0, high: 0, stock: [], walks: {} })
  const ticked = (...given: Parameters<typeof steps>) =>
    steps(...given)
      .filter((s) => s.done)
      .map((s) => s.name)
  expect(ticked(level, [], [], ['budget', 'handover'])).toEqual([])
  const full = partOf<Level>({ low: 0, high: 90, stock: [{}], walks: { there: {} } })
  const fresh = stand(1)
  fresh.settings.conditions = [{ kind: 'slope', lo: 0, hi: 32 }] as typeof fresh.settings.conditions
  expect(ticked(full, [fresh], [], [])).toEqual(['Heights', 'Stock', 'A first stand', 'A walk'])
  const entry = (kind: string, what: string, undone = false) => ({ kind, what, undone }) as Entry
  const journal = [entry('stroke', 'Thin Birch', true), entry('settings', 'Birch: distances')]
  expect(ticked(full, [fresh], journal, ['budget'])).toContain('Distances')
  expect(ticked(full, [fresh], journal, [])).not.toContain('Paint')
  const all = steps(full, [stand(2)], [...journal, entry('stroke', 'Thin Birch')], ['budget', 'handover'])
  expect(all.every((s) => s.done && BENCHES.includes(s.bench))).toBe(true)
})

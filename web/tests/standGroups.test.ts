import { describe, expect, it } from 'vitest'
import { rowsOf } from '../src/level/standGroups'
import { stand } from './help'

describe('rows of the column', () => {
  it('hold each stand once, those of a group where its first stands', () => {
    const groups = ['', 'Wood', 'Tips', 'Wood', '', 'Tips']
    const stands = groups.map((group, id) => stand(id, { group }))
    const rows = rowsOf(stands)
    expect(rows.map((r) => [r.group, r.stands.map((s) => s.id)])).toEqual([
      ['', [0]],
      ['Wood', [1, 3]],
      ['Tips', [2, 5]],
      ['', [4]],
    ])
    expect(rowsOf([])).toEqual([])
  })
})

import { describe, expect, it } from 'vitest'
import { alike, comparable, hasTables, newRecipe, size } from '../src/handover/recipes'

describe('recipes', () => {
  const csv = newRecipe()
  const scene = { ...csv, formats: ['glb' as const] }
  it('say which handovers can be told apart, and which compared plant by plant', () => {
    expect(alike(csv, scene)).toBe(true)
    expect(comparable(csv, scene)).toBe(false)
    expect(comparable(csv, { ...csv, formats: ['maps', 'csv'] })).toBe(true)
    for (const other of [
      { axes: 'z-up-left' as const },
      { unit: 'cm' as const },
      { origin: 'centre' as const },
      { cell: 64 },
    ])
      expect([alike(csv, { ...csv, ...other }), comparable(csv, { ...csv, ...other })]).toEqual([
        false,
        false,
      ])
    expect([hasTables(csv), hasTables(scene)]).toEqual([true, false])
  })
  it('say sizes in units that suit', () => {
    expect([0, 999, 1000, 6234, 45_000, 28_123_456, 3.2e9].map(size)).toEqual([
      '0 bytes',
      '999 bytes',
      '1.0 KB',
      '6.2 KB',
      '45 KB',
      '28 MB',
      '3.2 GB',
    ])
  })
})

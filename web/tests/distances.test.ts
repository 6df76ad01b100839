import { describe, expect, it } from 'vitest'
import type { Distances, Stand } from '../src/api/client'
import { at, copied, moved, neverDrawn, newEdges, toPixels, type Edge } from '../src/sightline/distances'
import { numbers, partOf } from './help'

const FAR: Distances = { steps: [24, 58], billboard: 110, gone: 900, fade: 12, shadow: 64, by_size: false }
const TREE = { lods: 3, billboard: true }
const EDGES: Edge[] = [
  { part: 'step', index: 0 },
  { part: 'step', index: 1 },
  { part: 'billboard' },
  { part: 'gone' },
  { part: 'shadow' },
  { part: 'fade' },
]
const ordered = (d: Distances) => {
  const edges = [0, ...d.steps, d.billboard, d.gone]
  return edges.every((v, k) => !k || v >= edges[k - 1]!) && d.gone > 0 && d.fade >= 0 && d.shadow >= 0
}

describe('edges of distances', () => {
  it('stay in order wherever they are dragged', () => {
    const draw = numbers(7)
    for (let k = 0; k < 400; k++) {
      const edge = EDGES[Math.floor(draw() * EDGES.length)]!
      const metres = draw() * 1500 - 100
      const chain = { lods: 1 + Math.floor(draw() * 3), billboard: draw() < 0.5 }
      const from = chain.billboard ? FAR : { ...FAR, billboard: 58 }
      if (at(from, chain, edge) === null) continue
      expect(ordered({ ...from, ...moved(from, chain, edge, metres) })).toBe(true)
    }
  })
  it('go where they are dragged between their neighbours', () => {
    expect(moved(FAR, TREE, { part: 'step', index: 0 }, 40)).toEqual({ steps: [40, 58] })
    expect(moved(FAR, TREE, { part: 'step', index: 0 }, 99)).toEqual({ steps: [58, 58] })
    expect(moved(FAR, TREE, { part: 'billboard' }, 10)).toEqual({ billboard: 58 })
    expect(moved(FAR, TREE, { part: 'shadow' }, 0.4)).toEqual({ shadow: 0 })
    expect(moved(FAR, TREE, { part: 'shadow' }, 400)).toEqual({ shadow: 110 })
    expect(at({ ...FAR, shadow: 400 }, TREE, { part: 'shadow' })).toBe(110)
    expect(at({ ...FAR, shadow: 400 }, { ...TREE, billboard: false }, { part: 'shadow' })).toBe(400)
  })
  it('are none where a stand has no such state', () => {
    expect(at(FAR, { lods: 2, billboard: false }, { part: 'step', index: 1 })).toBeNull()
    expect(at(FAR, { lods: 2, billboard: false }, { part: 'billboard' })).toBeNull()
    expect(at(FAR, TREE, { part: 'step', index: 1 })).toBe(58)
  })
  it('are copied to stands with more or fewer states, in order', () => {
    for (const steps of [[], [9], [5, 6, 7, 8]]) {
      const to = { ...FAR, steps, billboard: 20, gone: 40 }
      const after = { ...to, ...copied(FAR, to) }
      expect([after.steps.length, after.gone, ordered(after)]).toEqual([steps.length, 900, true])
    }
  })
  it('are set to the pixels that the outlines differ by', () => {
    const part = toPixels(FAR, [{ errors: [0.05, 0.02], billboard_error: 0.4 }], 2)
    const pixel = (metres: number) => 1080 / (2 * Math.tan((27.5 * Math.PI) / 180) * metres)
    expect(0.05 * pixel(part.steps![0]!)).toBeCloseTo(2, 1)
    expect(part.steps![1]).toBe(part.steps![0])
    expect(0.4 * pixel(part.billboard!)).toBeCloseTo(2, 1)
    expect(ordered({ ...FAR, ...part })).toBe(true)
  })
})

describe('what new states of an item mean for its stands', () => {
  const stand = (id: number, items: string[], locked = false) =>
    partOf<Stand>({
      id,
      items,
      locked,
      settings: { distances: FAR, mix: items.map((item) => ({ item })) },
    })
  const known = { errors: [0.05, 0.1], billboard_error: 0.2 }
  it('is offered to those that plant it and whose edges move, from the larger of their items', () => {
    const stock = [
      { slug: 'birch', distances: {} },
      { slug: 'rowan', distances: { errors: [0.3, 0.3], billboard_error: 0.4 } },
    ]
    const stands = [
      stand(1, ['birch']),
      stand(2, ['rowan']),
      stand(3, ['birch', 'rowan']),
      stand(4, ['birch'], true),
    ]
    const offered = newEdges(stands, stock, 'birch', known)
    expect(offered.map((o) => o.stand.id)).toEqual([1, 3])
    expect(offered[0]!.distances).toEqual({ ...FAR, ...toPixels(FAR, [known], 2) })
    expect(offered[1]!.distances.steps[0]).toBeGreaterThan(5 * offered[0]!.distances.steps[0]!)
    const settled = [{ ...stands[0], settings: { ...stands[0]!.settings, distances: offered[0]!.distances } }]
    expect(newEdges(settled as Stand[], stock, 'birch', known)).toEqual([])
  })
  it('meshes without a distance of their own are named', () => {
    expect(neverDrawn(FAR, TREE)).toEqual([])
    expect(neverDrawn({ ...FAR, steps: [24, 110] }, TREE)).toEqual([3])
    expect(neverDrawn({ ...FAR, steps: [0, 58] }, TREE)).toEqual([1])
    expect(neverDrawn({ ...FAR, steps: [24, 900] }, { lods: 3, billboard: false })).toEqual([3])
  })
})

import { describe, expect, it } from 'vitest'
import {
  inverted,
  nearestPoint,
  STRAIGHT,
  through,
  withoutPoint,
  withPoint,
  type Curve,
} from '../src/planting/curve'
import { numbers } from './help'

describe('a curve', () => {
  it('stays in order, within 0 and 1, whatever is dragged, added and taken away', () => {
    const draw = numbers(3)
    let curve: Curve = STRAIGHT
    for (let k = 0; k < 400; k++) {
      const point: [number, number] = [draw() * 1.6 - 0.3, draw() * 1.6 - 0.3]
      const what = Math.floor(draw() * (curve.length + 2))
      curve = draw() < 0.2 ? withoutPoint(curve, what) : withPoint(curve, what, point)
      expect(curve.length).toBeGreaterThan(1)
      expect(curve.length).toBeLessThan(17)
      expect(curve.every(([x], i) => !i || x > curve[i - 1]![0])).toBe(true)
      expect(curve.flat().every((v) => v >= 0 && v <= 1)).toBe(true)
      for (const [x, y] of curve) expect(through(curve, x)).toBeCloseTo(y, 9)
    }
  })
  it('is level outside its points, straight between them, and turned about', () => {
    const curve: Curve = [
      [0.2, 0.1],
      [0.6, 0.9],
    ]
    const shares = [0, 0.2, 0.4, 0.6, 1].map((v) => +through(curve, v).toFixed(9))
    expect(shares).toEqual([0.1, 0.1, 0.5, 0.9, 0.9])
    expect(through(inverted(curve), 0.4)).toBeCloseTo(0.5)
    expect([nearestPoint(curve, [0.21, 0.12], 0.06), nearestPoint(curve, [0.4, 0.5], 0.06)]).toEqual([0, -1])
  })
})

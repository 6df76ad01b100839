import { expect, it } from 'vitest'
import { coverage, cutoutMipmaps } from '../src/stage/cutouts'
import { numbers } from './help'

it('smaller copies of a cut-out cover as much as it, and bring no colour in that is not there', () => {
  const draw = numbers(5)
  for (const [width, height, cutoff] of [
    [64, 64, 0.5],
    [64, 32, 0.3],
    [48, 20, 0.7],
  ] as const) {
    const data = new Uint8Array(width * height * 4)
    for (let k = 0; k < width * height; k++) {
      const there = (k % width) % 7 < 2 + 2 * draw()
      data.set(there ? [90, 140, 60, 155 + 100 * draw()] : [255, 0, 255, there ? 255 : 0], 4 * k)
    }
    const alpha = (d: Uint8Array) => d.filter((_, k) => k % 4 === 3)
    const share = coverage(alpha(data), 255 * cutoff)
    const levels = cutoutMipmaps({ data, width, height }, cutoff)
    expect(levels[0]!.data).toBe(data)
    expect([levels.at(-1)!.width, levels.at(-1)!.height]).toEqual([1, 1])
    for (const level of levels.slice(1, 4)) {
      expect(coverage(alpha(level.data), 255 * cutoff)).toBeCloseTo(share, 0)
      expect(Math.abs(coverage(alpha(level.data), 255 * cutoff) - share)).toBeLessThan(0.08)
      for (let k = 0; k < level.data.length; k += 4)
        if (level.data[k + 3]! > 0) expect(level.data[k]).toBeLessThan(100)
    }
  }
})

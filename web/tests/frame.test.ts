import { expect, it } from 'vitest'
import { framed, largest, moved, shareOf, type Frame } from '../src/shared/frame'
import { numbers } from './help'

it('a frame keeps its form and stays on the picture, wherever it is dragged and however large', () => {
  const draw = numbers(11)
  for (let k = 0; k < 300; k++) {
    const [picture, form] = [0.3 + draw() * 3, 0.3 + draw() * 3]
    let frame: Frame = framed(largest(picture, form), 1, [0, 0, 1, 1])
    expect(shareOf(frame, picture, form)).toBeCloseTo(1, 3)
    for (let n = 0; n < 6; n++) {
      const share = 0.1 + 0.9 * draw()
      frame = framed(largest(picture, form), share, moved(frame, draw() - 0.5, draw() - 0.5))
      expect(Math.min(...frame)).toBeGreaterThanOrEqual(0)
      expect(Math.max(...frame)).toBeLessThanOrEqual(1.00002)
      expect(((frame[2] - frame[0]) * picture) / (frame[3] - frame[1])).toBeCloseTo(form, 2)
      expect(shareOf(frame, picture, form)).toBeCloseTo(share, 3)
    }
  }
})

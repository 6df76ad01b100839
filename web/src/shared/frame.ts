/** A part of a picture: west, north, east, south, as shares of its width and height. */
export type Frame = [number, number, number, number]

const round = (v: number) => Math.round(v * 1e5) / 1e5
const within = (v: number, lo: number, hi: number) => Math.min(Math.max(v, lo), hi)

/** Shares of width and height of the largest frame of a form (width over height) in a picture of another. */
export const largest = (picture: number, form: number): [number, number] => [
  Math.min(form / picture, 1),
  Math.min(picture / form, 1),
]

/** The frame moved by shares, at the most up to the picture's edge. */
export function moved([x0, y0, x1, y1]: Frame, dx: number, dy: number): Frame {
  const [wide, tall] = [x1 - x0, y1 - y0]
  const x = within(x0 + dx, 0, 1 - wide)
  const y = within(y0 + dy, 0, 1 - tall)
  return [x, y, x + wide, y + tall].map(round) as Frame
}

/** A frame of a share of the largest one's size, about the middle of another. */
export function framed([wide, tall]: [number, number], share: number, about: Frame): Frame {
  const [w, h] = [wide * share, tall * share]
  const x = (about[0] + about[2] - w) / 2
  const y = (about[1] + about[3] - h) / 2
  return moved([x, y, x + w, y + h], 0, 0)
}

/** What share of the largest frame's size a frame has. */
export const shareOf = ([x0, , x1]: Frame, picture: number, form: number): number =>
  (x1 - x0) / largest(picture, form)[0]

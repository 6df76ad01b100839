/** Points (value, share), each 0–1, from left to right; what lies between follows straight lines. */
export type Curve = [number, number][]

const MOST = 16
/** Two points lie at least so far apart. */
const APART = 0.01
const round = (v: number) => Math.round(v * 1000) / 1000
const within = (v: number, lo: number, hi: number) => Math.min(Math.max(v, lo), hi)

export const STRAIGHT: Curve = [
  [0, 0],
  [1, 1],
]

/** The share that a curve makes of a value. */
export function through(curve: Curve, value: number): number {
  if (value <= curve[0]![0]) return curve[0]![1]
  for (let k = 1; k < curve.length; k++) {
    const [[x0, y0], [x1, y1]] = [curve[k - 1]!, curve[k]!]
    if (value <= x1) return y0 + ((y1 - y0) * (value - x0)) / (x1 - x0)
  }
  return curve[curve.length - 1]![1]
}

/** The curve with point k elsewhere, at the most up to its neighbours; a new one where k is one too many. */
export function withPoint(curve: Curve, k: number, [x, y]: [number, number]): Curve {
  const place: [number, number] = [round(within(x, 0, 1)), round(within(y, 0, 1))]
  if (k >= curve.length) {
    const free = curve.every((p) => Math.abs(p[0] - place[0]) >= APART)
    return free && curve.length < MOST ? [...curve, place].sort((a, b) => a[0] - b[0]) : curve
  }
  const left = k ? curve[k - 1]![0] + APART : 0
  const right = k + 1 < curve.length ? curve[k + 1]![0] - APART : 1
  return curve.map((p, i) => (i === k ? [round(within(place[0], left, right)), place[1]] : p))
}

/** The curve without a point; two are always left. */
export const withoutPoint = (curve: Curve, k: number): Curve =>
  curve.length > 2 ? curve.filter((_, i) => i !== k) : curve

/** The point nearest to a place, no farther than `reach`; −1 where there is none. */
export function nearestPoint(curve: Curve, [x, y]: [number, number], reach: number): number {
  const far = curve.map((p) => Math.hypot(p[0] - x, (p[1] - y) * 0.5))
  const k = far.indexOf(Math.min(...far))
  return far[k]! <= reach ? k : -1
}

export const inverted = (curve: Curve): Curve => curve.map(([x, y]) => [x, round(1 - y)])

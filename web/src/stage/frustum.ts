import type { View } from '../api/client'

export const NEAR = 0.2
export const CELL = 64
type Box = ArrayLike<number>

/** The near plane and the four sides as (nx, ny, nz, d) each; the rule of `thicket.sight.views`. */
export function planes(view: View): Float64Array {
  const h = (view.heading * Math.PI) / 180
  const p = (view.pitch * Math.PI) / 180
  const ahead = [Math.sin(h) * Math.cos(p), Math.sin(p), -Math.cos(h) * Math.cos(p)]
  const right = [Math.cos(h), 0, Math.sin(h)]
  const up = [
    right[1]! * ahead[2]! - right[2]! * ahead[1]!,
    right[2]! * ahead[0]! - right[0]! * ahead[2]!,
    right[0]! * ahead[1]! - right[1]! * ahead[0]!,
  ]
  const tall = Math.tan((view.fov * Math.PI) / 360)
  const wide = tall * view.aspect
  const out = new Float64Array(20)
  const sides: [number, number[], number][] = [
    [1, right, 0],
    [wide, right, 1],
    [wide, right, -1],
    [tall, up, 1],
    [tall, up, -1],
  ]
  sides.forEach(([along, side, sign], k) => {
    const n = ahead.map((a, c) => a * along + side[c]! * sign)
    const length = Math.hypot(n[0]!, n[1]!, n[2]!)
    for (let c = 0; c < 3; c++) out[k * 4 + c] = n[c]! / length
    out[k * 4 + 3] = -(n[0]! * view.x + n[1]! * view.y + n[2]! * view.z) / length - (k === 0 ? NEAR : 0)
  })
  return out
}

/** Whether any of a box (x0, y0, z0, x1, y1, z1) may lie inside all planes. */
export function boxVisible(p: Float64Array, box: Box): boolean {
  for (let k = 0; k < 20; k += 4) {
    const x = p[k]! > 0 ? box[3]! : box[0]!
    const y = p[k + 1]! > 0 ? box[4]! : box[1]!
    const z = p[k + 2]! > 0 ? box[5]! : box[2]!
    if (p[k]! * x + p[k + 1]! * y + p[k + 2]! * z + p[k + 3]! < 0) return false
  }
  return true
}

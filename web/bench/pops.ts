import type { Stand } from '../src/api/client'
import { PLAIN } from '../src/stage/drawing'
import type { Stage } from '../src/stage/stage'
import { only } from './truth'

/** A plant that changes from one state to another (−1: nothing), and where it is seen from. */
export interface Crossing {
  stand: string
  item: number
  /** As of one plant in `Plants`. */
  form: number[]
  before: number
  after: number
  shadow: boolean
  x: number
  y: number
  z: number
  heading: number
}

const FAR = 1e5

/**
 * By how many pixels each crossing changes the picture of the bare ground, as it is drawn with so many
 * lines.
 */
export function changed(stage: Stage, stands: Stand[], crossings: Crossing[], lines: number): number[] {
  stage.hide(new Set(stands.map((s) => s.id)))
  stage.setDrawing(PLAIN)
  const size: [number, number] = [(lines * 16) / 9, lines]
  stage.eye.resize(...size)
  return crossings.map((c) => {
    const a = picture(stage, stands, c, c.before, size)
    const b = picture(stage, stands, c, c.after, size)
    let sum = 0
    for (let k = 0; k < a.length; k += 4)
      sum += Math.abs(a[k]! - b[k]!) + Math.abs(a[k + 1]! - b[k + 1]!) + Math.abs(a[k + 2]! - b[k + 2]!)
    return sum / 3 / 255
  })
}

/** The eye's picture with one plant in a state; for a shadow, with the plant and its shadow or without. */
function picture(
  stage: Stage,
  stands: Stand[],
  c: Crossing,
  state: number,
  size: [number, number],
): Uint8Array {
  const { eye, store } = stage
  const stand = stands.find((s) => s.slug === c.stand)!
  const shadow = c.shadow && state >= 0
  const drawn = c.shadow ? Math.max(c.before, c.after) : state
  stage.setGhost(drawn < 0 ? null : stand, c.item, c.form)
  if (store.ghost) {
    const item = stage.level.stock.find((i) => i.slug === stand.items[c.item])!
    const { lods } = (stage as unknown as { stock: Map<string, { lods: number }> }).stock.get(item.slug)!
    store.ghost.stand.sward = false
    store.ghost.stand.settings.distances = { ...only(drawn, lods), shadow: shadow ? FAR : 0 }
  }
  eye.view = { ...eye.view, x: c.x, y: c.y, z: c.z, heading: c.heading, pitch: 0, fov: 55, shadows: c.shadow }
  eye.render(false, Math.random(), false)
  const gl = eye.renderer.getContext()
  const pixels = new Uint8Array(size[0] * size[1] * 4)
  gl.readPixels(0, 0, ...size, gl.RGBA, gl.UNSIGNED_BYTE, pixels)
  return pixels
}

import type * as THREE from 'three'
import type { Ground } from './ground'

/**
 * What of the ground's look does not change as the eye moves: colour under the open sky with sunlight over
 * it, and bare rock.
 */
export interface Baked {
  /** RGBA: root of the colour in the sky's light, and sunlight as a multiple of that, `SUN` being 255. */
  colour: Uint8Array
  /** How much of each cell is steep bare rock. */
  bare: Uint8Array
}

/** What turf leaves of each of a colour's parts. */
const WORN = [0.705, 0.738, 0.574]

/** The most that the sun is brighter than the sky, in steps of the baked alpha. */
export const SUN = 3

interface Source {
  relief: Uint8Array
  layersA: Uint8Array
  layersB: Uint8Array
  colours: THREE.Vector3[]
  rock: number[]
  turf: number[]
  noise: Uint8Array
  sun: THREE.Vector3
}

const smooth = (lo: number, hi: number, v: number) => {
  const t = Math.min(Math.max((v - lo) / (hi - lo), 0), 1)
  return t * t * (3 - 2 * t)
}

/**
 * Bake the ground's look, by the rule of the ground's fragment shader, for machines that draw by the
 * processor.
 */
export function bake(ground: Ground, from: Source): Baked {
  const { columns, rows, cell, heights } = ground
  const { relief, layersA, layersB, noise, sun } = from
  const colour = new Uint8Array(columns * rows * 4)
  const bare = new Uint8Array(columns * rows)
  const grain = (x: number, z: number) => noise[(Math.floor(z) & 127) * 128 + (Math.floor(x) & 127)]! / 255
  const mix = [0, 0, 0]
  for (let k = 0; k < columns * rows; k++) {
    const x = (k % columns) * cell
    const z = Math.floor(k / columns) * cell
    const nx = relief[4 * k]! / 127.5 - 1
    const nz = relief[4 * k + 1]! / 127.5 - 1
    const ny = Math.sqrt(Math.max(1 - nx * nx - nz * nz, 0.03))
    let rock = 0
    let turf = 0
    mix.fill(0)
    for (let c = 0; c < 8; c++) {
      const w = (c < 4 ? layersA[4 * k + c]! : layersB[4 * k + c - 4]!) / 255
      if (!w) continue
      const ink = from.colours[c]!
      mix[0]! += w * ink.x
      mix[1]! += w * ink.y
      mix[2]! += w * ink.z
      rock += w * from.rock[c]!
      turf += w * from.turf[c]!
    }
    const speck = 0.84 + 0.62 * (0.5 * grain(x * 0.31, z * 0.31) + 0.25 - 0.72) * (1 - 0.5 * rock)
    const grass = turf * (0.35 + 0.5 * grain(x * 0.05, z * 0.05))
    const sky = (0.36 + 0.3 * ny) * (0.45 + 0.55 * (relief[4 * k + 3]! / 255))
    const direct = (Math.max(nx * sun.x + ny * sun.y + nz * sun.z, 0) * relief[4 * k + 2]!) / 255
    const steep = rock * smooth(0.12, 0.4, 1 - ny)
    const y = heights[Math.floor(k / columns) * (columns + 1) + (k % columns)]!
    const bed = steep && grain(y * 2.3 + grain(x * 0.08, z * 0.08) * 5, x * 0.03 + z * 0.022)
    const layered = 1 - steep + steep * (0.83 + 0.3 * bed)
    for (let c = 0; c < 3; c++) {
      const worn = 1 - grass + grass * WORN[c]!
      colour[4 * k + c] = 255 * Math.sqrt(Math.min(mix[c]! * speck * worn * layered * sky, 1))
    }
    colour[4 * k + 3] = (255 * Math.min(direct / sky, SUN)) / SUN
    bare[k] = 255 * steep
  }
  return { colour, bare }
}

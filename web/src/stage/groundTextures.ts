import * as THREE from 'three'
import type { Level } from '../api/client'
import { sunOf } from './fog'
import { bake, type Baked } from './bakedGround'
import { Ground } from './ground'
import type { GroundPaint } from './groundPaint'

type Uniforms = Record<string, THREE.IUniform>

const MOST_TEXELS = 2048

/** The ground with no more cells a side than are worth a texel. */
function thinned(ground: Ground): Ground {
  const step = Math.ceil(Math.max(ground.columns, ground.rows) / MOST_TEXELS)
  if (step === 1) return ground
  const columns = Math.ceil(ground.columns / step)
  const rows = Math.ceil(ground.rows / step)
  const n = ground.layerCount
  const heights = new Float32Array((columns + 1) * (rows + 1))
  const layers = new Uint8Array(columns * rows * n)
  for (let j = 0; j <= rows; j++) {
    for (let i = 0; i <= columns; i++) {
      const [u, v] = [Math.min(i * step, ground.columns), Math.min(j * step, ground.rows)]
      heights[j * (columns + 1) + i] = ground.heights[v * (ground.columns + 1) + u]!
      if (i === columns || j === rows) continue
      const from =
        (Math.min(v + (step >> 1), ground.rows - 1) * ground.columns +
          Math.min(u + (step >> 1), ground.columns - 1)) *
        n
      for (let c = 0; c < n; c++) layers[(j * columns + i) * n + c] = ground.layers[from + c]!
    }
  }
  return new Ground(heights, layers, n, columns, rows, ground.width / columns, ground.low, ground.high)
}

/** Normal x and z, sunlight that the relief lets through, and openness to the sky, for every cell. */
function relief(ground: Ground, sun: THREE.Vector3): Uint8Array {
  const { columns, rows, cell, heights: h } = ground
  const stride = columns + 1
  const out = new Uint8Array(columns * rows * 4)
  const mean = (i: number, j: number) => {
    const k = Math.min(Math.max(j, 0), rows - 1) * stride + Math.min(Math.max(i, 0), columns - 1)
    return (h[k]! + h[k + 1]! + h[k + stride]! + h[k + stride + 1]!) / 4
  }
  for (let j = 0; j < rows; j++) {
    for (let i = 0; i < columns; i++) {
      const k = j * stride + i
      const dx = (h[k + 1]! - h[k]! + h[k + stride + 1]! - h[k + stride]!) / (2 * cell)
      const dz = (h[k + stride]! - h[k]! + h[k + stride + 1]! - h[k + 1]!) / (2 * cell)
      const length = Math.hypot(dx, 1, dz)
      const here = mean(i, j)
      const around = (mean(i - 9, j) + mean(i + 9, j) + mean(i, j - 9) + mean(i, j + 9)) / 4
      const o = (j * columns + i) * 4
      out[o] = (-dx / length) * 127.5 + 127.5
      out[o + 1] = (-dz / length) * 127.5 + 127.5
      out[o + 2] = 255
      out[o + 3] = 255 * Math.min(Math.max(0.72 + ((here - around) * 0.07) / Math.max(cell, 1), 0.25), 1)
    }
  }
  castRelief(ground, sun, out)
  return out
}

const linear = (colour: string) => {
  const c = new THREE.Color(colour)
  return new THREE.Vector3(c.r, c.g, c.b)
}

/**
 * March toward the sun from every second cell and note where the ground stands in between; in metres, or
 * cells where those are larger.
 */
function castRelief(ground: Ground, sun: THREE.Vector3, out: Uint8Array): void {
  const { columns, rows, cell } = ground
  const flat = Math.hypot(sun.x, sun.z)
  const [sx, sz, rise] = [sun.x / flat, sun.z / flat, sun.y / flat]
  const step = Math.max(cell, 1)
  for (let j = 0; j < rows; j += 2) {
    for (let i = 0; i < columns; i += 2) {
      const x = (i + 1) * cell
      const z = (j + 1) * cell
      const y = ground.heightAt(x, z) + 0.25
      // Above the level's highest place nothing stands in between any more.
      const free = rise > 0.04 ? (ground.high - y + 0.1) / (rise - 0.03) : Infinity
      const end = Math.min(170 * step, free)
      let lit = 1
      for (let t = 2.5 * step; t < end && lit > 0; t += 1.5 * step + t * 0.04) {
        const over = y + rise * t - ground.heightAt(x + sx * t, z + sz * t)
        lit = Math.min(lit, 0.5 + over / (0.06 * t + 0.2))
      }
      const value = 255 * Math.max(lit, 0)
      for (let b = 0; b < 2; b++)
        for (let a = 0; a < 2; a++)
          if (i + a < columns && j + b < rows) out[((j + b) * columns + i + a) * 4 + 2] = value
    }
  }
}

function rgba(ground: Ground, first: number): Uint8Array {
  const { columns, rows, layers, layerCount } = ground
  const out = new Uint8Array(columns * rows * 4)
  for (let k = 0; k < columns * rows; k++) {
    for (let c = 0; c < 4; c++)
      out[k * 4 + c] = first + c < layerCount ? layers[k * layerCount + first + c]! : 0
  }
  return out
}

function texture(
  data: Uint8Array,
  columns: number,
  rows: number,
  format: THREE.PixelFormat = THREE.RGBAFormat,
): THREE.DataTexture {
  const t = new THREE.DataTexture(data, columns, rows, format, THREE.UnsignedByteType)
  t.magFilter = THREE.LinearFilter
  t.minFilter = softwareDrawn() ? THREE.LinearMipmapNearestFilter : THREE.LinearMipmapLinearFilter
  t.generateMipmaps = true
  t.unpackAlignment = 1
  t.needsUpdate = true
  return t
}

/** A raster 0–255 that lies over the whole level. */
export function rasterTexture(data: Uint8Array, columns: number, rows: number): THREE.DataTexture {
  const t = texture(data, columns, rows, THREE.RedFormat)
  t.minFilter = THREE.LinearFilter
  t.generateMipmaps = false
  return t
}

/** Colours with strength that lie over the whole level. */
export function washTexture(data: Uint8Array, columns: number, rows: number): THREE.DataTexture {
  const t = texture(data, columns, rows)
  t.minFilter = THREE.LinearFilter
  t.generateMipmaps = false
  return t
}

/**
 * Values to be read by bilinear interpolation: noise of one texel's wavelength, smooth enough for ground
 * and clouds.
 */
function noiseTexture(): THREE.DataTexture {
  const t = texture(noiseValues(), NOISE, NOISE, THREE.RedFormat)
  t.wrapS = t.wrapT = THREE.RepeatWrapping
  return t
}

const NOISE = 128
function noiseValues(): Uint8Array {
  const data = new Uint8Array(NOISE * NOISE)
  let h = 12345
  for (let k = 0; k < data.length; k++) {
    h = (Math.imul(h ^ (h >>> 15), 0x2c1b3c6d) + 0x3c6ef372) | 0
    data[k] = (h >>> 16) & 255
  }
  return data
}

/** Whether WebGL is drawn by the processor here, so that every pixel counts. */
export function softwareDrawn(): boolean {
  return (drawnBySoftware ??= askRenderer())
}

let drawnBySoftware: boolean | undefined

function askRenderer(): boolean {
  const gl = document.createElement('canvas').getContext('webgl2')
  const name = gl?.getParameter(
    gl.getExtension('WEBGL_debug_renderer_info')?.UNMASKED_RENDERER_WEBGL ?? gl.RENDERER,
  )
  gl?.getExtension('WEBGL_lose_context')?.loseContext()
  return /swiftshader|llvmpipe|software/i.test(String(name))
}

/** Everything the ground's shaders read; made once and shared by both views of a level. */
export class GroundTextures {
  private readonly columns: number
  private readonly rows: number
  private readonly masks: Record<string, THREE.IUniform>
  private drawn: Ground
  /** Textures of all renderers that hold the ground as it is. */
  private readonly held: THREE.DataTexture[] = []
  /** Textures of all renderers that follow from where the sun stands. */
  private readonly lit: { from: () => Uint8Array; texture: THREE.DataTexture }[] = []
  relief!: Uint8Array
  readonly layersA: Uint8Array
  readonly layersB: Uint8Array
  readonly colours: THREE.Vector3[]
  private baked: Baked | null = null

  constructor(
    readonly ground: Ground,
    level: Level,
    private readonly paint: GroundPaint | null,
  ) {
    const drawn = (this.drawn = thinned(ground))
    this.columns = drawn.columns
    this.rows = drawn.rows
    this.layersA = rgba(drawn, 0)
    this.layersB = rgba(drawn, 4)
    const mask = (look: string, first: number) => ({
      value: new THREE.Vector4(...[0, 1, 2, 3].map((k) => (level.layers[first + k]?.look === look ? 1 : 0))),
    })
    this.masks = {
      uRockA: mask('rock', 0),
      uRockB: mask('rock', 4),
      uTurfA: mask('turf', 0),
      uTurfB: mask('turf', 4),
    }
    this.colours = Array.from(
      { length: 8 },
      (_, k) => paint?.means[k] ?? linear(level.layers[k]?.colour ?? '#000000'),
    )
    this.light(sunOf(level.atmosphere))
  }

  /** The ground has other heights or layers now, and the sun shines on it from a direction. */
  renew(sun: THREE.Vector3): void {
    this.drawn = thinned(this.ground)
    this.layersA.set(rgba(this.drawn, 0))
    this.layersB.set(rgba(this.drawn, 4))
    for (const texture of this.held) texture.needsUpdate = true
    this.light(sun)
  }

  /** Have the sun shine from a direction. */
  light(sun: THREE.Vector3): void {
    const all = (a: string, b: string) =>
      [this.masks[a]!.value, this.masks[b]!.value].flatMap((v: THREE.Vector4) => v.toArray())
    this.relief = relief(this.drawn, sun)
    if (softwareDrawn())
      this.baked = bake(this.drawn, {
        relief: this.relief,
        layersA: this.layersA,
        layersB: this.layersB,
        colours: this.colours,
        rock: all('uRockA', 'uRockB'),
        turf: all('uTurfA', 'uTurfB'),
        noise: noiseValues(),
        sun,
      })
    for (const { from, texture } of this.lit) {
      ;(texture.image as { data: Uint8Array }).data.set(from())
      texture.needsUpdate = true
    }
  }

  /** A texture that follows the sun. */
  private followed(from: () => Uint8Array, format?: THREE.PixelFormat): THREE.DataTexture {
    const made = texture(from().slice(), this.columns, this.rows, format)
    this.lit.push({ from, texture: made })
    return made
  }

  /** Fresh uniforms for one renderer. */
  uniforms(): Uniforms {
    const { ground } = this
    const heights = new THREE.DataTexture(
      ground.heights,
      ground.columns + 1,
      ground.rows + 1,
      THREE.RedFormat,
      THREE.FloatType,
    )
    heights.needsUpdate = true
    const layers = [this.layersA, this.layersB].map((data) => texture(data, this.columns, this.rows))
    this.held.push(heights, ...layers)
    return {
      uHeights: { value: heights },
      uVertices: { value: [ground.columns + 1, ground.rows + 1] },
      uCell: { value: ground.cell },
      uNoise: { value: noiseTexture() },
      uRelief: { value: this.followed(() => this.relief) },
      uLayersA: { value: layers[0] },
      uLayersB: { value: layers[1] },
      uColours: { value: this.colours },
      uExtent: { value: new THREE.Vector2(ground.width, ground.length) },
      uOverlay: { value: rasterTexture(new Uint8Array([0]), 1, 1) },
      uOverlayOn: { value: 0 },
      uSheet: { value: washTexture(new Uint8Array(4), 1, 1) },
      uSheetOn: { value: 0 },
      ...this.masks,
      uPaintOn: { value: this.paint ? 1 : 0 },
      uPaint: { value: this.paint?.texture() ?? null },
      uPainted: { value: Array.from({ length: 8 }, (_, k) => (this.paint?.means[k] ? 1 : 0)) },
      ...(this.baked && {
        uBaked: { value: this.followed(() => this.baked!.colour) },
        uBare: { value: this.followed(() => this.baked!.bare, THREE.RedFormat) },
      }),
      uBrush: { value: new THREE.Vector4(0, 0, 0, 0) },
      uBrushInk: { value: new THREE.Vector3(0.2, 0.34, 0.14) },
    }
  }
}

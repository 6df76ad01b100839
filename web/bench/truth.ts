import * as THREE from 'three'
import type { Stand } from '../src/api/client'
import type { Stage } from '../src/stage/stage'

/**
 * What a state of an item differs by from the full mesh, as the stage draws both at the state's own
 * distance.
 */
export interface Truth {
  state: string
  distance: number
  /** Pixels of outline at 1,080 lines, on the mean over headings. */
  pixels: number
  /** Share of full brightness by which the mean colour differs, the worst channel. */
  colour: number
}

const LINES = 1080
const FOV = 55
const SIDE = 512
/** Headings that the core did not measure from. */
const HEADINGS = [22.5, 67.5, 112.5, 157.5, 202.5, 247.5, 292.5, 337.5]
const NEVER = 1e5

/** Distances under which only state `k` of an item with so many LODs is drawn. */
export function only(k: number, lods: number): Stand['settings']['distances'] {
  const steps = Array.from({ length: lods - 1 }, (_, s) => (s < k ? 0 : NEVER))
  return { steps, billboard: k < lods ? NEVER : 0, gone: 2 * NEVER, fade: 0, shadow: 0, by_size: false }
}

export function truth(stage: Stage, slug: string): Truth[] {
  const item = stage.level.stock.find((i) => i.slug === slug)!
  const meshes = (stage as unknown as { stock: Map<string, { lods: number; billboard: boolean }> }).stock.get(
    slug,
  )!
  const distances = item.distances as { lods: number[]; billboard: number | null }
  const states = [
    ...distances.lods.map((distance, k) => ({ state: `lod${k + 1}`, k: k + 1, distance })),
    ...(distances.billboard === null
      ? []
      : [{ state: 'billboard', k: meshes.lods, distance: distances.billboard }]),
  ]
  return states.map(({ state, k, distance }) => {
    let area = 0
    let outline = 0
    const sums = [new THREE.Vector4(), new THREE.Vector4()]
    for (const heading of HEADINGS) {
      const full = draw(stage, slug, only(0, meshes.lods), distance, heading, item.height)
      const other = draw(stage, slug, only(k, meshes.lods), distance, heading, item.height)
      ;[full, other].forEach((p, n) => addColour(sums[n]!, p))
      const sigma = Math.max(
        0.01 * ((item.height * LINES) / (2 * Math.tan((FOV * Math.PI) / 360) * distance)),
        0.01,
      )
      const a = blurred(coverage(full), sigma)
      const b = blurred(coverage(other), sigma)
      for (let i = 0; i < a.length; i++) area += Math.abs(a[i]! - b[i]!)
      outline += slope(a)
    }
    const means = sums.map((s) => [s.x / s.w, s.y / s.w, s.z / s.w])
    return {
      state,
      distance,
      pixels: area / outline,
      colour: Math.max(...means[0]!.map((v, c) => Math.abs(v - means[1]![c]!))) / 255,
    }
  })
}

/**
 * One plant against nothing, from a distance, turned by a heading: RGBA of the middle of a screen of 1,080
 * lines.
 */
function draw(
  stage: Stage,
  slug: string,
  distances: Stand['settings']['distances'],
  distance: number,
  heading: number,
  height: number,
): Uint8Array {
  const { eye } = stage
  const [x, y, z] = [stage.ground.width / 2, stage.ground.high + 200, stage.ground.length / 2]
  const a = (heading * Math.PI) / 360
  const stand = {
    id: -1,
    items: [slug],
    sward: false,
    sheets: { size: 64, columns: 1000, rows: 1000, keys: [] },
    settings: { distances, tints: ['#ffffff', '#ffffff'], mix: [] },
  } as unknown as Stand
  stage.setGhost(stand, 0, [x, y, z, 0, Math.sin(a), 0, Math.cos(a), 1, 1, 0.5])
  stage.store.ghost!.stand.settings.distances = distances
  const view = {
    ...eye.view,
    x,
    y: y + height / 2,
    z: z + distance,
    heading: 0,
    pitch: 0,
    fov: FOV,
    aspect: 1,
    shadows: false,
  }
  const camera = new THREE.PerspectiveCamera(FOV, 1, 0.1, 5000)
  camera.position.set(view.x, view.y, view.z)
  camera.setViewOffset(LINES, LINES, (LINES - SIDE) / 2, (LINES - SIDE) / 2, SIDE, SIDE)
  camera.updateMatrixWorld(true)
  ;(eye.groundUniforms.uEye!.value as THREE.Vector3).copy(camera.position)
  ;(eye.groundUniforms.uViewer!.value as THREE.Vector3).copy(camera.position)
  eye.groundUniforms.uShadowOn!.value = 0
  ;(eye.groundUniforms.uFog!.value as THREE.Vector4).x = 0
  eye.planter.choose(view)
  const target = new THREE.WebGLRenderTarget(SIDE, SIDE)
  eye.renderer.setRenderTarget(target)
  eye.renderer.setClearColor(0, 0)
  eye.renderer.clear()
  eye.renderer.render(eye.planter.colourScene, camera)
  const pixels = new Uint8Array(SIDE * SIDE * 4)
  eye.renderer.readRenderTargetPixels(target, 0, 0, SIDE, SIDE, pixels)
  eye.renderer.setRenderTarget(null)
  target.dispose()
  return pixels
}

const coverage = (pixels: Uint8Array) =>
  Float32Array.from({ length: SIDE * SIDE }, (_, i) => (pixels[4 * i + 3] ? 1 : 0))

function addColour(sum: THREE.Vector4, pixels: Uint8Array): void {
  for (let i = 0; i < pixels.length; i += 4)
    if (pixels[i + 3]) sum.add(new THREE.Vector4(pixels[i], pixels[i + 1], pixels[i + 2], 1))
}

/** A picture blurred by a normal distribution, in pixels. */
function blurred(from: Float32Array, sigma: number): Float32Array {
  const reach = Math.ceil(4 * sigma)
  const weight = Array.from({ length: 2 * reach + 1 }, (_, k) =>
    Math.exp(-((k - reach) ** 2) / (2 * sigma * sigma)),
  )
  const total = weight.reduce((a, b) => a + b)
  const along = (src: Float32Array, step: number, across: number) => {
    const out = new Float32Array(src.length)
    for (let row = 0; row < SIDE; row++)
      for (let k = 0; k < SIDE; k++) {
        let sum = 0
        for (let w = -reach; w <= reach; w++)
          sum += weight[w + reach]! * src[row * across + Math.min(Math.max(k + w, 0), SIDE - 1) * step]!
        out[row * across + k * step] = sum / total
      }
    return out
  }
  return along(along(from, 1, SIDE), SIDE, 1)
}

/** The sum of a picture's slope: the length of its outline, in pixels. */
function slope(p: Float32Array): number {
  let sum = 0
  for (let j = 1; j < SIDE - 1; j++)
    for (let i = 1; i < SIDE - 1; i++)
      sum +=
        Math.hypot(
          p[j * SIDE + i + 1]! - p[j * SIDE + i - 1]!,
          p[(j + 1) * SIDE + i]! - p[(j - 1) * SIDE + i]!,
        ) / 2
  return sum
}
